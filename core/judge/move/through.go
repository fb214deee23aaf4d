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

// Lifted is the curve as if what ran at a rate, or nearly, had run at a higher one: what
// held it there is gone. What is slower stays.
func (c *Curve) Lifted(from, to unit.BytesPerSecond) *Curve {
	const nearly = 0.95
	lifted := *c
	lifted.runs = make([]run, len(c.runs))
	for i, r := range c.runs {
		lifted.runs[i] = r.timed(func(bytes, seconds float64) float64 {
			if bytes >= nearly*float64(from)*seconds {
				return bytes / float64(to)
			}
			return seconds
		})
		lifted.runs[i].fastest = max(r.fastest, float64(to))
	}
	return &lifted
}

func (r run) through(rate float64) run {
	held := r.timed(func(bytes, seconds float64) float64 { return max(seconds, bytes/rate) })
	held.fastest = min(r.fastest, rate)
	return held
}

// timed is the recording with other times for what moved.
func (r run) timed(time func(bytes, seconds float64) float64) run {
	r.line = r.line.timed(time)
	if r.tail != nil {
		held := *r.tail
		at := held.line.bytesAt(held.at)
		held.line = held.line.timed(time)
		held.at = held.line.secondsAt(at)
		r.tail = &held
	}
	return r
}

func (l line) timed(time func(bytes, seconds float64) float64) line {
	made := line{l[0]}
	for i := 1; i < len(l); i++ {
		bytes, seconds := l[i].bytes-l[i-1].bytes, l[i].seconds-l[i-1].seconds
		made = append(made, point{l[i].bytes, made.end().seconds + time(bytes, seconds)})
	}
	return made
}
