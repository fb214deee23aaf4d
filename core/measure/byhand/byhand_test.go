package byhand

import (
	"math"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
)

// shelf keeps what it is given last.
type shelf struct {
	begun, discarded bool
	kept             session.Session
}

func (s *shelf) Begin(*session.Session) error { s.begun = true; return nil }

func (s *shelf) Finish(made *session.Session) error { s.kept = *made; return nil }

func (s *shelf) Discard(string) error { s.discarded = true; return nil }

func asked() Request {
	return Request{
		ID: "abc", From: session.End{Address: "tablet"}, To: session.End{Address: "stick"}, Set: "footage",
		Spread: fileset.Spread{Files: 10, Bytes: 26e9}, WithinSeconds: Within,
	}
}

func TestTimesThatWereTakenByHand(t *testing.T) {
	kept := &shelf{}
	r, err := Begin(asked(), kept)
	if err != nil || !kept.begun {
		t.Fatal(err)
	}
	if err := r.Add(52, []float64{20, 41.5}); err != nil {
		t.Fatal(err)
	}
	if kept.kept.State != session.Interrupted || len(kept.kept.Copies) != 1 {
		t.Errorf("after the first it is kept as %s with %d copies", kept.kept.State, len(kept.kept.Copies))
	}
	if err := r.Add(0.1, nil); err == nil {
		t.Error("a time below a reaction is taken")
	}
	if err := r.Abandon(7, nil); err != nil {
		t.Fatal(err)
	}
	if err := r.Add(65, nil); err != nil {
		t.Fatal(err)
	}
	s, err := r.End(false)
	if err != nil || s.State != session.Complete || r.Taken() != 2 || len(s.Copies) != 3 {
		t.Fatalf("%+v, %v", s, err)
	}
	first, never, last := s.Copies[0], s.Copies[1], s.Copies[2]
	if first.BytesPerSecond != 500e6 || first.FilesPerSecond != 10.0/52 || len(first.ByHand.LapsSeconds) != 2 ||
		first.Repeat != 0 || last.Repeat != 1 || last.Index != 2 {
		t.Errorf("%+v and %+v", first, last)
	}
	if never.Counts() || never.Failure != "the stopwatch was never stopped" || never.BytesPerSecond != 0 {
		t.Errorf("one that was never stopped is %+v", never)
	}
	if !s.ByHand() || s.DisplayName() != "abc (by hand)" {
		t.Errorf("it is called %s", s.DisplayName())
	}
	_, pass := s.Recording(&first)
	low, high := float64(pass.Throughput.Low), float64(pass.Throughput.High)
	if !(math.Abs(low-26e9/52.2) <= 1) || !(math.Abs(high-26e9/51.8) <= 1) {
		t.Errorf("a reaction makes it %v to %v", low, high)
	}
	if err := s.Check(); err != nil {
		t.Errorf("what was made by hand does not hold: %v", err)
	}
}

func TestNothingWasTaken(t *testing.T) {
	kept := &shelf{}
	r, err := Begin(asked(), kept)
	if err != nil {
		t.Fatal(err)
	}
	if s, err := r.End(true); s != nil || err != nil || !kept.discarded {
		t.Errorf("%+v, %v, discarded %t", s, err, kept.discarded)
	}
	r, _ = Begin(asked(), kept)
	if err := r.Abandon(3, nil); err != nil {
		t.Fatal(err)
	}
	if s, _ := r.End(false); s == nil || s.State != session.Interrupted {
		t.Errorf("a session of nothing but a clock that was never stopped is %+v", s)
	}
}

func TestRequestsThatAreNone(t *testing.T) {
	for name, change := range map[string]func(*Request){
		"no end":            func(r *Request) { r.To.Address = "" },
		"no size":           func(r *Request) { r.Spread.Bytes = 0 },
		"no files":          func(r *Request) { r.Spread.Files = 0 },
		"no uncertainty":    func(r *Request) { r.WithinSeconds = 0 },
		"not a number":      func(r *Request) { r.WithinSeconds = math.NaN() },
		"a minute and more": func(r *Request) { r.WithinSeconds = 61 },
	} {
		r := asked()
		change(&r)
		if _, err := Begin(r, &shelf{}); err == nil {
			t.Errorf("%s: it is begun", name)
		}
	}
	for _, seconds := range []float64{0, -1, 0.2, math.NaN(), math.Inf(1), 1e9} {
		if asked().CheckSeconds(seconds) == nil {
			t.Errorf("%v s are a time", seconds)
		}
	}
}

func TestTheWatch(t *testing.T) {
	var w Watch
	now := time.Now()
	w.Lap(now) // it does not run
	if w.Running() || w.Seconds(now) != 0 {
		t.Error("it runs before it was started")
	}
	w.Start(now)
	w.Lap(now.Add(3 * time.Second))
	if !w.Running() || w.Seconds(now.Add(5*time.Second)) != 5 {
		t.Errorf("after 5 s it shows %v", w.Seconds(now.Add(5*time.Second)))
	}
	seconds, laps := w.Stop(now.Add(7 * time.Second))
	again, _ := w.Stop(now.Add(9 * time.Second))
	if seconds != 7 || again != 7 || len(laps) != 1 || laps[0] != 3 || w.Running() {
		t.Errorf("it was stopped at %v, then %v, with %v", seconds, again, laps)
	}
	w.Start(now.Add(20 * time.Second))
	if len(w.Laps()) != 0 || w.Seconds(now.Add(21*time.Second)) != 1 {
		t.Error("it does not start anew")
	}
	w.Clear()
	if w.Running() || w.Seconds(now) != 0 {
		t.Error("it is not cleared")
	}
}
