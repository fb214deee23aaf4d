package target

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/survey"
	"opengauge/core/unit"
)

// surveyed is a device of a system whose survey lists the mounts of each device: Windows and macOS.
type surveyed struct {
	guarded
	// part says that it is a part of a device, or a volume, and known that the survey
	// knows the device at all.
	part, known bool
	// unplaced are mounts that may be of any device, and homeless says that the system's own
	// place is on none.
	unplaced []string
	homeless bool
}

// surveyDevice finds a device by its path in a survey. home is where the system runs from. A device that the
// survey does not list stays unknown, and is never overwritten.
func surveyDevice(m *survey.Machine, path, home string) surveyed {
	s := surveyed{guarded: guarded{path: path}}
	on, _, ok := m.Holding(path)
	if !ok {
		return s
	}
	s.known, s.serial, s.parts = true, on.Serial, len(on.Partitions)
	s.part = !on.Is(path)
	if !s.part {
		s.size = on.Capacity
	}
	for _, mount := range on.AllMounts() {
		if !slices.Contains(s.places, mount.At) {
			s.places = append(s.places, mount.At)
		}
	}
	system, _, found := m.Holding(home)
	s.system, s.homeless, s.unplaced = found && system.Name == on.Name, !found, m.Unplaced()
	return s
}

// mayOverwrite says why a device is not overwritten, or nothing.
func (s surveyed) mayOverwrite(options PathOptions, holds func() (string, error)) error {
	switch {
	case !s.known:
		return fmt.Errorf("%s is not overwritten: the system does not tell what is mounted from it", s.path)
	case s.homeless:
		return fmt.Errorf("%s is not overwritten: the system does not tell which disk it runs from", s.path)
	case len(s.unplaced) > 0:
		return fmt.Errorf("%s is not overwritten: the system does not tell which disk %s is on; unmount that first", s.path,
			strings.Join(s.unplaced, ", "))
	case s.part:
		return fmt.Errorf("%s is not overwritten: it is a part of a device; unmount that, and name all of it", s.path)
	}
	return s.guarded.mayOverwrite(options, holds)
}

// same says why a device that came back is not the one that was open.
func (s surveyed) same(serial string, size unit.Bytes) error {
	switch {
	case s.serial != serial:
		return &StrangerError{s.path, fmt.Sprintf("its serial number is %q, and was %q", s.serial, serial)}
	case s.size != size:
		return &StrangerError{s.path, fmt.Sprintf("it holds %s, and held %s", s.size.Capacity(), size.Capacity())}
	}
	return nil
}
