// Package kernel reads the files by which the kernel tells of itself (sysfs and procfs
// on Linux), of this machine or of a captured one, and its table of mounts. What
// cannot be read is unknown, and never guessed; [Tree.Read] says why.
//
// A Tree may be read by several goroutines at once.
package kernel

import (
	"errors"
	"io"
	"io/fs"
	"math"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"
)

// Files is a tree of files, folders and links. Paths are relative to its root
// and hold no links but the last name's.
type Files interface {
	Read(path string) ([]byte, error)
	Target(path string) (string, error)
	List(path string) ([]string, error)
}

// Tree reads the kernel's own files: of this machine, or of the files of another.
type Tree struct{ files Files }

// Here is this machine's.
func Here() Tree { return Tree{diskTree("/")} }

// Under is that of the files under a folder.
func Under(folder string) Tree { return Tree{diskTree(folder)} }

// Of is that of files kept in another way.
func Of(files Files) Tree { return Tree{files} }

const (
	// LargestFile is far above any file that the kernel tells of itself in.
	LargestFile = 256 << 10
	// mostLinks are followed before a path is given up.
	mostLinks = 40
)

// diskTree is a folder of this machine as files.
type diskTree string

func (d diskTree) Read(name string) ([]byte, error) {
	file, err := os.Open(filepath.Join(string(d), name))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if info, err := file.Stat(); err != nil || !info.Mode().IsRegular() {
		return nil, fs.ErrInvalid
	}
	return io.ReadAll(io.LimitReader(file, LargestFile))
}

func (d diskTree) Target(name string) (string, error) {
	return os.Readlink(filepath.Join(string(d), name))
}

func (d diskTree) List(name string) ([]string, error) {
	entries, err := os.ReadDir(filepath.Join(string(d), name))
	if err != nil {
		return nil, err
	}
	names := make([]string, len(entries))
	for i, entry := range entries {
		names[i] = entry.Name()
	}
	return names, nil
}

// errOutside says that a link leads out of the tree.
var errOutside = errors.New("a link leads outside")

// Resolve follows the links of a path, within the tree.
func (t Tree) Resolve(name string) (string, error) {
	pending := strings.Split(path.Clean("/" + name)[1:], "/")
	var done []string
	for links := 0; len(pending) > 0; {
		next := pending[0]
		pending = pending[1:]
		switch next {
		case "", ".":
			continue
		case "..":
			if len(done) == 0 {
				return "", errOutside
			}
			done = done[:len(done)-1]
			continue
		}
		at := path.Join(append(done, next)...)
		target, err := t.files.Target(at)
		if err != nil { // no link
			done = append(done, next)
			continue
		}
		if links++; links > mostLinks {
			return "", errors.New("too many links")
		}
		if strings.HasPrefix(target, "/") {
			done = nil
		}
		pending = append(strings.Split(target, "/"), pending...)
	}
	return path.Join(done...), nil
}

// Text reads one of the kernel's short texts. It is empty where there is none.
func (t Tree) Text(elements ...string) string {
	return strings.TrimSpace(strings.ToValidUTF8(t.Raw(elements...), "?"))
}

// Raw reads a file as it is. It is empty where there is none.
func (t Tree) Raw(elements ...string) string {
	name, err := t.Resolve(path.Join(elements...))
	if err != nil {
		return ""
	}
	content, err := t.files.Read(name)
	if err != nil {
		return ""
	}
	return string(content)
}

// Number reads a text that begins with a number, and whether it does. What is not
// finite is none.
func (t Tree) Number(elements ...string) (float64, bool) {
	first, _, _ := strings.Cut(t.Text(elements...), " ")
	value, err := strconv.ParseFloat(first, 64)
	return value, err == nil && !math.IsNaN(value) && !math.IsInf(value, 0)
}

// Names lists a folder, or gives nothing.
func (t Tree) Names(elements ...string) []string {
	name, err := t.Resolve(path.Join(elements...))
	if err != nil {
		return nil
	}
	names, _ := t.files.List(name)
	return names
}

// Exists reports whether there is such a file or folder.
func (t Tree) Exists(elements ...string) bool {
	name, err := t.Resolve(path.Join(elements...))
	if err != nil {
		return false
	}
	if _, err := t.files.List(name); err == nil {
		return true
	}
	_, err = t.files.Read(name)
	return err == nil
}

// LinkName is the last name of what a link leads to: the driver of a device.
func (t Tree) LinkName(elements ...string) string {
	full := path.Join(elements...)
	parent, err := t.Resolve(path.Dir(full))
	if err != nil {
		return ""
	}
	target, err := t.files.Target(path.Join(parent, path.Base(full)))
	if err != nil {
		return ""
	}
	return path.Base(target)
}

// Files are the files that the tree is of.
func (t Tree) Files() Files { return t.files }

// Read reads a file as it is, and says why it cannot: that it is not there is
// another thing than that it may not be read.
func (t Tree) Read(elements ...string) ([]byte, error) {
	name, err := t.Resolve(path.Join(elements...))
	if err != nil {
		return nil, err
	}
	return t.files.Read(name)
}
