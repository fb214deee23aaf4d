package target

import (
	"os"
	"path/filepath"

	"opengauge/core/unit"
)

// Leftover is a test file whose program died before it could remove it.
type Leftover struct {
	Path string
	Size unit.Bytes
}

// Leftovers finds the test files in a folder that no living program uses.
func Leftovers(folder string) []Leftover {
	names, _ := filepath.Glob(filepath.Join(escapeGlob(folder), TestFilePrefix+"*"+TestFileSuffix))
	var found []Leftover
	for _, name := range names {
		info, err := os.Lstat(name)
		if err == nil && info.Mode().IsRegular() && unclaimed(name) {
			found = append(found, Leftover{Path: name, Size: unit.Bytes(info.Size())})
		}
	}
	return found
}

// escapeGlob keeps a folder's own name from being read as a pattern.
func escapeGlob(folder string) string {
	var escaped []rune
	for _, r := range folder {
		if r == '*' || r == '?' || r == '[' {
			escaped = append(escaped, '[', r, ']')
			continue
		}
		escaped = append(escaped, r)
	}
	return string(escaped)
}
