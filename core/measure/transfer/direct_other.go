//go:build !linux

package transfer

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
)

func openDirect(path string) (*os.File, bool, error) {
	file, err := os.Open(path)
	return file, false, err
}

func createDirect(path string) (*os.File, bool, error) {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o644)
	return file, false, err
}

func reserveFile(*os.File, int64) error { return nil }

// flushFolder flushes every file under a folder.
func flushFolder(path string) error {
	return filepath.WalkDir(path, func(name string, entry fs.DirEntry, err error) error {
		if err != nil || !entry.Type().IsRegular() {
			return err
		}
		file, err := os.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			return err
		}
		return errors.Join(file.Sync(), file.Close())
	})
}

func beginWriting(*os.File) {}

func dropFile(string) error { return errors.ErrUnsupported }
