package fileset

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"opengauge/core/unit"
)

// FromFolder describes a folder, or a single file, of one's own. Symbolic links and
// special files are left out, and said.
func FromFolder(root string) (Set, error) {
	info, err := os.Stat(root)
	if err != nil {
		return Set{}, fmt.Errorf("could not look at %s: %w", root, err)
	}
	set := Set{Name: filepath.Base(filepath.Clean(root))}
	if info.Mode().IsRegular() {
		set.Entries = []Entry{{Path: filepath.Base(root), Size: unit.Bytes(info.Size())}}
		return set, nil
	}
	if !info.IsDir() {
		return Set{}, fmt.Errorf("%s is neither a folder nor a file", root)
	}
	err = filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		relative, err := filepath.Rel(root, path)
		if err != nil {
			return err
		}
		relative = filepath.ToSlash(relative)
		switch mode := entry.Type(); {
		case mode&fs.ModeSymlink != 0:
			set.Left = append(set.Left, relative+": a symbolic link")
		case !mode.IsRegular():
			set.Left = append(set.Left, relative+": a special file")
		default:
			info, err := entry.Info()
			if err != nil {
				return err
			}
			set.Entries = append(set.Entries, Entry{Path: relative, Size: unit.Bytes(info.Size())})
		}
		return nil
	})
	if err != nil {
		return Set{}, fmt.Errorf("could not look through %s: %w", root, err)
	}
	if len(set.Entries) == 0 {
		return Set{}, fmt.Errorf("%s holds no file to copy%s", root, leftWords(set.Left))
	}
	return set, nil
}

func leftWords(left []string) string {
	if len(left) == 0 {
		return ""
	}
	return ", only " + strings.Join(left[:min(len(left), 3)], "; ")
}
