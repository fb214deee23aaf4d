package finding_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/judge/finding"
	"opengauge/core/load/fileset"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/lab/night"
)

// kept is a keeper that remembers what it was told.
type kept struct{ begun, finished, discarded int }

func (k *kept) Begin(*session.Session) error  { k.begun++; return nil }
func (k *kept) Finish(*session.Session) error { k.finished++; return nil }
func (k *kept) Discard(string) error          { k.discarded++; return nil }

func quiet(transfer.Step) {}

// simulatedEnd is a drive that reads and writes at so much, behind a port.
func simulatedEnd(t *testing.T, name string, reads, writes float64, latency time.Duration,
	port *sim.SharedHop) transfer.Endpoint {
	t.Helper()
	demo, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	drive, enclosure := demo.Drives["sandpiper"], demo.Enclosures["barnacle"]
	drive.ReadRate, drive.WriteRate, drive.ReadLatency, drive.WriteLatency = unit.BytesPerSecond(reads),
		unit.BytesPerSecond(writes), latency, latency
	drive.Throttle, drive.Flash = nil, sim.Flash{}
	enclosure.Carries = 20e9
	part, err := sim.Bench{Drives: map[string]sim.Drive{name: drive},
		Enclosures: map[string]sim.Enclosure{"e": enclosure}}.Open(name, sim.Options{Enclosure: "e", Ambient: 23,
		Seed: 1, Shared: port})
	if err != nil {
		t.Fatal(err)
	}
	end := transfer.Endpoint{End: session.End{Address: "sim:" + name, Kind: "simulated", Chain: part.Chain()},
		Simulated: part}
	if port != nil {
		hop := link.Hop{Name: "deck port", Source: link.FromBook,
			State: link.State{Standard: "a port", Ceiling: link.Ceiling{Line: port.Carries, Payload: port.Carries,
				Usable: link.Range{Low: port.Carries * 0.95, High: port.Carries * 1.05}}}}
		end.Chain = link.NewChain(append([]link.Hop{hop}, end.Chain.Hops...)...)
	}
	return end
}

func copied(t *testing.T, set string, size unit.Bytes, ends ...transfer.Endpoint) *session.Session {
	t.Helper()
	made, err := fileset.New(set, size, 1)
	if err != nil {
		t.Fatal(err)
	}
	keeper := &kept{}
	s, err := transfer.Run(t.Context(), transfer.Request{
		ID: "x", Ends: ends, Pairs: [][2]int{{0, 1}}, Sets: []fileset.Set{made}, Repeat: 1, Parallel: 1, Alone: true,
		Sample: time.Second,
	}, keeper, quiet)
	if err != nil || s.State != session.Complete || len(s.Copies) != 3 || keeper.begun != 1 || keeper.finished < 3 {
		t.Fatalf("%v, %+v, kept %+v", err, s, keeper)
	}
	s.Findings = finding.Detect(s, unit.Decimal)
	return s
}

// named gives what a session's finding says is the limit.
func named(s *session.Session) string {
	for _, f := range s.Findings {
		if end, ok := f.Evidence.Fact("end").(string); ok {
			return end
		}
	}
	return ""
}

// The end that is named is the one that was made the slower.
func TestTheNamedEndOfRandomPairs(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(7, 1))
	pairs := night.Tries(t, 800)
	right := 0
	for range pairs {
		fast := 300e6 + 2000e6*r.Float64()
		slow := fast * (0.2 + 0.7*r.Float64())
		reads, writes, want := fast, slow, "destination"
		if r.IntN(2) == 0 {
			reads, writes, want = slow, fast, "source"
		}
		set, size := "large-file", unit.GiB
		if r.IntN(3) == 0 {
			set, size = "media-project", 2*unit.GiB
		}
		s := copied(t, set, size, simulatedEnd(t, "a", reads, 3e9, 65*time.Microsecond, nil),
			simulatedEnd(t, "b", 3e9, writes, 65*time.Microsecond, nil))
		if got := named(s); got == want {
			right++
		} else {
			t.Logf("reads %.0f, writes %.0f, %s: named %q, want %q: %s", reads, writes, set, got, want,
				s.Findings[0].Summary)
		}
	}
	t.Logf("%d of %d are right", right, pairs)
	if right < pairs*98/100 {
		t.Errorf("%d of %d are right", right, pairs)
	}
}

