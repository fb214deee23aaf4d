package session

import (
	"opengauge/core/bench/link"
)

// Class is the class in which a session is ranked: the same kind of storage through the same narrowest hop,
// real or simulated.
func (s *Session) Class() string {
	class := s.storageKind()
	if hop, ok := s.Chain.Binding(); ok {
		class += " through " + hop.Standard
	}
	if s.Simulated {
		class = "simulated " + class
	}
	return class
}

// storageKind is the family of the link that the storage itself is on.
func (s *Session) storageKind() string {
	if last := len(s.Chain.Hops) - 1; last >= 0 {
		standard := s.Chain.Hops[last].Standard
		if found, err := link.Find(standard); err == nil {
			return found.Family
		}
		return standard
	}
	if s.Target.Kind != "" {
		return s.Target.Kind
	}
	return "storage"
}
