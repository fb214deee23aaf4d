package predict

import (
	"cmp"

	"opengauge/core/bench/link"
	"opengauge/core/judge/move"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Amount is how long an amount took in the chain where it was recorded, and what to
// expect in another.
type Amount struct {
	Load     string     `json:"load"`
	Amount   unit.Bytes `json:"amount_bytes"`
	Measured move.Time  `json:"measured"`
	Expected move.Time  `json:"expected"`
}

// Amounts says how long amounts take in another chain, of each curve that is worth
// telling of.
func Amounts(s *session.Session, chain link.Chain, asked []unit.Bytes) []Amount {
	made := []Amount{}
	for _, c := range move.Told(move.Of(s)) {
		for _, amount := range c.Asked(asked) {
			made = append(made, Amount{Load: c.Key.String(), Amount: amount, Measured: c.For(amount),
				Expected: Time(s, c, chain, amount)})
		}
	}
	return made
}

// Time is how long an amount is expected to take in another chain: no faster than its
// narrowest hop carries, and within the range that it is known to carry. Where the old
// chain was the limit, the drive may do better, up to what its maker states: the least
// time is then of that.
func Time(s *session.Session, c *move.Curve, chain link.Chain, amount unit.Bytes) move.Time {
	usable, known := chain.Usable()
	fastest := c.Phases[0].Rate
	open := !c.Key.IsCopy() && wasBound(s, fastest)
	if !known {
		return c.For(amount)
	}
	t := c.Through((usable.Low + usable.High) / 2).For(amount)
	fast, slow := c.Through(usable.High).For(amount), c.Through(usable.Low).For(amount)
	t.Low, t.High = cmp.Or(fast.Low, fast.Seconds), cmp.Or(slow.High, slow.Seconds)
	if open {
		lifted := c.Lifted(fastest, atMost(s, c.Key.Load, usable)).For(amount)
		t.Low = min(t.Low, cmp.Or(lifted.Low, lifted.Seconds))
	}
	if t.Known() && t.High-t.Low < 0.005*t.Seconds { // the hop is none of its limits
		t.Low, t.High = 0, 0
	}
	return t
}

// atMost is what a drive that a chain held back may do behind a hop.
func atMost(s *session.Session, l load.Load, usable link.Range) unit.BytesPerSecond {
	if stated := rating(s, l); stated > 0 {
		return min(stated, usable.High)
	}
	return usable.High
}
