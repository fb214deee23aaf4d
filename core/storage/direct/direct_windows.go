package direct

import (
	"errors"
	"io"
	"io/fs"
	"os"

	"golang.org/x/sys/windows"
)

const pageSize = 4096

// Create makes a new file whose reads and writes bypass the cache. Queues open it
// again for writing, so that is shared.
func Create(path string, _ fs.FileMode) (file *os.File, direct bool, err error) {
	const access = windows.GENERIC_READ | windows.GENERIC_WRITE
	return open(path, access, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE, windows.CREATE_NEW)
}

// Open opens an existing file to read it past the cache. Nobody may write to it meanwhile.
func Open(path string) (file *os.File, direct bool, err error) {
	return open(path, windows.GENERIC_READ, windows.FILE_SHARE_READ, windows.OPEN_EXISTING)
}

func open(path string, access, share, disposition uint32) (*os.File, bool, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return nil, false, &os.PathError{Op: "open", Path: path, Err: err}
	}
	handle, err := windows.CreateFile(name, access, share, nil, disposition, windows.FILE_FLAG_NO_BUFFERING, 0)
	past := true
	if errors.Is(err, windows.ERROR_INVALID_PARAMETER) {
		handle, err = windows.CreateFile(name, access, share, nil, disposition, windows.FILE_ATTRIBUTE_NORMAL, 0)
		past = false
	}
	if err != nil {
		return nil, false, &os.PathError{Op: "open", Path: path, Err: err}
	}
	return os.NewFile(uintptr(handle), path), past, nil
}

// Reopen opens a file that was open before, with flags of os.OpenFile.
func Reopen(path string, flags int, _ bool) (*os.File, error) {
	access := uint32(windows.GENERIC_READ)
	if flags&os.O_RDWR != 0 {
		access |= windows.GENERIC_WRITE
	}
	file, _, err := open(path, access, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE, windows.OPEN_EXISTING)
	return file, err
}

// Drop does what this system offers: it writes back. Pages stay cached.
func Drop(file *os.File) error { return file.Sync() }

// Forgets says that [Forget] does not work here.
const Forgets = false

// ReadAt reads at an offset; at the end of the file it gives what there is, and io.EOF.
// It is one call: another for what is missing would be at an offset that is refused.
func ReadAt(file *os.File, into []byte, offset int64) (int, error) {
	var read uint32
	at := windows.Overlapped{Offset: uint32(offset), OffsetHigh: uint32(offset >> 32)}
	err := windows.ReadFile(windows.Handle(file.Fd()), into, &read, &at)
	switch {
	case errors.Is(err, windows.ERROR_HANDLE_EOF), err == nil && int(read) < len(into):
		return int(read), io.EOF
	case err != nil:
		return int(read), &os.PathError{Op: "read", Path: file.Name(), Err: err}
	}
	return int(read), nil
}

// Flusher is the call that puts what was written on stable media.
func Flusher(*os.File) (call string, whole bool) { return "FlushFileBuffers", true }

// Forget is not there on this system.
func Forget(string) error { return errors.ErrUnsupported }

// Reserve sets the file's size; the space itself is taken by filling it.
func Reserve(file *os.File, size int64) error { return file.Truncate(size) }
