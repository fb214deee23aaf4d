package move

import (
	"math"
	"slices"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/stat"
)

// lasting are the kinds of causes after which a recording goes on as it ended: what
// made it fall is still there. Somebody else's traffic goes away whenever it likes.
var lasting = []string{explain.CacheExhausted, explain.CreditExhausted, explain.HeatThrottle, explain.LinkDegraded}

// tail is how a recording goes on where it ends.
type tail struct {
	// cause is the kind of what makes it go on so.
	cause string
	// from is the second from which on the recording is like what follows.
	from float64
	// line is what repeats, from a fall to a later one, or a straight line of one
	// second; at is where on it the recording ends.
	line line
	at   float64
	// error is how far the rate may be off, as a share of it.
	error float64
	// least says that it may become slower still: heat and a fallen link go on, and a fast
	// write area that is not full yet may run out besides.
	least bool
}

// largestArea is the largest share of a drive that a fast write area holds: cells of three
// bits that are used for one. Who wrote more than that has filled any.
const largestArea = 1.0 / 3

// mayRunOut says whether a fast write area may run out after so much was written.
func mayRunOut(kind string, s *session.Session, pass *session.Pass, moved float64) bool {
	if !pass.Writes() || kind == explain.CacheExhausted || kind == explain.CreditExhausted {
		return false
	}
	return moved < largestArea*float64(s.Target.CapacityBytes) || s.Target.CapacityBytes == 0
}

const (
	// shortestTail is how many seconds, and fewestOfTail how many samples, a last level
	// lasts for it to be known.
	shortestTail, fewestOfTail = 8.0, 5
	// edge is how much of a level is left out at its start, in seconds: a change is known
	// to a sample or two.
	edge = 2.0
	// leastError of what is not in the recording: levels drift by that much unseen.
	leastError = 0.01
)

// tailOf says how a recording goes on; nil where nothing settles it.
func tailOf(e explained, l line) *tail {
	if len(l) < fewestOfTail || !e.verdict.Falls() {
		return nil
	}
	for _, kind := range lasting {
		if e.verdict.Of(kind) < explain.Named {
			continue
		}
		if a, ok := e.verdict.Account(kind); ok && len(a.Slow) > 0 {
			return e.tailAfter(kind, a, l)
		}
	}
	return nil
}

func (e explained) tailAfter(kind string, a explain.Account, l line) *tail {
	falls, first := turningPoints(e.levels), a.Slow[0].FromSeconds+e.settled
	end := l.end().seconds
	last := e.levels[len(e.levels)-1]
	short := end-last.FromSeconds < 2*longestLevel(e.levels, first)
	switch {
	case end-last.ToSeconds > 2*edge+l.step():
		// A closer look at a part of a long recording found many short cycles.
		return straight(kind, l, first)
	case len(falls) >= 2 && short:
		return recurring(kind, l, falls)
	case a.Returns > 0 && short:
		return nil // it came back once, and nobody knows when it falls again
	}
	return straight(kind, l, last.FromSeconds)
}

// turningPoints are the seconds at which throughput fell from the same level to the same
// lower one, again and again; the last of them, after all others.
func turningPoints(levels []explain.Level) []float64 {
	var at []float64
	var before, after float64
	for i := len(levels) - 1; i > 0; i-- {
		high, low := levels[i-1].Rate, levels[i].Rate
		if low >= high {
			continue
		}
		if len(at) > 0 && (!alike(high, before) || !alike(low, after)) {
			break
		}
		if len(at) == 0 {
			before, after = high, low
		}
		at = append(at, levels[i].FromSeconds)
	}
	slices.Reverse(at)
	return at
}

// alike says whether two rates may be those of one level.
func alike(a, b float64) bool { return math.Abs(math.Log(a/b)) < 0.15 }

// longestLevel is how long the longest level after the first fall is, the last aside.
func longestLevel(levels []explain.Level, since float64) float64 {
	longest := 0.0
	for _, l := range levels[:len(levels)-1] {
		if l.FromSeconds >= since-edge {
			longest = max(longest, l.ToSeconds-l.FromSeconds)
		}
	}
	return longest
}

// recurring repeats whole turns, from a fall to a later one: the later half of them, as
// those at the start may be of storage that was still cool.
func recurring(kind string, l line, falls []float64) *tail {
	turns := len(falls) - 1
	first := turns / 2
	from, to := falls[first], falls[turns]
	t := &tail{cause: kind, from: from, line: l.between(from, to), error: leastError}
	whole := t.line.end()
	if whole.bytes <= 0 || whole.seconds <= 0 {
		return nil
	}
	t.at = l.end().seconds - to
	if t.at >= whole.seconds {
		return nil // longer without a fall than ever before
	}
	var rates []float64
	for i := first; i < turns; i++ {
		part := l.between(falls[i], falls[i+1]).end()
		rates = append(rates, part.bytes/part.seconds)
	}
	// A turn more or less than the recording has is not known better than how turns vary.
	if spread, ok := stat.RepeatInterval(rates); ok {
		t.error = max(leastError, spread.Share())
	} else {
		t.error = oneTurn
	}
	return t
}

// oneTurn is how far the mean of a single turn may be off.
const oneTurn = 0.1

// straight goes on at the mean rate since a moment.
func straight(kind string, l line, since float64) *tail {
	from := since + edge
	end := l.end()
	rest := l.between(from, end.seconds)
	if end.seconds-from < shortestTail || len(rest) < fewestOfTail+1 || rest.end().bytes <= 0 {
		return nil
	}
	rate := rest.end().bytes / rest.end().seconds
	t := &tail{cause: kind, from: from, line: line{{0, 0}, {rate, 1}}, error: leastError}
	if within, ok := stat.MeanInterval(rest.rates()); ok {
		t.error = max(leastError, within.Share())
	} else if within, ok := stat.RepeatInterval(rest.rates()); ok {
		t.error = max(leastError, within.Share())
	}
	return t
}

// rate is the mean rate of the tail, in bytes a second.
func (t *tail) rate() float64 { return t.line.end().bytes / t.line.end().seconds }

// seconds is how long more bytes take after the recording.
func (t *tail) seconds(bytes float64) float64 {
	whole := t.line.end()
	target := t.line.bytesAt(t.at) + bytes
	turns := math.Floor(target / whole.bytes)
	return turns*whole.seconds + t.line.secondsAt(target-turns*whole.bytes) - t.at
}
