package move

import (
	"opengauge/core/judge/explain"
	"opengauge/core/unit"
)

// mostPhases are told one by one; a curve with more levels is told as what is before its
// first fall and what is after.
const mostPhases = 4

// phasesOf are the levels that a recording goes through, as far as it goes.
func phasesOf(e explained, l line, t *tail) []Phase {
	levels := e.levels
	end := l.end()
	if !e.verdict.Falls() || len(levels) < 2 {
		return []Phase{{Rate: unit.BytesPerSecond(end.bytes / end.seconds)}}
	}
	first := firstFall(levels)
	if len(levels) <= mostPhases && !fallsAgain(levels) {
		return oneByOne(levels, l)
	}
	from := levels[first].FromSeconds
	rest := l.between(from, end.seconds).end()
	after := Phase{From: unit.Bytes(l.bytesAt(from)), Rate: unit.BytesPerSecond(rest.bytes / rest.seconds)}
	if t != nil {
		after.Rate = unit.BytesPerSecond(t.rate())
	}
	for _, level := range levels[first:] {
		rate := unit.BytesPerSecond(level.Rate)
		if after.Slowest == 0 || rate < after.Slowest {
			after.Slowest = rate
		}
		after.Fastest = max(after.Fastest, rate)
	}
	if float64(after.Fastest) < 1.1*float64(after.Slowest) {
		after.Slowest, after.Fastest = 0, 0
	}
	if from <= 0 {
		return []Phase{after}
	}
	before := Phase{Rate: unit.BytesPerSecond(rateOf(explain.Level{ToSeconds: from, Rate: l.bytesAt(from) / from}, l))}
	after.From = unit.Bytes(meets(l, from, float64(before.Rate), levels[first].Rate))
	return []Phase{before, after}
}

// firstFall is the first level that is lower than the one before it; the first of all
// where none is.
func firstFall(levels []explain.Level) int {
	for i := 1; i < len(levels); i++ {
		if levels[i].Rate < levels[i-1].Rate {
			return i
		}
	}
	return 0
}

// fallsAgain says whether throughput falls once more after it had come back.
func fallsAgain(levels []explain.Level) bool {
	rose := false
	for i := 1; i < len(levels); i++ {
		if levels[i].Rate < levels[i-1].Rate && rose {
			return true
		}
		rose = rose || levels[i].Rate > levels[i-1].Rate
	}
	return false
}

func oneByOne(levels []explain.Level, l line) []Phase {
	var phases []Phase
	for i, level := range levels {
		p := Phase{Rate: unit.BytesPerSecond(rateOf(level, l))}
		if i > 0 {
			p.From = unit.Bytes(meets(l, level.FromSeconds, float64(phases[i-1].Rate), float64(p.Rate)))
		}
		phases = append(phases, p)
	}
	return phases
}

// rateOf is the mean rate of a level, without its edges where it is long enough.
func rateOf(level explain.Level, l line) float64 {
	edge := edge + l.step()
	if level.ToSeconds-level.FromSeconds < 4*edge {
		return level.Rate
	}
	inner := l.between(level.FromSeconds+edge, level.ToSeconds-edge).end()
	return inner.bytes / inner.seconds
}

// meets is the bytes at which one rate goes over to another about a second: somewhere in
// the sample in which it changed, so that what was moved about it adds up.
func meets(l line, second, before, after float64) float64 {
	wide := edge + l.step()
	from, to := max(second-wide, 0), min(second+wide, l.end().seconds)
	moved := l.bytesAt(to) - l.bytesAt(from)
	if before == after {
		return l.bytesAt(second)
	}
	fast := (moved - after*(to-from)) / (before - after)
	return l.bytesAt(from) + before*min(max(fast, 0), to-from)
}
