package survey

import (
	"strings"

	"opengauge/core/bench/space"
	"opengauge/core/unit"
)

// Mount is a place where a file system is mounted.
type Mount struct {
	At         string `json:"at"`
	FileSystem string `json:"file_system"`
	Options    string `json:"options,omitempty"`
	Source     string `json:"source,omitempty"`
	// Free is what is free there now, on this machine; nil elsewhere.
	Free *unit.Bytes `json:"free_bytes,omitempty"`

	number string
}

// mountTable is what is mounted, in the order in which it was.
type mountTable []Mount

// mounts reads the kernel's table of mounts.
func (m *Machine) mounts() mountTable {
	mounted, _ := m.Mounts() // what cannot be read is unknown
	var table mountTable
	for _, each := range mounted {
		mount := Mount{
			At: each.At, FileSystem: each.FileSystem, Options: each.Options, Source: each.Source, number: each.Number,
		}
		if m.live && strings.HasPrefix(mount.Source, "/dev/") {
			mount.Free = freeAt(mount.At)
		}
		table = append(table, mount)
	}
	return table
}

// freeAt is what is free in a mounted file system, or nil.
func freeAt(place string) *unit.Bytes {
	room, err := space.Of(place)
	if err != nil || room.Total == 0 {
		return nil
	}
	return &room.Free
}

// of gives the mounts of a device, by its number or, for file systems that have
// none of their own, by its path.
func (t mountTable) of(number, device string) []Mount {
	found := []Mount{}
	for _, mount := range t {
		if mount.number == number || mount.Source == device {
			found = append(found, mount)
		}
	}
	return found
}

// holding gives the mount that a file is on: the last of the longest.
func (t mountTable) holding(file string) (Mount, bool) {
	best, found := Mount{}, false
	for _, mount := range t {
		at := strings.TrimSuffix(mount.At, "/")
		if file != at && !strings.HasPrefix(file, at+"/") {
			continue
		}
		if !found || len(mount.At) >= len(best.At) {
			best, found = mount, true
		}
	}
	return best, found
}
