// Package input reads the files that people name: plans, bench books, recordings, certificates, photos. A file
// may be a pipe, or something without an end: no more is read of it than a file of its kind may have.
//
// Its functions may be called by several goroutines at once; a reader of [Lines] belongs to one.
package input

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
)

// The most bytes that files of a kind may have. People write a thousandth of it by hand.
const (
	Text  = 4_000_000
	Photo = 40_000_000
	// Line is the most bytes of a line of a table.
	Line = 4_000_000
)

// ErrTooLarge says that a file has more than it may.
var ErrTooLarge = errors.New("it has more than such a file may have")

// ReadFile reads a file of at most so many bytes.
func ReadFile(name string, most int64) ([]byte, error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	info, err := file.Stat()
	switch {
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, fmt.Errorf("%s is a folder; name a file", name)
	case info.Mode().IsRegular() && info.Size() > most:
		return nil, tooLarge(name, most)
	}
	content, err := io.ReadAll(io.LimitReader(file, most+1))
	if err == nil && int64(len(content)) > most {
		err = tooLarge(name, most)
	}
	return content, err
}

func tooLarge(name string, most int64) error {
	return fmt.Errorf("%s: %w: %d bytes", name, ErrTooLarge, most)
}

// Lines returns a reader that fails at a line of more than [Line] bytes: whoever reads a table keeps a whole
// line of it.
func Lines(r io.Reader) io.Reader { return &lines{from: bufio.NewReaderSize(r, 1<<16)} }

type lines struct {
	from   *bufio.Reader
	length int
}

func (l *lines) Read(into []byte) (int, error) {
	count, err := l.from.Read(into)
	for _, letter := range into[:count] {
		if letter == '\n' {
			l.length = 0
			continue
		}
		if l.length++; l.length > Line {
			return 0, fmt.Errorf("a line has more than %d bytes, which no table has", Line)
		}
	}
	return count, err
}
