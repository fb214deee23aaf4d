package transfer

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
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
		content := whileWanted{ctx, set.Content(number)}
		if err := makeFile(filepath.Join(folder, filepath.FromSlash(entry.Path)), content, entry.Size); err != nil {
			return fmt.Errorf("could not make the file set in %s: %w", folder, err)
		}
		done += entry.Size
		if progress != nil {
			progress(done)
		}
	}
	return direct.FlushFolder(folder)
}

// whileWanted reads until the context is over.
type whileWanted struct {
	ctx  context.Context
	from io.Reader
}

func (w whileWanted) Read(into []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.from.Read(into)
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

// dropSource drops the system's cache of the source; false where it cannot.
func (w *work) dropSource() bool {
	for _, entry := range w.set.Entries {
		if direct.Forget(filepath.Join(w.Source, filepath.FromSlash(entry.Path))) != nil {
			return false
		}
	}
	return true
}

// verify compares every file of the copy with its source.
func (w *work) verify(ctx context.Context, made *session.Copy) error {
	for _, entry := range w.set.Entries {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		copied := filepath.Join(w.Made, filepath.FromSlash(entry.Path))
		same, cached, err := sameContent(filepath.Join(w.Source, filepath.FromSlash(entry.Path)), copied)
		if err != nil {
			return fmt.Errorf("comparing %s: %w", entry.Path, err)
		}
		made.Verified++
		made.VerifiedFromCache = made.VerifiedFromCache || cached
		if !same {
			made.Differing++
		}
	}
	return nil
}

// sameContent compares a file with its copy. The copy is read from the storage that it
// is on; cached says that it may have come from the system's cache all the same.
func sameContent(source, copied string) (same, cached bool, err error) {
	first, err := os.Open(source)
	if err != nil {
		return false, false, err
	}
	defer first.Close()
	open := func(path string) (*os.File, bool, error) {
		file, err := os.Open(path)
		return file, true, err
	}
	if direct.Forget(copied) != nil {
		open = direct.Open
	}
	second, past, err := open(copied)
	if err != nil {
		return false, false, err
	}
	defer second.Close()
	cached = !past
	a := make([]byte, block)
	b := direct.Buffer(int(block))
	for offset := int64(0); ; offset += int64(block) {
		n, errA := first.ReadAt(a, offset)
		m, errB := direct.ReadAt(second, b, offset)
		switch {
		case errA != nil && !errors.Is(errA, io.EOF):
			return false, cached, errA
		case errB != nil && !errors.Is(errB, io.EOF):
			return false, cached, errB
		case !bytes.Equal(a[:n], b[:m]):
			return false, cached, nil
		case n < int(block):
			return true, cached, nil
		}
	}
}
