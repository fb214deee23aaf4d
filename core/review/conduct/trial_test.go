package conduct

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"os"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/measure/run"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/storage/sim"
	"opengauge/lab/night"
)

// nowhere keeps nothing: what is measured is in the guide.
type nowhere struct{}

func (nowhere) Begin(*session.Session) error       { return nil }
func (nowhere) AddPass(string, session.Pass) error { return nil }
func (nowhere) Finish(*session.Session) error      { return nil }
func (nowhere) Discard(string) error               { return nil }
func forgetting() (run.Keeper, func() error, error) {
	return nowhere{}, func() error { return nil }, nil
}

// trial is a simulated review whose truth is known: drives that differ in nothing but how
// fast they write, by what was drawn, in cases that carry everything.
type trial struct {
	review review.Review
	book   book.Book
	parts  sim.Bench
	hands  Hands
	seed   uint64
	// truth is what each cell gives in bytes a second, and lead by how much the best drive
	// is ahead of the next.
	truth map[string]float64
	lead  float64
}

const matters = 0.05

// draw makes the trial of a seed, with a lead from and to.
func draw(seed uint64, from, to float64) (trial, error) {
	chance := rand.New(rand.NewPCG(seed, 77))
	tr := trial{seed: seed, truth: map[string]float64{}, lead: from + chance.Float64()*(to-from),
		hands: Hands{Spread: 0.02 + 0.06*chance.Float64(), Days: 0.05, Wrong: 0.1}}
	drives, hosts := 2+chance.IntN(4), 1+chance.IntN(2)
	best := 600 + 900*chance.Float64()
	rates := []float64{best, best * (1 - tr.lead)}
	for len(rates) < drives {
		rates = append(rates, rates[1]*(1-0.1*chance.Float64()))
	}
	for i := range rates {
		rates[i] = math.Round(rates[i])
	}
	chance.Shuffle(drives, func(i, j int) { rates[i], rates[j] = rates[j], rates[i] })
	var bench, simulated, names strings.Builder
	bench.WriteString("hosts:\n  desk: {ports: {a: usb4 40g}}\n  deck: {ports: {a: usb4 40g}}\nenclosures:\n  case: " +
		"{link: " +
		"usb4 40g, cooling: passive}\ndrives:\n")
	simulated.WriteString("enclosures:\n  case: {about: a case, link: usb4 40g, latency: 9us, per-operation: 1us, " +
		"carries: " +
		"9000MB/s, heat-capacity: 12, resistance: 9, cooling: passive}\nvolumes: {}\ndrives:\n")
	for i, rate := range rates {
		fmt.Fprintf(&bench, "  drive%d: {link: pcie 4.0 x4, capacity: 1000GB, serial: SN-%d}\n", i, i)
		// What it writes in one visit fills its fast area by more than half, and heats it to
		// near where it slows.
		fmt.Fprintf(&simulated, "  drive%d: {about: a drive, capacity: 1000GB, link: pcie 4.0 x4, parallelism: 32, "+
			"read-latency: 60us, write-latency: 18us, flush-latency: 900us, jitter: 10%%, read-rate: 3000MB/s, write-rate: "+
			"%.0fMB/s, idle-power: 0.8, read-energy: 2, write-energy: 9, throttle: [{at: 48C, until: 44C, rate: 300MB/s}], "+
			"fast-area: {empty: %.0fMB, least: 5GB, spent-rate: 200MB/s, drain-rate: %.0fMB/s}}\n", i, rate,
			rate*8*1.6, rate*(1.2+chance.Float64()))
		fmt.Fprintf(&names, ", drive%d", i)
	}
	compare := "compare:\n  drive: [" + names.String()[2:] + "]\nwith: {host: desk, enclosure: case}\n"
	over := ""
	if hosts == 2 {
		compare, over = "compare:\n  host: [desk, deck]\n  drive: ["+names.String()[2:]+"]\nwith: {enclosure: "+
			"case}\n", ", over: host"
	}
	source := "review: trial\nquestion: Which drive?\n" + compare + "measure:\n  - plan: PLAN\ndecide: {largest: " +
		"rate, of: " +
		"write, matters: 5%, sure: 0.95" + over + "}\nbudget: {visits-at-most: 8, rest-at-most: 20m}\n"
	if err := tr.parse(bench.String(), simulated.String(), source); err != nil {
		return tr, err
	}
	for _, c := range tr.review.Cells() {
		var at int
		_, _ = fmt.Sscanf(c.Storage(), "drive%d", &at)
		tr.truth[c.Name] = rates[at] * 1e6
	}
	return tr, nil
}

func (tr *trial) parse(bench, simulated, source string) error {
	file, err := os.CreateTemp("", "short-*.yaml")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name())
	_, err = file.WriteString("plan: short\nsteps:\n  - sustain: {operation: write, access: sequential, block: 1MiB, " +
		"depth: 8, for: 8s}\n")
	if err = errors.Join(err, file.Close()); err != nil {
		return err
	}
	if tr.book, err = book.Parse("bench.yaml", []byte(bench)); err != nil {
		return err
	}
	if tr.parts, err = sim.ParseBench("sim.yaml", []byte(simulated)); err != nil {
		return err
	}
	tr.review, err = review.Parse("review.yaml", []byte(strings.Replace(source, "PLAN", file.Name(), 1)), tr.book)
	return err
}

