package session

import "opengauge/core/unit"

// ByHand says of a copy that somebody timed it with a stopwatch.
type ByHand struct {
	// WithinSeconds is by how much its time may be off.
	WithinSeconds float64 `json:"within_seconds"`
	// LapsSeconds are moments that were marked in it, since it began.
	LapsSeconds []float64 `json:"laps_seconds,omitempty"`
}

// byHandMark stands behind the name of a session that was timed by hand.
const byHandMark = " (by hand)"

// ByHand says whether any of a session was timed by hand.
func (s *Session) ByHand() bool {
	for i := range s.Copies {
		if s.Copies[i].ByHand != nil {
			return true
		}
	}
	return false
}

// interval is the interval of a throughput whose time was taken by hand: the time may be off to either side.
func (h *ByHand) interval(bytes unit.Bytes, seconds float64) *RateInterval {
	if !(seconds > h.WithinSeconds) {
		return nil
	}
	return &RateInterval{Low: unit.BytesPerSecond(float64(bytes) / (seconds + h.WithinSeconds)),
		High: unit.BytesPerSecond(float64(bytes) / (seconds - h.WithinSeconds))}
}

// HandShare is by which share the time of a copy may be off for the hand that took it; 0
// for one that the program timed.
func (c *Copy) HandShare() float64 {
	if c.ByHand == nil || c.ElapsedSeconds <= 0 {
		return 0
	}
	return c.ByHand.WithinSeconds / c.ElapsedSeconds
}
