package session

import "opengauge/core/link"

// Contention is one load on several targets: on each alone, and on all at once.
type Contention struct {
	Index   int      `json:"index"`
	Members []Member `json:"members"`
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