func (tr *trial) bench() *Simulated {
	b := NewSimulated(tr.book, forgetting, tr.seed, nil)
	b.Parts, b.Hands, b.Cells = &tr.parts, tr.hands, tr.review.Cells()
	return b
}

// outcome is what came of a trial.
type outcome struct {
	lead          float64
	said, right   bool
	runs, allRuns int
	found         int
}

// judged holds an answer against the truth.
func (tr *trial) judged(a *answer.Answer) outcome {
	o := outcome{lead: tr.lead, said: a.Settled()}
	best, named := 0.0, 0.0
	for cell, rate := range tr.truth {
		best = max(best, rate)
		if c, _ := tr.review.Cell(cell); c.Storage() == a.Verdicts[0].Named {
			named = rate
		}
	}
	o.right = named >= best*(1-matters)
	return o
}

// run goes through a trial as a reviewer would.
func (tr *trial) run() (outcome, error) {
	bench := tr.bench()
	guide := &Guide{Design: design.New(tr.review), Bench: bench}
	a, _, err := guide.Run(context.Background())
	if err != nil {
		return outcome{}, err
	}
	o := tr.judged(&a)
	o.runs, o.allRuns, o.found = len(guide.Sessions), 8*len(tr.review.Cells()), bench.Found
	return o, nil
}

// cellByCell is the control: each cell as often as in the whole design, one after the other,
// and judged as if all days were one.
func (tr *trial) cellByCell() (outcome, error) {
	bench := tr.bench()
	var sessions []*session.Session
	order := 0
	for _, c := range tr.review.Cells() {
		for visit := 1; visit <= 8; visit++ {
			if bench.clock += workingDay / 8; visit == 1 {
				bench.clock = (bench.clock/workingDay + 1) * workingDay
			}
			order++
			step := Step{Visit: design.Visit{Cell: c.Name, Number: visit, Order: order, Day: "one day"}, Cell: c}
			guide := &Guide{Design: design.New(tr.review), Bench: bench, Sessions: sessions}
			st := reading.Of(&guide.Design.Review, sessions)
			if err := guide.visit(context.Background(), step, &st); err != nil {
				return outcome{}, err
			}
			sessions = guide.Sessions
		}
	}
	d := design.New(tr.review)
	st := reading.Of(&d.Review, sessions)
	a := answer.Of(d, &st)
	return tr.judged(&a), nil
}

// bins of the lead, in shares.
var bins = []float64{0, 0.025, 0.05, 0.075, 0.10, 0.15}

// tally is what came of many trials.
type tally struct {
	trials, said, right, runs, all, found int
}

func (s tally) String() string {
	return fmt.Sprintf("%d trials, %d said (%.0f %%), %d of them right (%.1f %%), %.0f %% of the runs made", s.trials,
		s.said, 100*float64(s.said)/float64(max(s.trials, 1)), s.right, 100*float64(s.right)/float64(max(s.said, 1)),
		100*float64(s.runs)/float64(max(s.all, 1)))
}

func (s *tally) add(o outcome) {
	s.trials, s.runs, s.all, s.found = s.trials+1, s.runs+o.runs, s.all+o.allRuns, s.found+o.found
	if o.said {
		s.said++
		if o.right {
			s.right++
		}
	}
}

// many runs trials on all processors, and adds them up by bins of the lead.
func many(t *testing.T, count int, seed uint64, leads [2]float64, one func(*trial) (outcome, error)) (each []tally,
	all tally) {
	each = make([]tally, len(bins)-1)
	var lock sync.Mutex
	var group sync.WaitGroup
	next := make(chan uint64)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() {
			for n := range next {
				tr, err := draw(seed+n, leads[0], leads[1])
				o := outcome{}
				if err == nil {
					o, err = one(&tr)
				}
				if err != nil {
					t.Errorf("seed %d: %v", seed+n, err)
					continue
				}
				lock.Lock()
				for at := range each {
					if o.lead >= bins[at] && o.lead < bins[at+1] {
						each[at].add(o)
					}
				}
				all.add(o)
				lock.Unlock()
			}
		})
	}
	for n := range count {
		next <- uint64(n)
	}
	close(next)
	group.Wait()
	return each, all
}

// seedFrom is what trials are drawn from: of a text, such as the hash of a commit.
func seedFrom(text string) uint64 {
	sum := fnv.New64a()
	_, _ = sum.Write([]byte(text)) // never fails
	return sum.Sum64()
}

