package engine

// tally sums histograms up. Its zero value is empty, and takes no room before the first.
type tally struct{ whole *histogram }

func (t *tally) add(h *histogram) {
	if t.whole == nil {
		t.whole = newHistogram()
	}
	t.whole.add(h)
}

// histogram returns the sum of all histograms.
func (t *tally) histogram() *histogram {
	if t.whole == nil {
		return newHistogram()
	}
	return t.whole
}
