package move

import (
	"math"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Standing is where a session stands among others by how long an amount takes.
type Standing struct {
	Load string `json:"load"`
	Time
	// Others is of how many that is known, and Faster, Alike and Slower how many of them
	// take less, as good as the same, and more.
	Others int `json:"others"`
	Faster int `json:"faster"`
	Alike  int `json:"alike"`
	Slower int `json:"slower"`
	// Next is the next faster one.
	Next *Record `json:"next_faster"`
}

// Stand holds the time of an amount against that of others. Those of which it is not
// known are left out.
func Stand(own *Curve, amount unit.Bytes, others []*session.Session) Standing {
	s := Standing{Load: own.Key.String(), Time: own.For(amount)}
	if !s.Known() {
		return s
	}
	for _, other := range others {
		for _, c := range Of(other) {
			if c.Key != own.Key {
				continue
			}
			t := c.For(amount)
			if !t.Known() {
				continue
			}
			s.Others++
			switch lead := leadOf(s.Time, t); {
			case math.Abs(lead) < leastLead:
				s.Alike++
			case lead > 0:
				s.Slower++
			default:
				s.Faster++
				if s.Next == nil || t.Seconds > s.Next.Seconds {
					s.Next = &Record{Session: other.DisplayName(), Load: s.Load, Time: t}
				}
			}
		}
	}
	return s
}
