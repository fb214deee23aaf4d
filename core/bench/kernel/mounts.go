package kernel

import (
	"strconv"
	"strings"
)

// Mount is a line of the table of mounts (proc(5), mountinfo).
type Mount struct {
	At, FileSystem, Options, Source string
	// Number is that of the device, like "8:1".
	Number string
}

// Mounts reads the table of what is mounted, in the order in which it was.
func (t Tree) Mounts() ([]Mount, error) {
	text, err := t.Read("proc/self/mountinfo")
	if err != nil || len(text) == 0 {
		if text, err = t.Read("proc/1/mountinfo"); err != nil {
			return nil, err
		}
	}
	var table []Mount
	for _, line := range strings.Split(string(text), "\n") {
		if mount, ok := parseMount(line); ok {
			table = append(table, mount)
		}
	}
	return table, nil
}

// parseMount reads a line of mountinfo (proc(5)): an id, the id of the mount
// that it is on, the device number, the root within the file system, the place,
// the options, fields that are told apart by a hyphen alone, and then the type,
// the source and the file system's own options.
func parseMount(line string) (Mount, bool) {
	const number, place, options, fewest = 2, 4, 5, 6
	before, after, ok := strings.Cut(line, " - ")
	fields, rest := strings.Fields(before), strings.Fields(after)
	if !ok || len(fields) < fewest || len(rest) < 2 {
		return Mount{}, false
	}
	mount := Mount{At: Unescaped(fields[place]), FileSystem: rest[0], Source: Unescaped(rest[1]),
		Options: fields[options], Number: fields[number]}
	if len(rest) > 2 {
		mount.Options += "," + rest[2]
	}
	return mount, true
}

// Unescaped gives back the spaces and the like that the kernel writes as octal
// numbers: "\040".
func Unescaped(text string) string {
	var plain strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] == '\\' && i+3 < len(text) {
			if code, err := strconv.ParseUint(text[i+1:i+4], 8, 8); err == nil {
				plain.WriteByte(byte(code))
				i += 3
				continue
			}
		}
		plain.WriteByte(text[i])
	}
	return plain.String()
}
