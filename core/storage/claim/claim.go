// Package claim locks files against other programs, for as long as they are open: a program
// that dies lets go of them. It is for any goroutine.
package claim

import (
	"errors"
	"io/fs"
	"os"
	"time"
)

// ErrHeld says that another program holds the file.
var ErrHeld = errors.New("another program holds it")

// New claims a file that this program has just made. Others who look at it may hold it for a
// moment.
func New(file *os.File) error {
	const within, pause = 2 * time.Second, 5 * time.Millisecond
	for began := time.Now(); ; time.Sleep(pause) {
		if err := File(file); !errors.Is(err, ErrHeld) || time.Since(began) > within {
			return err
		}
	}
}

// Dead opens and claims a file of this user whose program is dead. It gives nil where that
// lives, or another program was quicker: programs write to what they make only once they
// have claimed it, so that what is empty may be of one that is about to.
func Dead(path string) (*os.File, error) {
	file, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return nil, err
	}
	info, err := file.Stat()
	if err != nil || !Own(info) || unborn(info) || File(file) != nil {
		return nil, file.Close()
	}
	if !stillAt(path, info) {
		return nil, file.Close()
	}
	return file, nil
}

// At opens or makes a file and claims it, or gives [ErrHeld]: one that stands for something that
// one program does at a time. [Remove] lets go of it.
func At(path string) (*os.File, error) {
	for {
		file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
		if err != nil {
			return nil, err
		}
		if err := File(file); err != nil {
			return nil, errors.Join(err, file.Close())
		}
		// Whoever had it before removed it, maybe after it was opened here.
		info, err := file.Stat()
		if err == nil && stillAt(path, info) {
			return file, nil
		}
		if err := errors.Join(err, file.Close()); err != nil {
			return nil, err
		}
	}
}

// stillAt says whether a path leads to a file that was opened there.
func stillAt(path string, opened fs.FileInfo) bool {
	now, err := os.Lstat(path)
	return err == nil && os.SameFile(opened, now)
}

func unborn(info fs.FileInfo) bool {
	const young = 2 * time.Second
	return info.Size() == 0 && time.Since(info.ModTime()) < young
}

// Remove removes a claimed file, and lets go of it. Some systems remove no file that is open;
// there another program may find it dead and remove it in between, which changes nothing.
func Remove(file *os.File) error {
	removed, closed := os.Remove(file.Name()), file.Close()
	if removed != nil {
		removed = os.Remove(file.Name())
	}
	if errors.Is(removed, fs.ErrNotExist) {
		removed = nil
	}
	return errors.Join(removed, closed)
}
