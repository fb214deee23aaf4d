package engine

import (
	"testing"
	"time"
)

// A tally of parts says what one histogram of all of them says.
func TestTallySumsHistograms(t *testing.T) {
	var all tally
	if got := all.histogram().latency(); got != (Latency{}) {
		t.Errorf("a tally of nothing has latencies %+v", got)
	}
	whole := newHistogram()
	for _, part := range [][]time.Duration{{time.Microsecond, 30 * time.Microsecond}, {},
		{time.Millisecond, 2 * time.Second, 2 * time.Hour}} {
		one := newHistogram()
		for _, latency := range part {
			one.record(latency)
			whole.record(latency)
		}
		all.add(one)
		one.reset() // the tally keeps no hold of it
	}
	if got, want := all.histogram().latency(), whole.latency(); got != want {
		t.Errorf("latencies are %+v, want %+v", got, want)
	}
	if got := all.histogram().count; got != 5 {
		t.Errorf("%d counted, want 5", got)
	}
}
