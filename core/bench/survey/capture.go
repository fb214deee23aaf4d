package survey

import (
	"archive/tar"
	"bufio"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strings"
	"time"

	"opengauge/core/bench/kernel"
	"opengauge/core/bench/macos"
	"opengauge/core/bench/network"
	"opengauge/core/bench/windows"
)

// Bounds of a capture: far above what a machine with thousands of devices has,
// and far below what would hurt.
const (
	largestCapture = 64 << 20
	mostEntries    = 500_000
)

// entry is a file, a link or a folder of a captured machine.
type entry struct {
	content []byte
	target  string
	names   []string
	folder  bool
}

// tree is a captured machine in memory.
type tree map[string]*entry

func (t tree) find(name string) (*entry, error) {
	found, ok := t[path.Clean("/" + name)[1:]]
	if !ok {
		return nil, fs.ErrNotExist
	}
	return found, nil
}

func (t tree) Read(name string) ([]byte, error) {
	found, err := t.find(name)
	switch {
	case err != nil:
		return nil, err
	case found.folder || found.target != "":
		return nil, fs.ErrInvalid
	}
	return found.content, nil
}

func (t tree) Target(name string) (string, error) {
	found, err := t.find(name)
	switch {
	case err != nil:
		return "", err
	case found.target == "":
		return "", fs.ErrInvalid
	}
	return found.target, nil
}

func (t tree) List(name string) ([]string, error) {
	found, err := t.find(name)
	switch {
	case err != nil:
		return nil, err
	case !found.folder:
		return nil, fs.ErrInvalid
	}
	return found.names, nil
}

// put enters something and the folders above it. A folder stays one.
func (t tree) put(name string, e *entry) {
	known, ok := t[name]
	if ok && known.folder {
		return
	}
	t[name] = e
	if ok || name == "" {
		return
	}
	parent := path.Dir(name)
	if parent == "." {
		parent = ""
	}
	t.put(parent, &entry{folder: true})
	t[parent].names = append(t[parent].names, path.Base(name))
}

// openCapture reads a capture into memory.
func openCapture(name string) (*Machine, error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, fmt.Errorf("could not open the capture: %w", err)
	}
	defer file.Close()
	machine, err := readMachine(file)
	if err != nil {
		return nil, fmt.Errorf("%s is not a capture of a machine: %w; make one with opengauge survey --capture "+
			"FILE.tar.gz", name, err)
	}
	return machine, nil
}

// readMachine reads a capture, or the dump of a registry of macOS alone.
func readMachine(r io.Reader) (*Machine, error) {
	begin := bufio.NewReader(r)
	if head, _ := begin.Peek(len(plistHead)); string(head) == plistHead {
		data, err := io.ReadAll(io.LimitReader(begin, largestCapture+1))
		if err == nil && len(data) > largestCapture {
			err = fmt.Errorf("it is larger than %d MiB", largestCapture>>20)
		}
		if err != nil {
			return nil, err
		}
		return machineOf(tree{macosFile: {content: data}})
	}
	captured, err := readCapture(begin)
	if err != nil {
		return nil, err
	}
	return machineOf(captured)
}

// plistHead is how a property list begins.
const plistHead = "<?xml"

// machineOf is the machine whose files were captured, of whatever system it is.
func machineOf(captured tree) (*Machine, error) {
	if found, ok := captured[windowsFile]; ok {
		answers, err := windows.ReadCapture(found.content)
		if err != nil {
			return nil, fmt.Errorf("its %s cannot be read: %w", windowsFile, err)
		}
		return &Machine{Tree: kernel.Of(tree{}), other: windowsMachine{answers}}, nil
	}
	if found, ok := captured[macosFile]; ok {
		read, err := macos.Read(found.content)
		if err != nil {
			return nil, fmt.Errorf("its %s cannot be read: %w", macosFile, err)
		}
		again := func() (*macos.Machine, error) { return read, nil }
		return &Machine{Tree: kernel.Of(tree{}), other: macosMachine{again}}, nil
	}
	if _, ok := captured["sys"]; !ok {
		return nil, fmt.Errorf("it holds neither a folder \"sys\" (Linux) nor %s nor %s", windowsFile, macosFile)
	}
	return &Machine{Tree: kernel.Of(captured)}, nil
}

