package logbook

import (
	"slices"
	"testing"
	"time"
)

func TestRetention(t *testing.T) {
	t.Parallel()
	onEachEngine(t, retention)
}

func retention(t *testing.T, book *Logbook) {
	now := time.Date(2026, 11, 1, 9, 0, 0, 0, time.UTC)
	for id, days := range map[string]int{"k-new": 1, "k-older": 100, "k-oldest": 400, "k-kept": 500} {
		keep(t, book, example(id, id, now.AddDate(0, 0, -days)))
	}
	if err := book.AddTags("k-kept", []string{KeepTag}); err != nil {
		t.Fatal(err)
	}
	if r, err := book.Retention(); err != nil || r != (Retention{}) {
		t.Fatalf("a new logbook keeps for %+v, %v", r, err)
	}
	if found, err := book.Expired(Retention{}, now); err != nil || len(found.Sessions)+len(found.Samples) > 0 {
		t.Errorf("what is kept for ever expires: %+v, %v", found, err)
	}
	want := Retention{SampleDays: 30, SessionDays: 365}
	if err := book.SetRetention(want); err != nil {
		t.Fatal(err)
	}
	if r, err := book.Retention(); err != nil || r != want {
		t.Fatalf("it keeps for %+v, %v; want %+v", r, err, want)
	}
	found, err := book.Expired(want, now)
	if err != nil || !slices.Equal(found.Sessions, []string{"k-oldest"}) ||
		!slices.Equal(found.Samples, []string{"k-older", "k-oldest"}) {
		t.Fatalf("expired are %+v, %v", found, err)
	}
	if err := book.Expire(found, func(int) {}); err != nil {
		t.Fatal(err)
	}
	if _, err := book.Load("k-oldest"); err == nil {
		t.Error("the oldest is still there")
	}
	for id, samples := range map[string]int{"k-new": 300, "k-older": 0, "k-kept": 300} {
		s, err := book.Load(id)
		if err != nil || len(s.Passes) != 2 || len(s.Passes[0].Samples) != samples || s.Passes[1].BytesPerSecond != 1e8 {
			t.Errorf("%s: %v, want %d samples", id, err, samples)
		}
	}
	if faults, _, err := book.Check(func(int, int) {}); err != nil || len(faults) > 0 {
		t.Errorf("the logbook does not hold up: %q, %v", faults, err)
	}
	if left, err := book.Expired(want, now); err != nil || len(left.Sessions)+len(left.Samples) > 0 {
		t.Errorf("left are %+v, %v", left, err)
	}
}
