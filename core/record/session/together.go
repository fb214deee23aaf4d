package session

import "time"

// Together says how a session was measured at the same time as others, on other hosts.
type Together struct {
	// Meeting is the name of the hosts' meeting, and Host this one's name there.
	Meeting string `json:"meeting"`
	Host    string `json:"host"`
	// Hosts are those that were to measure at once.
	Hosts []string `json:"hosts"`
	// ClockOffsetSeconds is how much later the meeting's clock was than this host's, known to
	// within WithinSeconds.
	ClockOffsetSeconds float64 `json:"clock_offset_seconds"`
	WithinSeconds      float64 `json:"within_seconds"`
	// Starts are of its passes, in their order.
	Starts []Start `json:"starts"`
}

// Start is when a pass began that all hosts were to begin at once.
type Start struct {
	Pass int `json:"pass"`
	// At was agreed on, by the meeting's clock.
	At time.Time `json:"at"`
	// LateSeconds is by how much this host began later.
	LateSeconds float64 `json:"late_seconds"`
	// Hosts are those that were ready for it.
	Hosts []string `json:"hosts"`
}

// ClockOffset is by how much the times of the session are to be moved to be the meeting's.
func (t *Together) ClockOffset() time.Duration {
	return time.Duration(t.ClockOffsetSeconds * float64(time.Second))
}

// Of is the start of a pass, or nil.
func (t *Together) Of(pass int) *Start {
	for i := range t.Starts {
		if t.Starts[i].Pass == pass {
			return &t.Starts[i]
		}
	}
	return nil
}
