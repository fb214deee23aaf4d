package stream

import (
	"opengauge/core/unit"
)

// Stretch is what the storage moved in a stretch of a recorded series.
type Stretch struct {
	Seconds float64
	Rate    unit.BytesPerSecond
}

// Outcome says whether a series carries a number of streams at once.
type Outcome struct {
	AtOnce  int  `json:"at_once"`
	Carried bool `json:"carried"`
	// LongestStallSeconds is the longest stretch in which the storage gave less
	// than they need.
	LongestStallSeconds float64 `json:"longest_stall_seconds"`
	// BufferNeeded is how much has to be in front, for each of them, to get over
	// the series.
	BufferNeeded unit.Bytes `json:"buffer_needed_bytes"`
	// UntilSeconds is when the buffer is at its end, since the series began; the
	// series' length where it never is.
	UntilSeconds float64 `json:"until_seconds"`
}

// Carry follows a buffer over a series. A stream that is written fills it at its own
// rate, and the storage empties it as fast as it did in the series; what is in it
// may not exceed the buffer. A stream that is read empties a full buffer, and the
// storage fills it: what is missing obeys the same sum.
func Carry(series []Stretch, s Stream, atOnce int) Outcome {
	v := Outcome{AtOnce: atOnce, Carried: true}
	need := float64(s.Rate) * float64(atOnce)
	buffer := float64(s.Buffer) * float64(atOnce)
	behind, most, now, stall := 0.0, 0.0, 0.0, 0.0
	for _, each := range series {
		lacking := need - float64(each.Rate)
		after := max(behind+lacking*each.Seconds, 0)
		if after > buffer && v.Carried {
			v.Carried = false
			v.UntilSeconds = now + (buffer-behind)/lacking
		}
		if lacking > 0 {
			stall += each.Seconds
			v.LongestStallSeconds = max(v.LongestStallSeconds, stall)
		} else {
			stall = 0
		}
		behind, most, now = after, max(most, after), now+each.Seconds
	}
	if v.Carried {
		v.UntilSeconds = now
	}
	v.BufferNeeded = unit.Bytes(most/float64(atOnce) + 0.5)
	return v
}

// mostAtOnce bounds the search for how many are carried.
const mostAtOnce = 100_000

// Most is the greatest number of streams at once that a series carries.
func Most(series []Stretch, s Stream) int {
	if s.Rate <= 0 || !Carry(series, s, 1).Carried {
		return 0
	}
	low, high := 1, 2
	for high < mostAtOnce && Carry(series, s, high).Carried {
		low, high = high, high*2
	}
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
