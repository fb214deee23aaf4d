package transfer

import (
	"slices"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
)

// Copies come before the work of single ends, and every other repeat goes backwards, so
// that no way is always the later one.
func TestOrderOfWork(t *testing.T) {
	r := Request{Pairs: [][2]int{{0, 1}, {1, 0}}, Sets: []fileset.Set{{Name: "a"}}, Repeat: 3, Alone: true}
	jobs := r.jobs()
	var froms []int
	for i, j := range jobs {
		if copies := i < 6; copies != (j.work == Copying) {
			t.Fatalf("piece %d is %s", i, j.work)
		}
		if j.work == Copying {
			froms = append(froms, j.from)
		}
	}
	if want := []int{0, 1, 1, 0, 0, 1}; !slices.Equal(froms, want) || len(jobs) != 6+4 {
		t.Errorf("copies from %v, want %v; %d pieces of work", froms, want, len(jobs))
	}
}

func TestRestsAreAsLongAsTheWorkBefore(t *testing.T) {
	s, err := Run(t.Context(), request(t, AsLongAsBefore), nobody{}, func(Step) {})
	if err != nil {
		t.Fatal(err)
	}
	for i, c := range s.Copies {
		want := 0.0
		if i > 0 {
			before := s.Copies[i-1]
			want = min(before.ElapsedSeconds, LongestRest.Seconds())
			if gap := c.StartedSeconds - before.StartedSeconds - before.ElapsedSeconds; gap < want-0.001 {
				t.Errorf("copy %d began %.1f s after the one before, want %.1f", i, gap, want)
			}
		}
		if got := c.RestedSeconds; got < want-0.001 || got > want+0.001 {
			t.Errorf("copy %d rested for %.3f s, want %.3f", i, got, want)
		}
	}
	// A destination that was freed and rested is as it was: 3 x 100 GB into 163 GB of fast area.
	times := []float64{s.Copies[0].ElapsedSeconds, s.Copies[1].ElapsedSeconds, s.Copies[2].ElapsedSeconds}
	if slices.Max(times) > 1.01*slices.Min(times) || s.Copies[2].WrittenBefore != 200e9 {
		t.Errorf("copies took %v s, %s written before the third", times, s.Copies[2].WrittenBefore.Decimal())
	}
	if s, err = Run(t.Context(), request(t, 0), nobody{}, func(Step) {}); err != nil || s.Copies[1].RestedSeconds != 0 {
		t.Errorf("without a rest: %+v, %v", s.Copies[1].RestedSeconds, err)
	}
}

// request is 100 GB from a fast source to a drive with a fast write area, three times.
func request(t *testing.T, rest time.Duration) Request {
	t.Helper()
	set, err := fileset.New("large-file", 100e9, 1)
	if err != nil {
		t.Fatal(err)
	}
	ends := []Endpoint{demoPart(t, "curlew", "limpet"), demoPart(t, "dunlin", "barnacle")}
	return Request{Ends: ends, Pairs: [][2]int{{0, 1}},
		Sets: []fileset.Set{set}, Repeat: 3, Parallel: 1, Rest: rest, Sample: time.Second}
}

// demoPart is a simulated drive in a case.
func demoPart(t *testing.T, drive, enclosure string) Endpoint {
	t.Helper()
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	opened, err := bench.Open(drive, sim.Options{Enclosure: enclosure, Ambient: 23, Seed: 1})
	if err != nil {
		t.Fatal(err)
	}
	return Endpoint{End: session.End{Address: drive, Kind: "simulated"}, Simulated: opened}
}

// nobody keeps nothing.
type nobody struct{}

func (nobody) Begin(*session.Session) error  { return nil }
func (nobody) Finish(*session.Session) error { return nil }
func (nobody) Discard(string) error          { return nil }
