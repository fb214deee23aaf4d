package session

import (
	"opengauge/core/bench/link"
	"opengauge/core/unit"
)

// Contention is one load on several targets: on each alone, and on all at once.
type Contention struct {
	Index   int      `json:"index"`
	Members []Member `json:"members"`
	// Samples are of a merged session: the throughput of all members together over the time in which all of
	// them ran.
	Samples []ContentionSample `json:"samples,omitempty"`
}

// ContentionSample is the throughput of all members in a stretch that ends at a time, and how fairly it was
// shared, from 1 down to 1 over their number.
type ContentionSample struct {
	TSeconds       float64             `json:"t_seconds"`
	BytesPerSecond unit.BytesPerSecond `json:"bytes_per_second"`
	Fairness       float64             `json:"fairness"`
	// Each is the throughput of each member.
	Each []unit.BytesPerSecond `json:"each_bytes_per_second,omitempty"`
}

// Member is a target in a contention.
type Member struct {
	Address  string     `json:"address"`
	Chain    link.Chain `json:"chain"`
	Alone    Pass       `json:"alone"`
	Together Pass       `json:"together"`
}

// Loss is the share of its throughput that a member loses to the others.
func (m *Member) Loss() float64 {
	if m.Alone.BytesPerSecond <= 0 {
		return 0
	}
	return 1 - float64(m.Together.BytesPerSecond/m.Alone.BytesPerSecond)
}
