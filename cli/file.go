package cli

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
)

// writeFile writes a file whole or not at all.
func writeFile(name string, write func(io.Writer) error) (err error) {
	file, err := os.CreateTemp(filepath.Dir(name), ".opengauge-*")
	if err != nil {
		return fmt.Errorf("could not write %s: %w", name, err)
	}
	defer func() {
		if err != nil {
			_ = file.Close()
			_ = os.Remove(file.Name())
			err = fmt.Errorf("could not write %s: %w", name, err)
		}
	}()
	if err := write(file); err != nil {
		return err
	}
	if err := file.Sync(); err != nil {
		return err
	}
	if err := file.Chmod(0o644); err != nil {
		return err
	}
	if err := file.Close(); err != nil {
		return err
	}
	return os.Rename(file.Name(), name)
}
