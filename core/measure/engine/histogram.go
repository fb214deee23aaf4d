package engine

import (
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"
)

// longestLatency is the longest that is told apart; longer ones count as it.
const longestLatency = time.Hour

// histogram counts latencies to three significant digits, with their exact sum
// and greatest beside it.
type histogram struct {
	counts  *hdrhistogram.Histogram
	sum     time.Duration
	longest time.Duration
}

func newHistogram() *histogram {
	return &histogram{counts: hdrhistogram.New(1, int64(longestLatency), 3)}
}

func (h *histogram) record(latency time.Duration) {
	latency = min(max(latency, 0), longestLatency)
	_ = h.counts.RecordValue(int64(latency)) // in range, so it cannot fail
	h.sum += latency
	h.longest = max(h.longest, latency)
}

func (h *histogram) reset() {
	h.counts.Reset()
	h.sum, h.longest = 0, 0
}

// seconds is the latency that a share of the operations did not exceed.
func (h *histogram) seconds(share float64) float64 {
	if h.counts.TotalCount() == 0 {
		return 0
	}
	return min(time.Duration(h.counts.ValueAtQuantile(share*100)), h.longest).Seconds()
}

// middleAndTail are the latencies that half and 99 of 100 operations did not
// exceed, found in one go.
func (h *histogram) middleAndTail() (p50, p99 float64) {
	if h.counts.TotalCount() == 0 {
		return 0, 0
	}
	const middle, tail = 50.0, 99.0
	values := h.counts.ValueAtPercentiles([]float64{middle, tail})
	return min(time.Duration(values[middle]), h.longest).Seconds(),
		min(time.Duration(values[tail]), h.longest).Seconds()
}

func (h *histogram) latency() Latency {
	count := h.counts.TotalCount()
	if count == 0 {
		return Latency{}
	}
	return Latency{
		MeanSeconds: h.sum.Seconds() / float64(count),
		P50Seconds:  h.seconds(0.50), P90Seconds: h.seconds(0.90),
		P99Seconds: h.seconds(0.99), P999Seconds: h.seconds(0.999),
		MaxSeconds: h.longest.Seconds(),
	}
}
