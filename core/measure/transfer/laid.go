package transfer

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"opengauge/core/bench/space"
	"opengauge/core/load/fileset"
	"opengauge/core/unit"
)

// SetFolder returns the name of the folder of a set that is laid out to be copied by hand: its contents
// follow from its name.
func SetFolder(set fileset.Set) string {
	return fmt.Sprintf("%s-%d-bytes-seed-%d", set.Name, set.Bytes(), set.Seed)
}

// LayOut writes a set's files into a new folder in a folder, to be copied by hand, and returns its path. An
// unfinished one is removed again.
func LayOut(ctx context.Context, in string, set fileset.Set, progress func(unit.Bytes)) (folder string, err error) {
	if room, err := space.Of(in); err == nil && room.Free < set.Bytes() {
		return "", fmt.Errorf("%s has %s free, and the set takes %s", in, room.Free.Decimal(), set.Bytes().Decimal())
	}
	folder = filepath.Join(in, SetFolder(set))
	if _, err := os.Lstat(folder); err == nil {
		return "", fmt.Errorf("%s is there already; check it with --check, or remove it", folder)
	}
	if err := Make(ctx, folder, set, progress); err != nil {
		if !errors.Is(err, fs.ErrExist) {
			err = errors.Join(err, os.RemoveAll(folder))
		}
		return "", err
	}
	return folder, nil
}

// Arrived is the result of comparing a set with a copy made by hand.
type Arrived struct {
	// Whole is how many files are as they were laid out.
	Whole int `json:"whole_files"`
	// Missing, Shorter and Differing are files that are not, by their places in the set, and Strange are
	// files beyond the set.
	Missing   []string `json:"missing"`
	Shorter   []string `json:"wrong_size"`
	Differing []string `json:"differing"`
	Strange   []string `json:"also_there"`
}

// OK reports whether all of it arrived whole. Further files do not matter.
func (a Arrived) OK() bool { return len(a.Missing)+len(a.Shorter)+len(a.Differing) == 0 }

// CheckLaidOut compares a folder with the set, byte for byte. The folder is the set's own, or the one that it
// is in. Progress is called with the bytes compared so far.
func CheckLaidOut(ctx context.Context, folder string, set fileset.Set, progress func(unit.Bytes)) (Arrived, error) {
	a := Arrived{Missing: []string{}, Shorter: []string{}, Differing: []string{}, Strange: []string{}}
	if info, err := os.Stat(filepath.Join(folder, SetFolder(set))); err == nil && info.IsDir() {
		folder = filepath.Join(folder, SetFolder(set))
	}
	if info, err := os.Stat(folder); err != nil || !info.IsDir() {
		return a, fmt.Errorf("there is no folder %s", folder)
	}
	known := map[string]bool{}
	done := unit.Bytes(0)
	for number, entry := range set.Entries {
		known[entry.Path] = true
		if err := a.compare(ctx, folder, set, number); err != nil {
			return a, err
		}
		if done += entry.Size; progress != nil {
			progress(done)
		}
	}
	return a, a.lookAround(folder, known)
}

// compare looks at one file.
func (a *Arrived) compare(ctx context.Context, folder string, set fileset.Set, number int) error {
	entry := set.Entries[number]
	path := filepath.Join(folder, filepath.FromSlash(entry.Path))
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		a.Missing = append(a.Missing, entry.Path)
		return nil
	case err != nil:
		return fmt.Errorf("looking at %s: %w", entry.Path, err)
	case !info.Mode().IsRegular():
		a.Differing = append(a.Differing, entry.Path)
		return nil
	case unit.Bytes(info.Size()) != entry.Size:
		a.Shorter = append(a.Shorter, entry.Path)
		return nil
	}
	same, err := holds(path, whileWanted{ctx, set.Content(number)})
	switch {
	case err != nil && ctx.Err() != nil:
		return ctx.Err()
	case err != nil: // what cannot be read did not arrive
		a.Differing = append(a.Differing, fmt.Sprintf("%s (%v)", entry.Path, err))
	case !same:
		a.Differing = append(a.Differing, entry.Path)
	default:
		a.Whole++
	}
	return nil
}

// holds reports whether a file begins with the content of a reader, and is as long.
func holds(path string, content io.Reader) (bool, error) {
	file, err := os.Open(path)
	if err != nil {
		return false, err
	}
	defer file.Close()
	found := make([]byte, block)
	wanted := make([]byte, block)
	for {
		n, err := io.ReadFull(file, found)
		if n > 0 {
			if _, made := io.ReadFull(content, wanted[:n]); made != nil {
				return false, made
			}
			if !bytes.Equal(found[:n], wanted[:n]) {
				return false, nil
			}
		}
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return true, nil
		case err != nil:
			return false, err
		}
	}
}

// mostStrange of the files that are there besides are named.
const mostStrange = 100

// lookAround finds files beyond the set.
func (a *Arrived) lookAround(folder string, known map[string]bool) error {
	return filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || len(a.Strange) >= mostStrange {
			return nil // what cannot be looked into is no part of the set
		}
		relative, err := filepath.Rel(folder, path)
		if err == nil && !known[strings.ReplaceAll(relative, string(filepath.Separator), "/")] {
			a.Strange = append(a.Strange, relative)
		}
		return nil
	})
}
