// Package survey finds out what a machine has: its storage devices, the hops
// from the root of the machine to each, how warm and how healthy they are, and
// what else a measurement depends on. It reads the files by which the kernel
// tells of itself (sysfs and procfs on Linux), of this machine or of a captured
// one. What cannot be read is unknown, and never guessed.
package survey

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"iter"
	"os"
	"path"
	"path/filepath"
	"strconv"
	"strings"
)

// Machine is a machine that is looked at: this one, or the files of another.
type Machine struct {
	files source
	// live says that it is this machine, whose devices can be asked.
	live bool
}

// source is a tree of files, folders and links. Paths are relative to its root
// and hold no links but the last name's.
type source interface {
	read(path string) ([]byte, error)
	target(path string) (string, error)
	list(path string) ([]string, error)
}

// Here is this machine.
func Here() *Machine { return &Machine{files: diskTree("/"), live: true} }

// Under is the machine whose files are under a folder, or in a capture.
func Under(place string) (*Machine, error) {
	info, err := os.Stat(place)
	if err != nil {
		return nil, fmt.Errorf("could not look at %s: %w", place, err)
	}
	if !info.IsDir() {
		return openCapture(place)
	}
	if _, err := os.Stat(filepath.Join(place, "sys")); err != nil {
		return nil, fmt.Errorf("%s holds no folder \"sys\"; name the folder that a machine's sys and proc are in, or a capture", place)
	}
	return &Machine{files: diskTree(place)}, nil
}

const (
	// largestFile is far above any file that a survey reads.
	largestFile = 256 << 10
	// mostLinks are followed before a path is given up.
	mostLinks = 40
)

// diskTree is a folder of this machine as a source.
type diskTree string

func (d diskTree) read(name string) ([]byte, error) {
	file, err := os.Open(filepath.Join(string(d), name))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if info, err := file.Stat(); err != nil || !info.Mode().IsRegular() {
		return nil, fs.ErrInvalid
	}
	return io.ReadAll(io.LimitReader(file, largestFile))
}

func (d diskTree) target(name string) (string, error) {
	return os.Readlink(filepath.Join(string(d), name))
}

func (d diskTree) list(name string) ([]string, error) {
	entries, err := os.ReadDir(filepath.Join(string(d), name))
	if err != nil {
		return nil, err
	}
	names := make([]string, len(entries))
	for at, entry := range entries {
		names[at] = entry.Name()
	}
	return names, nil
}

// errOutside says that a link leads out of the tree.
var errOutside = errors.New("a link leads outside")

// resolve follows the links of a path, within the tree.
func (m *Machine) resolve(name string) (string, error) {
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
		target, err := m.files.target(at)
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

// upwards gives a folder of sysfs and those that it is in, up to the machine's
// root.
func upwards(folder string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for len(folder) > len("sys/devices") && yield(folder) {
			folder = path.Dir(folder)
		}
	}
}

// text reads one of the kernel's short texts. It is empty where there is none.
func (m *Machine) text(elements ...string) string {
	return strings.TrimSpace(strings.ToValidUTF8(m.raw(elements...), "?"))
}

// raw reads a file as it is. It is empty where there is none.
func (m *Machine) raw(elements ...string) string {
	name, err := m.resolve(path.Join(elements...))
	if err != nil {
		return ""
	}
	content, err := m.files.read(name)
	if err != nil {
		return ""
	}
	return string(content)
}

// number reads a text that begins with a number, and whether it does.
func (m *Machine) number(elements ...string) (float64, bool) {
	first, _, _ := strings.Cut(m.text(elements...), " ")
	value, err := strconv.ParseFloat(first, 64)
	return value, err == nil
}

// names lists a folder, or gives nothing.
func (m *Machine) names(elements ...string) []string {
	name, err := m.resolve(path.Join(elements...))
	if err != nil {
		return nil
	}
	names, _ := m.files.list(name)
	return names
}

// exists says whether there is such a file or folder.
func (m *Machine) exists(elements ...string) bool {
	name, err := m.resolve(path.Join(elements...))
	if err != nil {
		return false
	}
	if _, err := m.files.list(name); err == nil {
		return true
	}
	_, err = m.files.read(name)
	return err == nil
}

// linkName is the last name of what a link leads to: the driver of a device.
func (m *Machine) linkName(elements ...string) string {
	full := path.Join(elements...)
	parent, err := m.resolve(path.Dir(full))
	if err != nil {
		return ""
	}
	target, err := m.files.target(path.Join(parent, path.Base(full)))
	if err != nil {
		return ""
	}
	return path.Base(target)
}
