package target

import (
	"errors"
	"fmt"
	"os"

	"opengauge/core/storage/direct"
)

// Reopen goes on with the storage after it had vanished. If the file is still open and answers, it is kept
// with its claim; else it is opened anew, if it is the same. Queues that were open before are of no use any
// more.
func (k *kernelFile) Reopen(ours Recognise) error {
	if k.Answers() == nil {
		return k.recognise(k.file, ours)
	}
	if k.description.Kind == Device {
		return k.reopenDevice(ours)
	}
	return k.reopenFile(ours)
}

// reopenFile opens a file anew; for writing only if it has the data that this run wrote.
func (k *kernelFile) reopenFile(ours Recognise) error {
	name := k.file.Name()
	file, err := k.openAgain(name, os.O_RDONLY)
	if err != nil {
		return err
	}
	if err := errors.Join(Resembles(name, k.description.Writable, false, ours), k.recognise(file, ours)); err != nil ||
		!k.description.Writable {
		return k.goOnWith(file, err)
	}
	writable, err := k.openAgain(name, os.O_RDWR)
	if err == nil && !sameFile(file, writable) {
		err = errors.Join(&StrangerError{name, "it was replaced while it was looked at"}, writable.Close())
	}
	if err = errors.Join(err, file.Close()); err != nil {
		return err
	}
	return k.goOnWith(writable, nil)
}

// openAgain opens a file that is no link and is no shorter than before.
func (k *kernelFile) openAgain(name string, flags int) (*os.File, error) {
	file, err := direct.Reopen(name, flags, k.description.Direct)
	if err != nil {
		return nil, explain("open", name, err)
	}
	info, err := file.Stat()
	if err != nil {
		return nil, errors.Join(explain("open", name, err), file.Close())
	}
	entry, err := os.Lstat(name)
	switch {
	case err != nil:
	case k.home != nil && !os.SameFile(entry, info):
		err = &StrangerError{name, "it is a link, and was a file"}
	case !info.Mode().IsRegular():
		err = &StrangerError{name, "it is no plain file, and was one"}
	case info.Size() < int64(k.description.Span):
		err = &StrangerError{name, fmt.Sprintf("it has %d bytes, fewer than before", info.Size())}
	}
	if err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}

func sameFile(a, b *os.File) bool {
	first, err := a.Stat()
	if err != nil {
		return false
	}
	second, err := b.Stat()
	return err == nil && os.SameFile(first, second)
}

// recognise tries a read, and looks for the data that this run wrote.
func (k *kernelFile) recognise(file *os.File, ours Recognise) error {
	if _, err := file.ReadAt(direct.Buffer(int(probeSize)), 0); !k.answered(err) {
		return explain("read", file.Name(), err)
	}
	if ours == nil {
		return nil
	}
	return ours(file)
}

// goOnWith takes a file in place of the one that was open, or closes it if it is not to
// be used.
func (k *kernelFile) goOnWith(file *os.File, err error) error {
	if err != nil {
		return errors.Join(err, file.Close())
	}
	_ = k.file.Close()
	k.file = file
	return nil
}

// release gives up the claim on a device.
func (k *kernelFile) release() error {
	if k.claimed == nil {
		return nil
	}
	err := k.claimed.Close()
	k.claimed = nil
	return err
}
