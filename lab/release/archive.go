package main

import (
	"archive/tar"
	"archive/zip"
	"compress/flate"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// archive is one that was made.
type archive struct{ system, name, sum string }

// entry is a file of an archive.
type entry struct {
	name, from string
	mode       int64
}

// pack puts the program and all that comes with it in one archive: a zip file for Windows,
// which it opens itself, else a compressed tar file.
func (r *release) pack(system, program string, e extras) (archive, error) {
	name := fmt.Sprintf("opengauge-%s-%s", r.version, strings.ReplaceAll(system, "/", "-"))
	entries := []entry{{path.Join(name, filepath.Base(program)), program, 0o755}}
	for _, each := range e.files {
		entries = append(entries, entry{path.Join(name, each.name), each.from, 0o644})
	}
	slices.SortFunc(entries, func(a, b entry) int { return strings.Compare(a.name, b.name) })
	write, ending := r.tar, ".tar.gz"
	if strings.HasPrefix(system, "windows/") {
		write, ending = r.zip, ".zip"
	}
	file, err := os.Create(filepath.Join(r.out, name+ending))
	if err != nil {
		return archive{}, err
	}
	sum := sha256.New()
	err = write(io.MultiWriter(file, sum), entries)
	return archive{system, name + ending, hex.EncodeToString(sum.Sum(nil))}, errors.Join(err, file.Close())
}

func (r *release) tar(out io.Writer, entries []entry) error {
	packed, err := gzip.NewWriterLevel(out, gzip.BestCompression)
	if err != nil {
		return err
	}
	files := tar.NewWriter(packed)
	for _, each := range entries {
		content, err := os.ReadFile(each.from)
		if err != nil {
			return err
		}
		header := &tar.Header{Name: each.name, Mode: each.mode, Size: int64(len(content)), ModTime: r.made,
			Typeflag: tar.TypeReg, Format: tar.FormatUSTAR}
		if err := files.WriteHeader(header); err != nil {
			return err
		}
		if _, err := files.Write(content); err != nil {
			return err
		}
	}
	return errors.Join(files.Close(), packed.Close())
}

func (r *release) zip(out io.Writer, entries []entry) error {
	files := zip.NewWriter(out)
	files.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(w, flate.BestCompression)
	})
	for _, each := range entries {
		content, err := os.ReadFile(each.from)
		if err != nil {
			return err
		}
		header := &zip.FileHeader{Name: each.name, Method: zip.Deflate, Modified: r.made}
		header.SetMode(os.FileMode(each.mode))
		file, err := files.CreateHeader(header)
		if err != nil {
			return err
		}
		if _, err := file.Write(content); err != nil {
			return err
		}
	}
	return files.Close()
}

// sums writes the checksums of everything, in the form that sha256sum checks.
func (r *release) sums() error {
	entries, err := os.ReadDir(r.out)
	if err != nil {
		return err
	}
	var lines strings.Builder
	for _, each := range entries {
		content, err := os.ReadFile(filepath.Join(r.out, each.Name()))
		if err != nil {
			return err
		}
		sum := sha256.Sum256(content)
		fmt.Fprintf(&lines, "%s  %s\n", hex.EncodeToString(sum[:]), each.Name())
	}
	return os.WriteFile(filepath.Join(r.out, "SHA256SUMS"), []byte(lines.String()), 0o644)
}

// alike says how two folders differ, if they do.
func alike(one, other string) error {
	names := func(folder string) []string {
		entries, _ := os.ReadDir(folder)
		var found []string
		for _, each := range entries {
			found = append(found, each.Name())
		}
		return found
	}
	if !slices.Equal(names(one), names(other)) {
		return fmt.Errorf("once %q is made, once %q", names(one), names(other))
	}
	for _, name := range names(one) {
		a, err := os.ReadFile(filepath.Join(one, name))
		if err != nil {
			return err
		}
		b, err := os.ReadFile(filepath.Join(other, name))
		if err != nil {
			return err
		}
		if string(a) != string(b) {
			return fmt.Errorf("%s is not the same twice", name)
		}
	}
	return nil
}
