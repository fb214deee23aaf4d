package target

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"opengauge/core/bench/kernel"
)

// CheckMounted fails where a folder is a place for a drive and none is mounted there: a run would measure the
// disk underneath. Such places are listed in the table of file systems (fstab(5)), or are empty folders where
// systems mount removable drives.
func CheckMounted(path string) error {
	whole, err := filepath.Abs(path)
	if err == nil {
		whole, err = filepath.EvalSymlinks(whole)
	}
	if err != nil {
		return nil // opening it says so
	}
	mounts, err := kernel.Here().Mounts()
	if err != nil {
		return nil
	}
	isMounted := func(at string) bool {
		return slices.ContainsFunc(mounts, func(m kernel.Mount) bool { return m.At == at })
	}
	table, _ := kernel.Here().Read("etc/fstab")
	for at := whole; at != "/"; at = filepath.Dir(at) {
		if isMounted(at) {
			return nil
		}
		if isListed(string(table), at) || at == whole && isPlaceOfDrives(at) {
			return fmt.Errorf("nothing is mounted at %s, so that the disk underneath would be measured; mount the drive there, "+
				"or name a folder that is meant to be on that disk", at)
		}
	}
	return nil
}

// isListed reports whether a table of file systems has a mount point.
func isListed(table, at string) bool {
	for line := range strings.Lines(table) {
		const point = 1
		fields := strings.Fields(line)
		if len(fields) > point && !strings.HasPrefix(fields[0], "#") && kernel.Unescaped(fields[point]) == at {
			return true
		}
	}
	return false
}

// isPlaceOfDrives reports whether a folder is empty, and where systems mount removable drives (Filesystem
// Hierarchy Standard 3.0, 3.11 and 3.12; udisks(8)).
func isPlaceOfDrives(at string) bool {
	above := filepath.Dir(at)
	places := []string{"/mnt", "/media"}
	users := []string{"/media", "/run/media"}
	if at != "/mnt" && !slices.Contains(places, above) && !slices.Contains(users, filepath.Dir(above)) {
		return false
	}
	entries, err := os.ReadDir(at)
	return err == nil && len(entries) == 0
}
