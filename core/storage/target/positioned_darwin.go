package target

import "os"

// callsAtOnce says that positioned calls of several threads on one file run at once.
const callsAtOnce = true

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

// apart gives a file for a thread of its own: the same one.
func apart(file *os.File) (*os.File, error) { return file, nil }
