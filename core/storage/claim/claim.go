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

// Unborn reports whether a file may be one that its program has just made, and not claimed
// yet: programs write to what they make only once they have claimed it.
func Unborn(info fs.FileInfo) bool {
	const young = 2 * time.Second
	return info.Size() == 0 && time.Since(info.ModTime()) < young
}