func readCapture(r io.Reader) (tree, error) {
	packed, err := gzip.NewReader(r)
	if err != nil {
		return nil, err
	}
	captured, total := tree{"": {folder: true}}, 0
	for archive := tar.NewReader(packed); ; {
		header, err := archive.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		name := path.Clean("/" + header.Name)[1:]
		if name != strings.TrimSuffix(header.Name, "/") {
			return nil, fmt.Errorf("the entry %q is outside of it", header.Name)
		}
		made := &entry{}
		switch header.Typeflag {
		case tar.TypeDir:
			made.folder = true
		case tar.TypeSymlink:
			made.target = header.Linkname
		case tar.TypeReg:
			most := int64(kernel.LargestFile)
			if name == windowsFile || name == macosFile {
				most = largestCapture
			}
			if made.content, err = io.ReadAll(io.LimitReader(archive, most+1)); err != nil {
				return nil, err
			}
			if int64(len(made.content)) > most {
				return nil, fmt.Errorf("the file %q is larger than %d KiB", name, most>>10)
			}
		default:
			return nil, fmt.Errorf("the entry %q is neither a file nor a folder nor a link", name)
		}
		if total += len(made.content) + len(name) + len(made.target); total > largestCapture ||
			len(captured) > mostEntries {
			return nil, fmt.Errorf("it is larger than %d MiB or %d entries", largestCapture>>20, mostEntries)
		}
		captured.put(name, made)
	}
	for _, each := range captured {
		slices.Sort(each.names)
	}
	return captured, nil
}

// recorder is a tree of files that remembers what was read through it.
type recorder struct {
	kernel.Files
	seen tree
	// mask changes a file's content before it is remembered.
	mask func(name string, content []byte) []byte
}

func (r *recorder) Read(name string) ([]byte, error) {
	content, err := r.Files.Read(name)
	if err == nil {
		r.seen.put(name, &entry{content: r.mask(name, content)})
	}
	return content, err
}

func (r *recorder) Target(name string) (string, error) {
	target, err := r.Files.Target(name)
	if err == nil {
		r.seen.put(name, &entry{target: target})
	}
	return target, err
}

func (r *recorder) List(name string) ([]string, error) {
	names, err := r.Files.List(name)
	if err != nil {
		return nil, err
	}
	r.seen.put(name, &entry{folder: true})
	for _, child := range names { // so that the list is the same elsewhere
		at := path.Join(name, child)
		if _, seen := r.seen[at]; seen {
			continue
		}
		if target, err := r.Files.Target(at); err == nil {
			r.seen.put(at, &entry{target: target})
		} else {
			r.seen.put(at, &entry{})
		}
	}
	return names, nil
}

// Capture surveys the machine and packs just what that read, for [Under]
// elsewhere. Serial numbers are masked if that is asked for.
func (m *Machine) Capture(w io.Writer, anonymous bool) ([]Device, error) {
	if m.other != nil {
		var mask func(string) string
		if anonymous {
			mask = masked
		}
		devices, untold, err := m.other.capture(w, mask)
		m.keep(untold)
		return devices, err
	}
	r := &recorder{Files: m.Files(), seen: tree{"": {folder: true}},
		mask: func(_ string, content []byte) []byte { return content }}
	if anonymous {
		r.mask = maskFile
	}
	told := network.Record(m.asked())
	watched := &Machine{Tree: kernel.Of(r), live: m.live, asker: told}
	devices := watched.Devices()
	watched.Folders()
	watched.Interfaces()
	m.keep(watched.Untold())
	kept, err := told.Kept()
	if err != nil {
		return nil, err
	}
	r.seen.put(networkFile, &entry{content: kept})
	return devices, r.seen.pack(w)
}

// pack writes a tree as a compressed archive.
func (t tree) pack(w io.Writer) error {
	packed := gzip.NewWriter(w)
	archive := tar.NewWriter(packed)
	names := make([]string, 0, len(t))
	for name := range t {
		if name != "" {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		e := t[name]
		header := &tar.Header{Name: name, Mode: 0o644, Size: int64(len(e.content)), Typeflag: tar.TypeReg,
			ModTime: time.Unix(0, 0), Format: tar.FormatPAX}
		switch {
		case e.folder:
			header.Typeflag, header.Mode, header.Name = tar.TypeDir, 0o755, name+"/"
		case e.target != "":
			header.Typeflag, header.Linkname = tar.TypeSymlink, e.target
		}
		if err := archive.WriteHeader(header); err != nil {
			return err
		}
		if _, err := archive.Write(e.content); err != nil {
			return err
		}
	}
	return errors.Join(archive.Close(), packed.Close())
}
