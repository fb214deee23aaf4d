package survey

import (
	"strconv"
	"strings"

	"github.com/shirou/gopsutil/v4/disk"

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
	text := m.text("proc/self/mountinfo")
	if text == "" {
		text = m.text("proc/1/mountinfo")
	}
	var table mountTable
	for _, line := range strings.Split(text, "\n") {
		if mount, sound := parseMount(line); sound {
			if m.live && strings.HasPrefix(mount.Source, "/dev/") {
				mount.Free = freeAt(mount.At)
			}
			table = append(table, mount)
		}
	}
	return table
}

// freeAt is what is free in a mounted file system, or nil.
func freeAt(place string) *unit.Bytes {
	usage, err := disk.Usage(place)
	if err != nil || usage.Total == 0 {
		return nil
	}
	free := unit.Bytes(usage.Free)
	return &free
}

// parseMount reads a line of mountinfo (proc(5)): an id, the id of the mount
// that it is on, the device number, the root within the file system, the place,
// the options, fields that are told apart by a hyphen alone, and then the type,
// the source and the file system's own options.
func parseMount(line string) (Mount, bool) {
	const number, place, options, fewest = 2, 4, 5, 6
	before, after, found := strings.Cut(line, " - ")
	fields, rest := strings.Fields(before), strings.Fields(after)
	if !found || len(fields) < fewest || len(rest) < 2 {
		return Mount{}, false
	}
	mount := Mount{At: unescaped(fields[place]), FileSystem: rest[0], Source: unescaped(rest[1]), Options: fields[options], number: fields[number]}
	if len(rest) > 2 {
		mount.Options += "," + rest[2]
	}
	return mount, true
}

// unescaped gives back the spaces and the like that the kernel writes as octal
// numbers: "\040".
func unescaped(text string) string {
	var plain strings.Builder
	for at := 0; at < len(text); at++ {
		if text[at] == '\\' && at+3 < len(text) {
			if code, err := strconv.ParseUint(text[at+1:at+4], 8, 8); err == nil {
				plain.WriteByte(byte(code))
				at += 3
				continue
			}
		}
		plain.WriteByte(text[at])
	}
	return plain.String()
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
