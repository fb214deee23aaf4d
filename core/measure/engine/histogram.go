package engine

import (
	"math/bits"
	"time"
)

// longestLatency is the longest that is told apart; longer ones count as it.
const longestLatency = time.Hour

const (
	// steps are how many values of a power of two are told apart, so that three digits of
	// any latency are known (the layout of high dynamic range histograms: the first
	// 2·steps nanoseconds have a place each, then steps for each doubling).
	stepBits = 10
	steps    = 1 << stepBits
	// places is how many are needed up to the longest latency.
	places = (42 - stepBits + 1) * steps
)

// placeOf is where a latency is counted, in nanoseconds from 0 to the longest.
func placeOf(latency int64) int {
	doublings := bits.Len64(uint64(latency)|(2*steps-1)) - (stepBits + 1)
	return doublings<<stepBits + int(latency>>doublings)
}

// highestAt is the longest latency that is counted at a place.
func highestAt(place int) int64 {
	if place < 2*steps {
		return int64(place)
	}
	doublings := place>>stepBits - 1
	return int64(place-doublings<<stepBits+1)<<doublings - 1
}

// histogram counts latencies to three significant digits, with their exact sum and greatest beside it. It
// remembers which places it touched, so that emptying it and adding it to another one costs as much as was
// recorded, and not as could have been.
type histogram struct {
	counts    []int64
	low, high int // places that may not be zero; high is below low when all are
	count     int64
	sum       time.Duration
	longest   time.Duration
}

func newHistogram() *histogram {
	return &histogram{counts: make([]int64, places), low: places, high: -1}
}

func (h *histogram) record(latency time.Duration) {
	latency = min(max(latency, 0), longestLatency)
	place := placeOf(int64(latency))
	h.counts[place]++
	h.low = min(h.low, place)
	h.high = max(h.high, place)
	h.count++
	h.sum += latency
	h.longest = max(h.longest, latency)
}

func (h *histogram) reset() {
	if h.low <= h.high {
		clear(h.counts[h.low : h.high+1])
	}
	h.low = places
	h.high = -1
	h.count = 0
	h.sum = 0
	h.longest = 0
}

// add adds the counts of another one.
func (h *histogram) add(other *histogram) {
	for place := other.low; place <= other.high; place++ {
		h.counts[place] += other.counts[place]
	}
	h.low = min(h.low, other.low)
	h.high = max(h.high, other.high)
	h.count += other.count
	h.sum += other.sum
	h.longest = max(h.longest, other.longest)
}

// seconds is the latency that a share of the operations did not exceed.
func (h *histogram) seconds(share float64) float64 {
	if h.count == 0 {
		return 0
	}
	wanted := min(max(int64(share*float64(h.count)+0.5), 1), h.count)
	seen := int64(0)
	for place := h.low; place <= h.high; place++ {
		if seen += h.counts[place]; seen >= wanted {
			return min(time.Duration(highestAt(place)), h.longest).Seconds()
		}
	}
	return h.longest.Seconds()
}

// middleAndTail are the latencies that half and 99 of 100 operations did not exceed.
func (h *histogram) middleAndTail() (p50, p99 float64) { return h.seconds(0.50), h.seconds(0.99) }

func (h *histogram) latency() Latency {
	if h.count == 0 {
		return Latency{}
	}
	return Latency{
		MeanSeconds: h.sum.Seconds() / float64(h.count),
		P50Seconds:  h.seconds(0.50), P90Seconds: h.seconds(0.90),
		P99Seconds: h.seconds(0.99), P999Seconds: h.seconds(0.999),
		MaxSeconds: h.longest.Seconds(),
	}
}
