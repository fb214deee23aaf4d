package scratch

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"unicode"
)

// Output is a file or a folder that a user named and that is made whole or not at all: under a scratch name
// first, and under its own once it is finished.
type Output struct {
	home       *Folder
	made, name string
}

// NewOutput prepares to make a file or folder that a user named. It removes the leftovers of dead programs
// beside it, and tells of each. A few letters of the scratch name say what it is for.
func NewOutput(name, of string, tell func(Leftover)) (*Output, error) {
	if err := CheckName(name); err != nil {
		return nil, err
	}
	folder := filepath.Dir(filepath.Clean(name))
	if tell == nil {
		tell = func(Leftover) {}
	}
	_ = Sweep(folder, tell) // it is no reason not to write
	home, err := In(folder)
	if err != nil {
		return nil, err
	}
	o := &Output{home: home, name: name}
	if o.made, err = home.Name(of); err != nil {
		return nil, errors.Join(err, home.Close())
	}
	return o, nil
}

// CheckName fails where a name has letters that act on terminals, or that others cannot type.
func CheckName(name string) error {
	if strings.ContainsFunc(name, unicode.IsControl) {
		return fmt.Errorf("the name %q has control characters; choose another", name)
	}
	return nil
}

// Path is where it is made.
func (o *Output) Path() string { return o.made }

// Home is the folder in which it is made, for files that something else makes beside it.
func (o *Output) Home() *Folder { return o.home }

// Create makes it as an empty file that this user alone may read.
func (o *Output) Create() (*os.File, error) {
	return os.OpenFile(o.made, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
}

// Mkdir makes it as an empty folder that this user alone may read.
func (o *Output) Mkdir() error { return os.Mkdir(o.made, 0o700) }

// Publish lets everybody read the output.
func (o *Output) Publish() error {
	info, err := os.Stat(o.made)
	if err != nil {
		return err
	}
	if info.IsDir() {
		return os.Chmod(o.made, 0o755)
	}
	return os.Chmod(o.made, 0o644)
}

// Replace gives it its name, in the place of a file that may be there.
func (o *Output) Replace() error { return o.home.Give(o.made, o.name) }

// Finish gives it its name where nothing has that yet, and returns fs.ErrExist elsewhere.
func (o *Output) Finish() error {
	if info, err := os.Lstat(o.made); err == nil && info.IsDir() {
		return o.home.Give(o.made, o.name) // a folder is given no name that something has
	}
	return o.home.GiveNew(o.made, o.name)
}

// Close removes an unfinished output.
func (o *Output) Close() error { return o.home.Close() }
