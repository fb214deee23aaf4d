package session

import (
	"fmt"
	"strings"
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
