package move

import (
	"opengauge/core/unit"
)

// Through is the curve behind something that carries no more than a rate: what was faster
// takes as long as that, byte for byte. What heat and an allowance do at another pace is
// not known; a fast write area is as large behind any link.
func (c *Curve) Through(rate unit.BytesPerSecond) *Curve {
	held := *c
	held.runs = make([]run, len(c.runs))
	for i, r := range c.runs {
		held.runs[i] = r.through(float64(rate))
	}
	held.Phases = make([]Phase, len(c.Phases))
	for i, p := range c.Phases {
		p.Rate, p.Slowest, p.Fastest = min(p.Rate, rate), min(p.Slowest, rate), min(p.Fastest, rate)
		held.Phases[i] = p
	}
	return &held
}

func (r run) through(rate float64) run {
	r.line, r.fastest = r.line.through(rate), min(r.fastest, rate)
	if r.tail != nil {
		held := *r.tail
		at := held.line.bytesAt(held.at)
		held.line = held.line.through(rate)
		held.at = held.line.secondsAt(at)
		r.tail = &held
	}
	return r
}

// through stretches what is faster than a rate.
func (l line) through(rate float64) line {
	held := line{l[0]}
	for i := 1; i < len(l); i++ {
		bytes, span := l[i].bytes-l[i-1].bytes, l[i].seconds-l[i-1].seconds
		held = append(held, point{l[i].bytes, held.end().seconds + max(span, bytes/rate)})
	}
	return held
}
