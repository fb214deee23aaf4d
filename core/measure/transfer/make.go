package transfer

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"opengauge/core/load/fileset"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// Make writes a set's files into a new folder, and sees that none of it stays in the
// system's cache. progress is told how many bytes are written; it may be nil.
func Make(ctx context.Context, folder string, set fileset.Set, progress func(unit.Bytes)) error {
	if err := os.Mkdir(folder, 0o755); err != nil {
		return fmt.Errorf("could not make a folder for the file set: %w", err)
	}
	done := unit.Bytes(0)
	for number, entry := range set.Entries {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := makeFile(filepath.Join(folder, filepath.FromSlash(entry.Path)), set.Content(number),
			entry.Size); err != nil {
			return fmt.Errorf("could not make the file set in %s: %w", folder, err)
		}
		done += entry.Size
		if progress != nil {
			progress(done)
		}
	}
	return direct.FlushFolder(folder)
}

func makeFile(path string, content io.Reader, size unit.Bytes) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	defer file.Close()
	out := bufio.NewWriterSize(file, int(block))
	if _, err := io.CopyN(out, content, int64(size)); err != nil {
		return err
	}
	if err := out.Flush(); err != nil {
		return err
	}
	return file.Close()
}

// dropSource forgets what the system has cached of the source; false where it
// cannot.
func (w *work) dropSource() bool {
	for _, entry := range w.set.Entries {
		if direct.Forget(filepath.Join(w.Source, filepath.FromSlash(entry.Path))) != nil {
			return false
		}
	}
	return true
}

// verify compares every file of the copy with its source.
func (w *work) verify(ctx context.Context) (checked, differing int, err error) {
	for _, entry := range w.set.Entries {
		if ctx.Err() != nil {
			return checked, differing, ctx.Err()
		}
		made := filepath.Join(w.Made, filepath.FromSlash(entry.Path))
		_ = direct.Forget(made) // so that the copy comes from the destination again
		same, err := sameContent(filepath.Join(w.Source, filepath.FromSlash(entry.Path)), made)
		if err != nil {
			return checked, differing, fmt.Errorf("comparing %s: %w", entry.Path, err)
		}
		if checked++; !same {
			differing++
		}
	}
	return checked, differing, nil
}

func sameContent(one, other string) (bool, error) {
	first, err := os.Open(one)
	if err != nil {
		return false, err
	}
	defer first.Close()
	second, err := os.Open(other)
	if err != nil {
		return false, err
	}
	defer second.Close()
	a, b := make([]byte, block), make([]byte, block)
	for {
		n, errA := io.ReadFull(first, a)
		m, errB := io.ReadFull(second, b)
		if !bytes.Equal(a[:n], b[:m]) {
			return false, nil
		}
		switch {
		case ended(errA) && ended(errB):
			return true, nil
		case errA != nil && !ended(errA):
			return false, errA
		case errB != nil && !ended(errB):
			return false, errB
		case ended(errA) != ended(errB):
			return false, nil
		}
	}
}

func ended(err error) bool { return err == io.EOF || err == io.ErrUnexpectedEOF }
