// Package scratch makes files and folders that a program removes again, under one scheme of names, with a
// mark beside them that names their owner: a later run finds and removes the leftovers of a killed one, and
// nothing else.
//
// The mark is a file that its owner keeps locked for as long as it lives. It names all its files before they
// are made. A [Folder] may be used by several goroutines at once; none is started.
package scratch

import (
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"opengauge/core/storage/claim"
	"opengauge/core/unit"
)

// Names of scratch files are prefix, kind, a number and suffix; names of marks are markPrefix, the number and
// markSuffix.
const (
	prefix     = "opengauge-"
	suffix     = ".tmp"
	markPrefix = ".opengauge-"
	markSuffix = ".mark"
	format     = "opengauge-mark/1"
)

// head is the first line of a mark, and entry each other one.
type (
	head struct {
		Format  string    `json:"format"`
		Process int       `json:"process"`
		Started time.Time `json:"started"`
	}
	entry struct {
		Name string `json:"name"`
		// Number is the file's number in its file system, once it was made; 0 is not known.
		Number uint64 `json:"number,omitempty"`
	}
)

// Folder is a folder in which this process has scratch files.
type Folder struct {
	path, id string
	mark     *os.File

	mutex sync.Mutex
	names []string
}

// In marks a folder as one in which this process is going to have scratch files.
func In(path string) (*Folder, error) {
	var number [8]byte
	_, _ = rand.Read(number[:])
	f := &Folder{path: path, id: hex.EncodeToString(number[:])}
	mark, err := os.OpenFile(f.markName(), os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	f.mark = mark
	// It says something only once it is locked: nobody takes one for dead before that.
	if err := errors.Join(claim.New(mark), f.note(head{format, os.Getpid(), time.Now().UTC()})); err != nil {
		return nil, errors.Join(err, claim.Remove(mark))
	}
	return f, nil
}

func (f *Folder) markName() string { return filepath.Join(f.path, markPrefix+f.id+markSuffix) }

// note writes a line into the mark.
func (f *Folder) note(line any) error {
	text, err := json.Marshal(line)
	if err != nil {
		return err
	}
	if _, err := f.mark.Write(append(text, '\n')); err != nil {
		return err
	}
	return f.mark.Sync()
}

// Name returns the path of the scratch file or folder that is made next. A few letters of it say its purpose.
func (f *Folder) Name(of string) (string, error) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	name := prefix + of + "-" + f.id
	if len(f.names) > 0 {
		name += fmt.Sprintf("-%d", len(f.names)+1)
	}
	name += suffix
	return filepath.Join(f.path, name), f.enter(name)
}

// enter enters a name, before there is such a file. The mutex is held.
func (f *Folder) enter(name string) error {
	if err := f.note(entry{Name: name}); err != nil {
		return fmt.Errorf("marking %s as a file to be removed: %w", name, err)
	}
	f.names = append(f.names, name)
	return nil
}

// Also enters a file that something else makes, beside one whose path [Folder.Name] gave and
// under a name that begins as that does.
func (f *Folder) Also(path string) error {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	return f.enter(filepath.Base(path))
}

// NoteMade notes which file it is that was made at a path that [Folder.Name] gave.
func (f *Folder) NoteMade(path string) error {
	info, err := os.Lstat(path)
	if err != nil {
		return err
	}
	f.mutex.Lock()
	defer f.mutex.Unlock()
	return f.note(entry{filepath.Base(path), numberOf(info)})
}

// Give renames a scratch file to its final name.
func (f *Folder) Give(path, name string) error {
	if err := os.Rename(path, name); err != nil {
		return err
	}
	f.Keep(path)
	return nil
}

// GiveNew does that where nothing has the name yet, and else gives fs.ErrExist.
func (f *Folder) GiveNew(path, name string) error {
	err := os.Link(path, name) // the other name is removed with what is left
	if err == nil || errors.Is(err, fs.ErrExist) {
		return err
	}
	if _, there := os.Lstat(name); there == nil {
		return &fs.PathError{Op: "link", Path: name, Err: fs.ErrExist}
	}
	return f.Give(path, name) // this file system has no second names for files
}

// Keep forgets a file that was removed or renamed already.
func (f *Folder) Keep(path string) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.names = slices.DeleteFunc(f.names, func(name string) bool { return name == filepath.Base(path) })
}

