package engine

import (
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"
)

// tally sums histograms up. It adds their counts as they lie, which takes a
// tenth of the time of merging value by value: a pass of a day has 86 400.
type tally struct {
	counts  *hdrhistogram.Snapshot // nil before the first
	sum     time.Duration
	longest time.Duration
}

func (t *tally) add(h *histogram) {
	more := h.counts.Export()
	t.sum += h.sum
	t.longest = max(t.longest, h.longest)
	if t.counts == nil {
		t.counts = more
		return
	}
	for i, count := range more.Counts {
		t.counts.Counts[i] += count
	}
}

// histogram is that of everything added.
func (t *tally) histogram() *histogram {
	if t.counts == nil {
		return newHistogram()
	}
	return &histogram{counts: hdrhistogram.Import(t.counts), sum: t.sum, longest: t.longest}
}
