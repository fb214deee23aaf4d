package engine

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/HdrHistogram/hdrhistogram-go"
)

// A library that counts the same way is the witness: what this says of shares of any
// latencies, that says too.
func TestHistogramsAgreeWithTheirWitness(t *testing.T) {
	for seed := range uint64(20) {
		chance := rand.New(rand.NewPCG(seed, 1))
		own, witness := newHistogram(), hdrhistogram.New(1, int64(longestLatency), 3)
		for range 1 + chance.IntN(3000) {
			latency := time.Duration(math.Exp(chance.Float64() * math.Log(float64(longestLatency))))
			if chance.IntN(50) == 0 {
				latency = time.Duration(chance.IntN(3)) * longestLatency / 2 // ends of the range
			}
			own.record(latency)
			if err := witness.RecordValue(int64(latency)); err != nil {
				t.Fatal(err)
			}
		}
		for _, share := range []float64{0.001, 0.1, 0.5, 0.9, 0.99, 0.999, 1} {
			want := min(time.Duration(witness.ValueAtQuantile(share*100)), own.longest).Seconds()
			if got := own.seconds(share); got != want {
				t.Errorf("seed %d: %v of the operations took no longer than %v s, and the witness says %v s", seed, share, got,
					want)
			}
		}
		if own.count != witness.TotalCount() {
			t.Errorf("seed %d: %d counted, the witness has %d", seed, own.count, witness.TotalCount())
		}
	}
}

// Every place holds the latencies that are counted at it, and no others.
func TestPlacesOfLatenciesFollowEachOther(t *testing.T) {
	for place := range places - 1 {
		if top := highestAt(place); placeOf(top) != place || placeOf(top+1) != place+1 {
			t.Fatalf("place %d ends at %d, which is counted at %d, and the next at %d", place, top, placeOf(top),
				placeOf(top+1))
		}
	}
	if place := placeOf(int64(longestLatency)); place >= places {
		t.Errorf("the longest latency is at place %d of %d", place, places)
	}
}

// What was emptied is as new.
func TestAnEmptiedHistogramIsEmpty(t *testing.T) {
	h := newHistogram()
	h.record(time.Millisecond)
	h.record(3 * time.Second)
	h.reset()
	h.record(time.Microsecond)
	if h.count != 1 || h.seconds(1) != time.Microsecond.Seconds() || h.counts[placeOf(int64(time.Millisecond))] != 0 {
		t.Errorf("%d counted, the longest %v s", h.count, h.seconds(1))
	}
}
