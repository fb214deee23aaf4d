package engine

import (
	"testing"
)

// Each write is as likely to be remembered as any other, in one worker and over several.
func TestPlacesAreDrawnFromAllWrites(t *testing.T) {
	const tries, writes = 300, 4000
	var thirds [3]int
	for range tries {
		all := &Written{}
		for worker := range 2 {
			s := &sampled{}
			for i := range writes * (worker + 1) {
				s.note(int64(worker*writes+i)*4096, 4096, false)
			}
			all.take(s)
		}
		places := all.Places()
		if len(places) != mostPlaces {
			t.Fatalf("%d places are remembered, want %d", len(places), mostPlaces)
		}
		for _, place := range places {
			thirds[place.Offset/4096/writes]++
		}
	}
	for i, got := range thirds {
		if want := tries * mostPlaces / 3; got < want*95/100 || got > want*105/100 {
			t.Errorf("of the %d. third of all writes %d are remembered, want about %d", i+1, got, want)
		}
	}
}

func TestPlacesKnowWhatWasFlushed(t *testing.T) {
	all := &Written{}
	first := &sampled{}
	first.note(0, 512, false)
	first.note(512, 512, true)
	all.take(first)
	if got := all.Places(); len(got) != 2 || got[0] != (Place{512, 512, true}) || got[1] != (Place{0, 512, false}) {
		t.Errorf("before a flush: %+v", got)
	}
	second := &sampled{}
	second.note(1024, 512, false)
	second.flush()
	second.note(2048, 512, false)
	all.take(second)
	for _, place := range all.Places() {
		if want := place.Offset == 512 || place.Offset == 1024; place.Flushed != want {
			t.Errorf("a write behind the last flush: %+v", place)
		}
	}
	all.Forget()
	if got := all.Places(); len(got) > 0 {
		t.Errorf("forgotten, there are %+v", got)
	}
}
