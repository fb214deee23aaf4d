package cli

import (
	"fmt"
	"io"
	"os"
	"sync"
)

// loss is the first error of writing to an output.
type loss struct {
	mutex sync.Mutex
	err   error
}

func (l *loss) note(err error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if err != nil && l.err == nil {
		l.err = err
	}
}

// cause says why an output is not whole, or nothing.
func (l *loss) cause() error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if l.err == nil {
		return nil
	}
	return fmt.Errorf("the output could not be written: %w", l.err)
}

// outlet is an output whose first error of writing is not forgotten.
type outlet struct {
	io.Writer
	lost *loss
}

func (o outlet) Write(text []byte) (int, error) {
	written, err := o.Writer.Write(text)
	o.lost.note(err)
	return written, err
}

// fileOutlet is one that is a file, and so may be a terminal.
type fileOutlet struct {
	*os.File
	lost *loss
}

func (o fileOutlet) Write(text []byte) (int, error) {
	written, err := o.File.Write(text)
	o.lost.note(err)
	return written, err
}

// WriteString is not the file's own, whose errors would pass by.
func (o fileOutlet) WriteString(text string) (int, error) { return o.Write([]byte(text)) }

// ReadFrom is not the file's own either.
func (o fileOutlet) ReadFrom(from io.Reader) (int64, error) {
	return io.Copy(struct{ io.Writer }{o}, from)
}

func outletTo(w io.Writer) (io.Writer, *loss) {
	lost := &loss{}
	if file, ok := w.(*os.File); ok {
		return fileOutlet{file, lost}, lost
	}
	return outlet{w, lost}, lost
}