// Close removes all that is left, and the mark.
func (f *Folder) Close() error {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	var failed error
	for _, name := range f.names {
		if err := RemoveAll(filepath.Join(f.path, name)); err != nil {
			failed = errors.Join(failed, fmt.Errorf("a file could not be removed, remove it by hand: %w", err))
		}
	}
	f.names = nil
	if failed != nil {
		return errors.Join(failed, f.mark.Close()) // the mark says later that it is a leftover
	}
	return claim.Remove(f.mark)
}

// Leftover is a file or folder of a program that died before it could remove it.
type Leftover struct {
	Path string
	// Size is the size of a file, or of all files in a folder.
	Size unit.Bytes
}

// Sweep removes the leftovers of this user's dead programs from a folder, and tells of each. Files that only
// have such a name, or belong to a program that lives, stay.
func Sweep(folder string, tell func(Leftover)) error {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return nil // whoever uses the folder says it better
	}
	var failed error
	for _, each := range entries {
		name := each.Name()
		if strings.HasPrefix(name, markPrefix) && strings.HasSuffix(name, markSuffix) && each.Type().IsRegular() {
			failed = errors.Join(failed, sweepMark(folder, name, tell))
		}
	}
	return failed
}

// sweepMark removes the files of a mark, if its owner is dead.
func sweepMark(folder, name string, tell func(Leftover)) error {
	mark, err := claim.Dead(filepath.Join(folder, name))
	if err != nil || mark == nil {
		return nil // somebody else's
	}
	entries, ok := read(mark, strings.TrimSuffix(strings.TrimPrefix(name, markPrefix), markSuffix))
	if !ok {
		return mark.Close() // it only looks like a mark
	}
	var failed error
	for _, each := range entries {
		failed = errors.Join(failed, each.remove(folder, tell))
	}
	if failed != nil {
		return errors.Join(failed, mark.Close())
	}
	return claim.Remove(mark)
}

// largestMark is the most bytes that are read of a mark.
const largestMark = 1 << 20

// read returns the entries of a mark, the last line on each. An incomplete last line is ignored.
func read(mark *os.File, id string) ([]entry, bool) {
	info, err := mark.Stat()
	switch {
	case err != nil || info.Size() > largestMark:
		return nil, false
	case info.Size() == 0: // its program died as it made it
		return nil, true
	}
	text := make([]byte, info.Size())
	if _, err := mark.ReadAt(text, 0); err != nil {
		return nil, false
	}
	lines := strings.Split(string(text), "\n")
	var first head
	if json.Unmarshal([]byte(lines[0]), &first) != nil || first.Format != format {
		return nil, false
	}
	var entries []entry
	for _, line := range lines[1:] {
		var each entry
		if json.Unmarshal([]byte(line), &each) != nil || !belongs(each.Name, id) {
			continue
		}
		entries = slices.DeleteFunc(entries, func(e entry) bool { return e.Name == each.Name })
		entries = append(entries, each)
	}
	return entries, true
}

// belongs says whether a name is of the scheme, and of that mark.
func belongs(name, id string) bool {
	return strings.HasPrefix(name, prefix) && strings.Contains(name, "-"+id) && strings.Contains(name, suffix) &&
		filepath.Base(name) == name
}

// remove removes the file of an entry, if it is the one that was made.
func (e entry) remove(folder string, tell func(Leftover)) error {
	path := filepath.Join(folder, e.Name)
	info, err := os.Lstat(path)
	if err != nil || !claim.Own(info) || e.Number != 0 && numberOf(info) != e.Number ||
		!info.IsDir() && !info.Mode().IsRegular() {
		return nil
	}
	left := Leftover{Path: path, Size: unit.Bytes(size(path, info))}
	if err := RemoveAll(path); err != nil {
		return fmt.Errorf("removing what a killed run left: %w", err)
	}
	tell(left)
	return nil
}

func size(path string, info fs.FileInfo) int64 {
	if !info.IsDir() {
		return info.Size()
	}
	total := int64(0)
	_ = filepath.WalkDir(path, func(_ string, each fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		if file, err := each.Info(); err == nil && file.Mode().IsRegular() {
			total += file.Size()
		}
		return nil
	})
	return total
}
