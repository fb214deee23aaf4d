package scratch

import (
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"opengauge/core/storage/fault"
)

// RemoveAll removes a folder with all that is in it. Where a system refuses the calls by
// which that is done at once, as some do on some file systems, each is removed by itself.
func RemoveAll(path string) error {
	err := os.RemoveAll(path)
	if fault.Of(err) != fault.Invalid {
		return err
	}
	return removeEach(path)
}

// removeEach removes the entries of a folder one by one, the deepest first. Links are removed, and not
// followed.
func removeEach(path string) error {
	var names []string
	err := filepath.WalkDir(path, func(name string, _ fs.DirEntry, err error) error {
		names = append(names, name)
		return err
	})
	if err != nil {
		return err
	}
	slices.Reverse(names)
	for _, name := range names {
		if err := os.Remove(name); err != nil {
			return err
		}
	}
	return nil
}
