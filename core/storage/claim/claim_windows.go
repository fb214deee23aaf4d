package claim

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/windows"
)

// File claims an open file, or gives [ErrHeld]. It locks a byte that is far behind what the
// file holds: others may read it (LockFileEx).
func File(file *os.File) error {
	far := windows.Overlapped{Offset: 0, OffsetHigh: 1 << 30}
	const flags = windows.LOCKFILE_EXCLUSIVE_LOCK | windows.LOCKFILE_FAIL_IMMEDIATELY
	err := windows.LockFileEx(windows.Handle(file.Fd()), flags, 0, 1, 0, &far)
	if errors.Is(err, windows.ERROR_LOCK_VIOLATION) {
		return ErrHeld
	}
	return err
}

// Own is not told apart here: what the user cannot open is not theirs.
func Own(fs.FileInfo) bool { return true }