// Where an answer is said to be sure, it is right as often as that, however far ahead the
// best is; where the best is far ahead it is said; and it stops early. OPENGAUGE_REVIEWS is
// how many trials there are, and OPENGAUGE_SEED what they are drawn from.
func TestReviewsAreRight(t *testing.T) {
	count, err := strconv.Atoi(os.Getenv("OPENGAUGE_REVIEWS"))
	if err != nil {
		count = night.Tries(t, 240)
	}
	seed := seedFrom(os.Getenv("OPENGAUGE_SEED"))
	each, all := many(t, count, seed, [2]float64{0, bins[len(bins)-1]}, (*trial).run)
	silent, clear := 0, 0
	for at, s := range each {
		t.Logf("lead %4.1f to %4.1f %%: %s", 100*bins[at], 100*bins[at+1], s)
		// Three deviations of a share of 0.95 of so many.
		if allowed := 0.05*float64(s.said) + 3*0.218*sqrt(s.said); float64(s.said-s.right) > allowed {
			t.Errorf("lead %.3f to %.3f: %d of %d said are wrong", bins[at], bins[at+1], s.said-s.right, s.said)
		}
		if bins[at] >= 2*matters {
			silent, clear = silent+s.trials-s.said, clear+s.trials
		}
	}
	t.Logf("in all: %s; %d of %d silent where the lead is above twice what matters; %d wrong parts "+
		"found", all, silent, clear,
		all.found)
	if float64(silent) > 0.15*float64(clear)+3*0.36*sqrt(clear) {
		t.Errorf("%d of %d are silent where the lead is clear", silent, clear)
	}
	if float64(all.runs) > 0.7*float64(all.all) {
		t.Errorf("%d of %d runs were made: less than 30 %% are saved", all.runs, all.all)
	}
	if all.said == 0 || all.found == 0 {
		t.Error("nothing was said, or no wrong part was found")
	}
}

func sqrt(count int) float64 { return math.Sqrt(float64(count)) }

// A control of what the design is for: cells one after the other, judged as if all days were
// one, are not right as often as they say where the lead is just what matters.
func TestBlocksAreNeeded(t *testing.T) {
	const from, to = 0.05, 0.065
	count := night.Tries(t, 240)
	alike := func(one func(*trial) (outcome, error)) tally {
		_, all := many(t, count, seedFrom("control"), [2]float64{from, to}, func(tr *trial) (outcome, error) {
			tr.hands.Spread = 0.02
			return one(tr)
		})
		return all
	}
	naive, good := alike((*trial).cellByCell), alike((*trial).run)
	t.Logf("cell by cell: %s", naive)
	t.Logf("in blocks: %s", good)
	if float64(naive.right) >= 0.95*float64(naive.said) {
		t.Errorf("it does without blocks: %s", naive)
	}
	if float64(good.right) < 0.95*float64(good.said) || good.said == 0 {
		t.Errorf("in blocks: %s", good)
	}
}

// A control of what looking is for: hands that nobody checks measure other parts than they
// say.
func TestLookingIsNeeded(t *testing.T) {
	const from, to = 0.1, 0.15
	count := night.Tries(t, 160)
	_, good := many(t, count, seedFrom("control"), [2]float64{from, to}, (*trial).run)
	_, careless := many(t, count, seedFrom("control"), [2]float64{from, to}, func(tr *trial) (outcome, error) {
		tr.hands.Careless, tr.hands.Wrong = true, 0.5
		return tr.run()
	})
	t.Logf("careless: %s", careless)
	if careless.right > good.right/2 {
		t.Errorf("careless hands are right in %d, careful ones in %d", careless.right, good.right)
	}
}

// What a drive did at the visit before is not seen at the next, unless nothing rests.
func TestRestingIsNeeded(t *testing.T) {
	tr, err := draw(3, 0.1, 0.15)
	if err != nil {
		t.Fatal(err)
	}
	tr.hands = Hands{}
	rates := func() []float64 {
		guide := &Guide{Design: design.New(tr.review), Bench: tr.bench()}
		var rates []float64
		cell := tr.review.Cells()[0]
		for visit := 1; visit <= 4; visit++ {
			st := reading.Of(&guide.Design.Review, guide.Sessions)
			step := Step{Visit: design.Visit{Cell: cell.Name, Number: visit, Order: visit}, Cell: cell}
			if err := guide.visit(context.Background(), step, &st); err != nil {
				t.Fatal(err)
			}
			s := guide.Sessions[len(guide.Sessions)-1]
			rates = append(rates, float64(s.Passes[0].BytesPerSecond))
			if start := s.Review.StartCelsius; start == nil || s.Review.Order != visit {
				t.Fatalf("visit %d says %+v", visit, s.Review)
			}
		}
		return rates
	}
	rested := rates()
	for visit, rate := range rested {
		if !(math.Abs(rate/tr.truth[tr.review.Cells()[0].Name]-1) <= 0.02) {
			t.Errorf("visit %d writes at %.0f MB/s, and the drive's own rate is %.0f", visit+1, rate/1e6,
				tr.truth[tr.review.Cells()[0].Name]/1e6)
		}
	}
	tr.review.Budget.RestMost = 0
	tr.hands.Takes = time.Second
	if tired := rates(); !(tired[3] <= 0.97*rested[3]) {
		t.Errorf("without a rest it writes at %.0f MB/s at its fourth visit, as with one: %.0f", tired[3]/1e6, rested[3]/1e6)
	}
}
