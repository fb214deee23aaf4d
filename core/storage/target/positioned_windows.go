package target

import (
	"os"

	"opengauge/core/storage/direct"
)

// callsAtOnce says that positioned calls of several threads on one file run one after
// the other: the system has a lock on each handle.
const callsAtOnce = false

// apart opens a file anew for a thread of its own, for writing where that is allowed.
func apart(file *os.File) (*os.File, error) {
	own, err := direct.Reopen(file.Name(), os.O_RDWR, true)
	if err != nil {
		own, err = direct.Reopen(file.Name(), os.O_RDONLY, true)
	}
	return own, err
}

// readAt is one positioned read.
func readAt(file *os.File, _ int, buffer []byte, offset int64) (int, error) {
	return file.ReadAt(buffer, offset)
}

// writeAt is one positioned write, complete only on stable media if it is
// durable.
func writeAt(file *os.File, _ int, buffer []byte, offset int64, durable bool) (int, error) {
	moved, err := file.WriteAt(buffer, offset)
	if err == nil && durable {
		err = file.Sync()
	}
	return moved, err
}
