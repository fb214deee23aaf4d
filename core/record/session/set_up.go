package session

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
)

// SetUp names the parts that a session was measured with: runs of the same are one entry
// in a ranking. Where no part is known it is the device, and where that is not known
// either, empty.
func (s *Session) SetUp() string {
	var names []string
	for _, part := range s.Parts {
		names = append(names, fmt.Sprintf("%s %q", part.Kind, part.Name))
	}
	for _, hop := range s.Chain.Hops {
		if len(s.Parts) > 0 {
			names = append(names, fmt.Sprintf("hop %q", hop.Name))
		}
	}
	if len(names) == 0 && s.Environment.DeviceModel != "" {
		names = append(names, fmt.Sprintf("device %q", s.Environment.DeviceModel), fmt.Sprintf("host %q",
			s.Environment.Host))
	}
	return strings.Join(names, ", ")
}

// Storages are the names by which the measured storage may be known: of drives and volumes among the parts,
// of conditions that say so, and the device's model. Each comes once, in order.
func (s *Session) Storages() []string {
	names := []string{s.Environment.DeviceModel, s.Conditions[string(book.Drive)], s.Conditions[string(book.Volume)]}
	for _, part := range s.Parts {
		if part.Kind == book.Drive || part.Kind == book.Volume {
			names = append(names, part.Name)
		}
	}
	slices.Sort(names)
	return slices.DeleteFunc(slices.Compact(names), func(name string) bool { return name == "" })
}