func TestWhatElseHoldsACopy(t *testing.T) {
	port := &sim.SharedHop{Carries: 1000e6}
	for name, c := range map[string]struct {
		s    *session.Session
		want string
	}{
		"both ends": {copied(t, "large-file", unit.GiB, simulatedEnd(t, "a", 800e6, 3e9, 0, nil),
			simulatedEnd(t, "b", 3e9, 800e6, 0, nil)), "both"},
		"a shared port": {copied(t, "large-file", unit.GiB, simulatedEnd(t, "a", 3e9, 3e9, 0, port),
			simulatedEnd(t, "b", 3e9, 3e9, 0, port)), "shared hop"},
		"many files": {copied(t, "small-files", 32*unit.MiB, simulatedEnd(t, "a", 1e9, 1e9, 200*time.Microsecond,
			nil), simulatedEnd(t, "b", 1e9, 1e9, 200*time.Microsecond, nil)), "many files"},
	} {
		if got := named(c.s); got != c.want {
			t.Errorf("%s: named %q: %+v", name, got, c.s.Findings)
		}
		if !strings.Contains(c.s.Findings[0].Summary, "the copy runs at") ||
			!strings.Contains(c.s.Findings[0].Summary, "the source alone gives") {
			t.Errorf("%s: the arithmetic is not said: %s", name, c.s.Findings[0].Summary)
		}
	}
}

// One pair is the same device both ways, whatever the files; a copy that is faster than
// its end alone is no proof of anything; and repeats decide between ends that are close.
func TestWhatHoldsACopyIsLikelyOrOpen(t *testing.T) {
	device := []session.End{{Address: "/a", Device: "/dev/x"}, {Address: "/b", Device: "/dev/x"}}
	apart := []session.End{{Address: "/a", Device: "/dev/x"}, {Address: "/b", Device: "/dev/y"}}
	of := func(ends []session.End, median unit.Bytes, source, dest, whole []float64) *session.Session {
		s := &session.Session{Ends: ends}
		add := func(work string, from, to int, rates []float64) {
			for _, r := range rates {
				s.Copies = append(s.Copies, session.Copy{Work: work, From: from, To: to, Set: "archive", Parallel: 1,
					BytesPerSecond: unit.BytesPerSecond(r * 1e6), Bytes: unit.GB, ElapsedSeconds: 10,
					Spread: fileset.Spread{Median: median, Files: 100}})
			}
		}
		add(session.CopySource, 0, -1, source)
		add(session.CopyDestination, -1, 1, dest)
		add(session.CopyWhole, 0, 1, whole)
		s.Findings = finding.Detect(s, unit.Decimal)
		return s
	}
	for name, c := range map[string]struct {
		s    *session.Session
		want string
	}{
		"one device, small files":   {of(device, 4096, []float64{500}, []float64{500}, []float64{240}), "same device"},
		"one device, a large file":  {of(device, unit.GB, []float64{500}, []float64{480}, []float64{250}), "same device"},
		"one device, the other way": {of(device, 4096, []float64{480}, []float64{500}, []float64{255}), "same device"},
		"faster than alone":         {of(apart, unit.GB, []float64{449}, []float64{900}, []float64{523}), "between"},
		"close, once":               {of(apart, unit.GB, []float64{500}, []float64{515}, []float64{480}), "both"},
		"close, often": {of(apart, unit.GB, []float64{500, 501, 499, 500}, []float64{530, 529, 531, 530},
			[]float64{480, 482, 481}), "source"},
		"much slower than either": {of(apart, unit.GB, []float64{500}, []float64{600}, []float64{150}), "between"},
	} {
		if got := named(c.s); got != c.want {
			t.Errorf("%s: named %q, want %q: %s", name, got, c.want, c.s.Findings[0].Summary)
		}
		sum := 0.0
		for _, share := range c.s.Findings[0].Shares {
			sum += share.Share
		}
		if !(sum >= 0.9 && sum <= 1.05) {
			t.Errorf("%s: the shares add up to %.2f", name, sum)
		}
	}
}
