package target

import (
	"os"

	"golang.org/x/sys/windows"
)

// claim marks a test file as in use, by a lock on a byte that is far behind its data.
func claim(file *os.File) { _ = lock(file) }

// unclaimed says whether no living process uses a test file: the lock of one that
// does cannot be had.
func unclaimed(name string) bool {
	file, err := os.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		return false
	}
	defer file.Close()
	return lock(file) == nil
}

func lock(file *os.File) error {
	far := windows.Overlapped{Offset: 0, OffsetHigh: 1 << 30}
	const flags = windows.LOCKFILE_EXCLUSIVE_LOCK | windows.LOCKFILE_FAIL_IMMEDIATELY
	return windows.LockFileEx(windows.Handle(file.Fd()), flags, 0, 1, 0, &far)
}
