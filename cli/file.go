package cli

import (
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"opengauge/core/record/logbook"
	"opengauge/core/storage/scratch"
	"opengauge/present/term"
)

// toStandardOutput is how standard output is named where a file is asked for.
const toStandardOutput = "-"

// writeFile writes a file, which this user alone may read where it is new, whole or not at all.
// Standard output, pipes and devices are written into; a logbook is never overwritten.
func (e *environment) writeFile(name string, write func(io.Writer) error) error {
	return e.writeWith(0o600, name, write)
}

// publishFile writes a file like writeFile, but one that everybody may read where it is new.
func (e *environment) publishFile(name string, write func(io.Writer) error) error {
	return e.writeWith(0o644, name, write)
}

// writeWith writes a file, which has the given rights where it is new.
func (e *environment) writeWith(rights fs.FileMode, name string, write func(io.Writer) error) error {
	if name == toStandardOutput {
		return write(e.stdout)
	}
	name, info, err := resolveOutput(name)
	if err == nil && info != nil && !info.Mode().IsRegular() {
		err = writeInto(name, write)
	} else if err == nil {
		err = e.replace(rights, name, info, write)
	}
	if err != nil {
		return fmt.Errorf("could not write %s: %w", name, err)
	}
	return nil
}

// streamed reports whether writing to a name passes the data on: to standard output, into a pipe
// or a device. It says nothing about a format.
func streamed(name string) bool {
	if name == toStandardOutput {
		return true
	}
	info, err := os.Stat(name)
	return err == nil && !info.Mode().IsRegular() && !info.IsDir()
}

// wrote says that a file was written, but for standard output.
func (e *environment) wrote(name string) {
	if name != toStandardOutput {
		e.screen().Println("wrote " + name)
	}
}

// resolveOutput follows links to the file that a name means, and returns its state, nil if it does
// not exist yet.
func resolveOutput(name string) (string, fs.FileInfo, error) {
	if real, err := filepath.EvalSymlinks(name); err == nil {
		name = real
	}
	info, err := os.Stat(name)
	switch {
	case err != nil:
		return name, nil, nil // whoever makes it says why it cannot be made
	case info.IsDir():
		return name, nil, fmt.Errorf("it is a folder; name a file")
	case info.Mode().IsRegular() && logbook.IsLogbook(name):
		return name, nil, fmt.Errorf("it is a logbook, which is not overwritten; name another file")
	}
	return name, info, nil
}

// writeInto writes into a device or a pipe.
func writeInto(name string, write func(io.Writer) error) error {
	file, err := os.OpenFile(name, os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	if err := write(file); err != nil {
		_ = file.Close()
		return err
	}
	return file.Close()
}

// replace puts a new file in the place of one that may be there, whose rights it keeps.
func (e *environment) replace(rights fs.FileMode, name string, before fs.FileInfo,
	write func(io.Writer) error) (err error) {
	out, err := scratch.NewOutput(name, "output", e.tellSwept)
	if err != nil {
		return err
	}
	defer func() {
		if closed := out.Close(); err == nil {
			err = closed
		}
	}()
	file, err := out.Create()
	if err != nil {
		return err
	}
	defer file.Close()
	if err := write(file); err != nil {
		return err
	}
	if err := file.Sync(); err != nil {
		return err
	}
	if before != nil {
		rights = before.Mode().Perm()
	}
	if err := file.Chmod(rights); err != nil {
		return err
	}
	if err := file.Close(); err != nil {
		return err
	}
	return out.Replace()
}

// sweep removes the leftovers of this user's killed runs from a folder, and says so.
func (e *environment) sweep(folder string) {
	if err := scratch.Sweep(folder, e.tellSwept); err != nil {
		term.NewScreen(e.stderr).Printf("%s\n", term.Clean(err.Error()))
	}
}

// tellSwept says that a leftover was removed.
func (e *environment) tellSwept(left scratch.Leftover) {
	term.NewScreen(e.stderr).Printf("removed what a run that was killed had left: %s (%s)\n", term.Clean(left.Path),
		left.Size.Capacity())
}
