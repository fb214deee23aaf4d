package stream

import (
	"math"

	"opengauge/core/unit"
)

// Stretch is the data moved in a stretch of a recorded series.
type Stretch struct {
	Seconds float64
	Rate    unit.BytesPerSecond
}

// Series is a recorded series, and how it goes on.
type Series struct {
	Recorded []Stretch
	// Onward is the cycle that follows the recording, where something settles that; else it is empty.
	Onward []Stretch
}

// Outcome says whether a series carries a number of streams at once.
type Outcome struct {
	AtOnce int `json:"at_once"`
	// Carried says that it does, for UntilSeconds at least; Lasting, that it goes on so.
	Carried bool `json:"carried"`
	Lasting bool `json:"lasting"`
	// LongestStallSeconds is the longest stretch of the recording in which the storage
	// gave less than they need.
	LongestStallSeconds float64 `json:"longest_stall_seconds"`
	// BufferNeeded is how much has to be in front, for each of them, to get over
	// the recording.
	BufferNeeded unit.Bytes `json:"buffer_needed_bytes"`
	// UntilSeconds is when the buffer is at its end, since the series began; where it
	// never is, the series' length.
	UntilSeconds float64 `json:"until_seconds"`
	// Extrapolated says that this is after the recording: it ends in the state in which
	// the buffer does not hold for long.
	Extrapolated bool `json:"extrapolated"`
}

// bufferAt follows a buffer: how far behind the storage is, in bytes.
type bufferAt struct {
	need, size float64
	behind     float64
	now        float64
	most       float64
	stall      float64
	longest    float64
}

// over follows a stretch, and says when the buffer was at its end, if it was.
func (b *bufferAt) over(s Stretch) (ended float64, over bool) {
	lacking := b.need - float64(s.Rate)
	after := max(b.behind+lacking*s.Seconds, 0)
	if after > b.size {
		ended = b.now + max((b.size-b.behind)/lacking, 0)
		over = true
	}
	if lacking > 0 {
		b.stall += s.Seconds
		b.longest = max(b.longest, b.stall)
	} else {
		b.stall = 0
	}
	b.behind = after
	b.most = max(b.most, after)
	b.now = b.now + s.Seconds
	return ended, over
}

// Carry follows a buffer over a series. A stream that is written fills it at its own rate, and the storage
// empties it as fast as it did in the series; the buffer must not overflow. A stream that is read empties a
// full buffer, and the storage fills it: the missing data obey the same sum. A stream that a buffer alone
// carries ends when it is full, if not in the recording then after it.
func Carry(series Series, s Stream, atOnce int) Outcome {
	v := Outcome{AtOnce: atOnce, Carried: true}
	b := &bufferAt{need: float64(s.Rate) * float64(atOnce), size: float64(s.Buffer) * float64(atOnce)}
	for _, each := range series.Recorded {
		if ended, over := b.over(each); over && v.Carried {
			v.Carried = false
			v.UntilSeconds = ended
		}
	}
	v.LongestStallSeconds = b.longest
	v.BufferNeeded = unit.Bytes(b.most/float64(atOnce) + 0.5)
	if !v.Carried {
		return v
	}
	v.UntilSeconds = b.now
	onward := series.Onward
	settled := len(series.Onward) > 0
	if !settled {
		onward = []Stretch{{1, lastRate(series.Recorded)}}
	}
	if ended, over := b.onward(onward); over {
		v.Carried = false
		v.UntilSeconds = ended
		v.Extrapolated = true
		return v
	}
	v.Lasting = settled
	return v
}

// onward follows the buffer over the cycle, and returns when it is at its end, if ever.
func (b *bufferAt) onward(turn []Stretch) (ended float64, over bool) {
	// The first turn may begin with less behind than it ends with; from the second on each
	// leaves as much more.
	if ended, over := b.round(turn); over {
		return ended, true
	}
	behind := b.behind
	began := b.now
	b.most = b.behind
	if ended, over := b.round(turn); over {
		return ended, true
	}
	grown := b.behind - behind
	length := b.now - began
	peak := b.most - behind
	if grown <= 1e-9*b.need*length {
		return 0, false
	}
	// As many as leave room for one more are jumped over.
	turns := math.Floor(max((b.size-b.behind-peak)/grown, 0))
	b.behind = b.behind + turns*grown
	b.now = b.now + turns*length
	for {
		if ended, over := b.round(turn); over {
			return ended, true
		}
	}
}

// round follows one turn.
func (b *bufferAt) round(turn []Stretch) (ended float64, over bool) {
	for _, each := range turn {
		if ended, over := b.over(each); over {
			return ended, true
		}
	}
	return 0, false
}

// lastRate returns the mean rate of the last quarter of a recording: the rate in the long run, as far as
// anybody saw.
func lastRate(recorded []Stretch) unit.BytesPerSecond {
	whole := 0.0
	for _, each := range recorded {
		whole += each.Seconds
	}
	bytes := 0.0
	seconds := 0.0
	now := 0.0
	for i, each := range recorded {
		now += each.Seconds
		if now > whole*3/4 || i == len(recorded)-1 {
			bytes = bytes + float64(each.Rate)*each.Seconds
			seconds = seconds + each.Seconds
		}
	}
	return unit.BytesPerSecond(bytes / seconds)
}

// MostAtOnce bounds the search for how many are carried.
const MostAtOnce = 100_000

// Most is the greatest number of streams at once that a series carries, up to
// [MostAtOnce].
func Most(series Series, s Stream) int {
	if s.Rate <= 0 || !Carry(series, s, 1).Carried {
		return 0
	}
	low := 1
	high := MostAtOnce + 1
	for high-low > 1 {
		middle := (low + high) / 2
		if Carry(series, s, middle).Carried {
			low = middle
		} else {
			high = middle
		}
	}
	return low
}

// For says whether an amount of the streams is carried, all of them together: yes, no, or
// not known.
func (v Outcome) For(amount unit.Bytes, s Stream) Held {
	seconds := float64(amount) / (float64(s.Rate) * float64(v.AtOnce))
	switch {
	case seconds <= v.UntilSeconds || v.Lasting:
		return Yes
	case !v.Carried:
		return No
	}
	return NotKnown
}

// Held says whether something is carried.
type Held string

// The answers.
const (
	Yes      Held = "yes"
	No       Held = "no"
	NotKnown Held = "not known"
)
