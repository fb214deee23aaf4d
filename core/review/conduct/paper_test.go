package conduct

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/event"
	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/examples"
	"opengauge/lab/night"
)

// paper is a bench without any storage: what a visit gives is the truth of its cell times
// whatever a test makes of it. It knows nothing of the simulator.
type paper struct {
	truth  func(*review.Cell) float64 // MB/s
	noise  func(step Step) float64
	spoil  func(step Step, s *session.Session)
	perDay int
	hosts  []string
	made   int
	day    int
}

func (p *paper) Here() design.Here {
	day := p.day
	if p.perDay > 0 {
		day += p.made / p.perDay
	}
	return design.Here{Day: fmt.Sprint("day ", day), Hosts: p.hosts}
}

func (p *paper) PutTogether(context.Context, Step) (Checked, error) { p.made++; return Checked{}, nil }

func (p *paper) Prepare(context.Context, Step, Before) (Prepared, error) { return Prepared{}, nil }

func (p *paper) Measure(_ context.Context, step Step, m *review.Measurement, mark session.Visit) (*session.Session,
	error) {
	rate := p.truth(&step.Cell)
	if p.noise != nil {
		rate *= p.noise(step)
	}
	s := paperSession(step.Cell, m, rate)
	s.Review = &mark
	if p.spoil != nil {
		p.spoil(step, s)
	}
	return s, nil
}

var paperClock = time.Date(2026, 5, 1, 8, 0, 0, 0, time.UTC)

// paperSession is one that wrote at a rate for a minute.
func paperSession(c review.Cell, m *review.Measurement, rate float64) *session.Session {
	paperClock = paperClock.Add(time.Minute)
	l := load.New(load.Write, load.Sequential, unit.MiB, 8)
	l.Sustained = true
	s := &session.Session{Format: session.Format, ID: session.NewID(), Started: paperClock, State: session.Complete,
		Simulated: true, Plan: m.Plan, Parts: c.Setup.Parts, Chain: c.Setup.Chain, Conditions: c.Conditions()}
	s.Ended = s.Started.Add(time.Minute)
	pass := session.Pass{Load: l, ElapsedSeconds: 60, AskedSeconds: 60, BytesPerSecond: unit.BytesPerSecond(rate * 1e6),
		Bytes: unit.Bytes(rate * 60e6), Direct: true, IOPS: rate}
	for second := 1; second <= 60; second++ {
		pass.Samples = append(pass.Samples, session.Sample{TSeconds: float64(second), ElapsedSeconds: 1,
			Bytes: unit.Bytes(rate * 1e6), BytesPerSecond: unit.BytesPerSecond(rate * 1e6)})
	}
	s.Passes = []session.Pass{pass}
	return s
}

const paperPlan = "measure:\n  - streams: recorders\n    for: 1m\n"

// onPaper reads a review of the demo's parts.
func onPaper(t *testing.T, compared, decide, budget string) review.Review {
	t.Helper()
	b, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	source := "review: paper\nquestion: Which?\n" + compared + "\n" + paperPlan + "decide: {largest: rate, of: " +
		"write" + decide +
		"}\nbudget: {" + budget + "}\n"
	r, err := review.Parse("review.yaml", []byte(source), b)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// guided runs a review on paper.
func guided(t *testing.T, r review.Review, p *paper) (*Guide, answer.Answer, string) {
	t.Helper()
	g := &Guide{Design: design.New(r), Bench: p}
	a, ends, err := g.Run(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return g, a, ends
}

// normal is noise of a spread, drawn by what a visit is.
func normal(spread float64, seed uint64) func(Step) float64 {
	return func(step Step) float64 {
		chance := rand.New(rand.NewPCG(seed, uint64(step.Order)))
		return math.Exp(chance.NormFloat64() * spread)
	}
}

const two = `compare: {drive: [sandpiper, dunlin]}
with: {host: deck-tablet, enclosure: limpet}`

func byDrive(rates map[string]float64) func(*review.Cell) float64 {
	return func(c *review.Cell) float64 { return rates[c.Storage()] }
}

// Whatever shape the noise has, what is said to be sure is right as often as that.
func TestOtherNoise(t *testing.T) {
	trials := night.Tries(t, 240)
	for name, noise := range map[string]func(chance *rand.Rand, step Step) float64{
		"a few far off": func(chance *rand.Rand, _ Step) float64 {
			if chance.Float64() < 0.1 {
				return 1 - 0.3*chance.Float64()
			}
			return math.Exp(chance.NormFloat64() * 0.02)
		},
		"slower all day": func(chance *rand.Rand, step Step) float64 {
			return math.Exp(chance.NormFloat64()*0.03) * (1 - 0.01*float64((step.Order-1)%8))
		},
		"skewed":  func(chance *rand.Rand, _ Step) float64 { return 1 - 0.04*chance.ExpFloat64() },
		"uniform": func(chance *rand.Rand, _ Step) float64 { return 1 + 0.1*(chance.Float64()-0.5) },
		"wide":    func(chance *rand.Rand, _ Step) float64 { return math.Exp(chance.NormFloat64() * 0.12) },
	} {
		said, wrong := 0, 0
		for trial := range trials {
			chance := rand.New(rand.NewPCG(uint64(trial), 5))
			// The second best is just too far behind to be taken.
			rates := map[string]float64{"sandpiper": 1000, "dunlin": 940, "curlew": 935, "turnstone": 900}
			p := &paper{perDay: 8, truth: byDrive(rates), noise: func(step Step) float64 { return noise(chance, step) }}
			_, a, _ := guided(t, onPaper(t, "compare: {drive: [sandpiper, dunlin, curlew, turnstone]}\nwith: {host: "+
				"deck-tablet, "+
				"enclosure: limpet}", "", ""), p)
			if a.Settled() {
				said++
				if a.Verdicts[0].Named != "sandpiper" {
					wrong++
				}
			}
		}
		t.Logf("%s: %d of %d said, %d wrong", name, said, trials, wrong)
		if float64(wrong) > 0.05*float64(said)+3*0.218*sqrt(said) {
			t.Errorf("%s: %d of %d said are wrong", name, wrong, said)
		}
	}
}

// A difference that does not matter is none: the cheaper one is taken.
func TestEitherTakesTheCheaper(t *testing.T) {
	r := onPaper(t, two, "", "owned: [deck-tablet]")
	_, a, ends := guided(t, r, &paper{perDay: 8, noise: normal(0.01, 1), truth: byDrive(map[string]float64{
		"sandpiper": 1000, "dunlin": 1015})})
	v := a.Verdicts[0]
	if v.Named != "sandpiper" || !v.Settled || !v.Cheaper || !strings.Contains(v.Turns, "costs 25 more") {
		t.Errorf("%+v, which ended because %s", v, ends)
	}
}

// Of a difference that matters, the better one, however dear.
func TestBetterByMoreThanMatters(t *testing.T) {
	r := onPaper(t, two, "", "owned: [deck-tablet], visits-at-least: 4")
	g, a, _ := guided(t, r, &paper{perDay: 8, noise: normal(0.01, 1), truth: byDrive(map[string]float64{"sandpiper": 1000,
		"dunlin": 1200})})
	v := a.Verdicts[0]
	if v.Named != "dunlin" || !v.Settled || v.Cheaper || v.RunnerUp != "sandpiper" || v.Sure < 0.95 {
		t.Errorf("%+v", v)
	}
	if v.Ahead == nil || !(math.Abs(v.Ahead.Share-0.2) <= 0.03) || v.Ahead.Low == nil || !(*v.Ahead.Low <= 0.2) ||
		!(*v.Ahead.High >= 0.2) {
		t.Errorf("ahead by %+v", v.Ahead)
	}
	last := g.Sessions[len(g.Sessions)-1].Review
	if last.Cell != g.Sessions[0].Review.Cell {
		t.Errorf("it ends with %+v", last)
	}
	if !(math.Abs(a.Spread-0.01) <= 0.01) || a.Runs != len(g.Sessions) {
		t.Errorf("spread %g of %d runs", a.Spread, a.Runs)
	}
}

const grid = `compare:
  host: [cabin-desk.front, deck-tablet]
  enclosure: [limpet, barnacle]
  drive: [sandpiper, dunlin]
with: {cable: short-cable}`

// rateOf gives each level a factor.
func rateOf(levels map[string]float64) func(*review.Cell) float64 {
	return func(c *review.Cell) float64 {
		rate := 1000.0
		for _, l := range c.Levels {
			if by, ok := levels[l.Name]; ok {
				rate *= by
			}
		}
		return rate
	}
}

// What single factors do is told from contrasts of one factor, and holds the truth.
func TestReasons(t *testing.T) {
	r := onPaper(t, grid, ", over: host, matters: 3%", "owned: [cabin-desk, deck-tablet, short-cable]")
	_, a, _ := guided(t, r, &paper{perDay: 20, noise: normal(0.01, 4), truth: rateOf(map[string]float64{"barnacle": 1.5,
		"dunlin": 0.9, "deck-tablet": 0.8})})
	if v := a.Verdicts[0]; v.Named != "barnacle/sandpiper" || !v.Settled || len(a.Verdicts) != 1 {
		t.Fatalf("%+v", a.Verdicts)
	}
	want := map[string]float64{"enclosure": 0.5, "drive": 1/0.9 - 1, "host": 0.25}
	for _, reason := range a.Reasons {
		truth, ok := want[reason.Factor]
		if reason.Factor == "host" && reason.To == "deck-tablet" {
			truth = -0.2
		}
		if !ok || reason.Low == nil || !(*reason.Low <= truth && truth <= *reason.High) || !reason.Known {
			t.Errorf("%s: %+v; it is %g", reason.Says, reason.Effect, truth)
		}
		delete(want, reason.Factor)
	}
	if len(want) != 0 || len(a.Mixed) != 0 {
		t.Errorf("not told: %v; mixed %v", want, a.Mixed)
	}
	if !slices.ContainsFunc(a.Notes, func(n string) bool {
		return strings.Contains(n, "a day slowed all of them "+
			"alike")
	}) {
		t.Errorf("notes %q", a.Notes)
	}
}

// turned is a truth in which which case is better depends on the host.
func turned(c *review.Cell) float64 {
	if (c.Host() == "deck-tablet") == (c.Of("enclosure") == "limpet") {
		return 1200
	}
	return 1000
}

// Where factors interact by more than what matters there is an answer for each level.
func TestInteraction(t *testing.T) {
	r := onPaper(t, strings.Replace(grid, "  drive: [sandpiper, dunlin]\n", "", 1)[:len(grid)-len("  drive: "+
		"[sandpiper, dunlin]\n")-1]+
		", drive: sandpiper}", ", over: host", "owned: [cabin-desk, deck-tablet, short-cable]")
	_, a, _ := guided(t, r, &paper{perDay: 20, noise: normal(0.01, 4), truth: turned})
	named := map[string]string{}
	for _, v := range a.Verdicts {
		if len(v.Given) == 1 && v.Settled {
			named[v.Given[0].Name] = v.Named
		}
		if v.Interacts == "" {
			t.Errorf("it is not said that they interact: %+v", v)
		}
	}
	if len(a.Verdicts) != 2 || named["deck-tablet"] != "limpet" || named["cabin-desk.front"] != "barnacle" {
		t.Errorf("%v of %+v", named, a.Verdicts)
	}
}

// Given a host there is an answer for each; of the worst host, the one whose worst is best.
func TestGivenAndWorst(t *testing.T) {
	compared := "compare: {host: [cabin-desk.front, deck-tablet], enclosure: [limpet, barnacle]}\nwith: {cable: " +
		"short-cable, " +
		"drive: sandpiper}"
	truth := func(c *review.Cell) float64 {
		return map[string]float64{"cabin-desk.front/limpet": 1000, "deck-tablet/limpet": 950,
			"cabin-desk.front/barnacle": 2000,
			"deck-tablet/barnacle":      700}[c.Name]
	}
	for decide, want := range map[string]string{", given: host": "barnacle limpet", ", worst-of: host": "limpet",
		", over: host": "barnacle limpet"} {
		_, a, _ := guided(t, onPaper(t, compared, decide, "owned: [cabin-desk, deck-tablet, short-cable]"),
			&paper{perDay: 20, noise: normal(0.01, 9), truth: truth})
		var named []string
		for _, v := range a.Verdicts {
			named = append(named, v.Named)
		}
		if got := strings.Join(named, " "); got != want || !a.Settled() {
			t.Errorf("%s: %s, settled %v; want %s", decide, got, a.Settled(), want)
		}
	}
}

// What must be is asked of every option; those that do not are no answer, however fast.
func TestMusts(t *testing.T) {
	dropout := func(step Step, s *session.Session) {
		if step.Cell.Storage() == "dunlin" {
			s.Events = append(s.Events, session.Event{TSeconds: 5, Kind: event.Dropout, Detail: "gone"})
			s.Findings = append(s.Findings, session.Finding{Kind: "dropout", Severity: session.Fault})
		}
		warm := unit.Celsius(50)
		if step.Cell.Storage() == "curlew" {
			warm = 75
		}
		for i := range s.Passes[0].Samples {
			s.Passes[0].Samples[i].TemperaturesCelsius = map[string]unit.Celsius{"drive": warm}
		}
	}
	r := onPaper(t, "compare: {drive: [sandpiper, dunlin, curlew, turnstone]}\nwith: {host: deck-tablet, enclosure: "+
		"limpet}",
		", must: {no-dropout: yes, warmest-at-most: 70C, price-at-most: 125}", "owned: [deck-tablet]")
	_, a, _ := guided(t, r, &paper{perDay: 20, noise: normal(0.01, 9), spoil: dropout,
		truth: byDrive(map[string]float64{"sandpiper": 500, "dunlin": 2000, "curlew": 3000, "turnstone": 4000})})
	v := a.Verdicts[0]
	if v.Named != "sandpiper" || !v.Settled {
		t.Errorf("%+v", v)
	}
	for _, o := range v.Options {
		says := map[string]string{"dunlin": "cost at most 125", "curlew": "75", "turnstone": "cost at most 125"}[o.Name]
		if (o.Out == "") != (o.Name == "sandpiper") || !strings.Contains(o.Out, says) {
			t.Errorf("%s: %q; want %q", o.Name, o.Out, says)
		}
	}
}

// A visit during which something else used the device does not count, and is made again;
// a slow one counts.
func TestRedoneForReasonsThatDoNotLook(t *testing.T) {
	r := onPaper(t, two, "", "owned: [deck-tablet]")
	p := &paper{perDay: 20, noise: normal(0.01, 2), truth: byDrive(map[string]float64{"sandpiper": 1000, "dunlin": 1300})}
	p.spoil = func(step Step, s *session.Session) {
		if step.Order == 2 {
			moved := s.Passes[0].Bytes * 2
			s.Passes[0].DeviceBytes = &moved
		}
		if step.Order == 3 {
			s.Passes[0].BytesPerSecond /= 2
		}
	}
	g, a, _ := guided(t, r, p)
	st := reading.Of(&r, g.Sessions)
	if st.Visits[1].Void == "" || st.Visits[2].Void != "" || a.Counted != a.Runs-1 {
		t.Errorf("%q, %q, %d of %d count", st.Visits[1].Void, st.Visits[2].Void, a.Counted, a.Runs)
	}
	if again := st.Visits[2]; again.Cell != st.Visits[1].Cell || again.Number != 2 {
		t.Errorf("it is made again as %+v", again.Visit)
	}
	p.spoil = func(_ Step, s *session.Session) {
		moved := s.Passes[0].Bytes * 2
		s.Passes[0].DeviceBytes = &moved
	}
	_, _, err := (&Guide{Design: design.New(r), Bench: p}).Run(context.Background())
	if err == nil || !strings.Contains(err.Error(), "something else used the device") {
		t.Errorf("if it never ends: %v", err)
	}
}

// The first cell comes again, and where it is not as fast that is said.
func TestDrift(t *testing.T) {
	r := onPaper(t, two, "", "owned: [deck-tablet], visits-at-least: 6")
	slower := func(step Step) float64 {
		if step.Day != "day 0" {
			return 0.8
		}
		return 1
	}
	noise := normal(0.01, 3)
	_, a, _ := guided(t, r, &paper{perDay: 3, truth: byDrive(map[string]float64{"sandpiper": 1000, "dunlin": 1070}),
		noise: func(step Step) float64 { return noise(step) * slower(step) }})
	if len(a.Drifted) == 0 || a.Drifted[0].Kind != "drifted" || !strings.Contains(a.Drifted[0].Summary, "days differ") {
		t.Fatalf("%+v", a.Drifted)
	}
	var evidence finding.DriftedEvidence
	if err := a.Drifted[0].Evidence.Into(&evidence); err != nil || !(math.Abs(evidence.Share+0.2) <= 0.05) {
		t.Errorf("%v %+v", err, evidence)
	}
	if v := a.Verdicts[0]; v.Ahead == nil || !(math.Abs(math.Abs(v.Ahead.Share)-0.065) <= 0.03) {
		t.Errorf("a day that is slower counts: %+v", v.Ahead)
	}
}

// A step without a way back is told by what did not change; without that it is after minus
// before.
func TestStepWithoutAWayBack(t *testing.T) {
	const step = `compare:
  drive: [sandpiper, dunlin]
  firmware: {levels: ["1", "2"], in: {drive: sandpiper}, one-way: yes}
with: {host: deck-tablet, enclosure: limpet}`
	// Everything is a tenth slower after the step; the firmware does nothing.
	stepped := false
	truth := func(c *review.Cell) float64 {
		stepped = stepped || c.Of("firmware") == "2"
		if stepped {
			return 900
		}
		return 1000
	}
	r := onPaper(t, step, ", choose: firmware, given: drive", "owned: [deck-tablet]")
	_, a, _ := guided(t, r, &paper{perDay: 100, noise: normal(0.005, 3), truth: truth})
	v := a.Verdicts[0]
	if len(a.Verdicts) != 1 || v.Ahead == nil || !(math.Abs(v.Ahead.Share) <= 0.02) || len(v.Options) != 2 {
		t.Errorf("with a control: %+v", v)
	}
	stepped = false
	r = onPaper(t, strings.Replace(strings.Replace(step, "  drive: [sandpiper, dunlin]\n", "", 1), ", in: {drive: "+
		"sandpiper}", "",
		1)[:0]+"compare:\n  firmware: {levels: [\"1\", \"2\"], one-way: yes}\nwith: {host: deck-tablet, enclosure: "+
		"limpet, drive: "+
		"sandpiper}", "", "owned: [deck-tablet]")
	_, a, _ = guided(t, r, &paper{perDay: 100, noise: normal(0.005, 3), truth: truth})
	if a.Settled() || len(a.Reasons) != 0 || !slices.ContainsFunc(a.Notes, func(n string) bool {
		return strings.Contains(n, "after minus before, and not due to it") && strings.Contains(n, "−10 %")
	}) {
		t.Errorf("without a control: %+v %q", a.Verdicts, a.Notes)
	}
}

// Nothing confounded is said as a difference: between candidates that differ in two things
// there is an answer, and no reason.
func TestBundles(t *testing.T) {
	r := onPaper(t, `candidates:
  a: {drive: sandpiper, enclosure: limpet}
  b: {drive: dunlin, enclosure: barnacle}
with: {host: cabin-desk.front, cable: short-cable}`, "", "owned: [cabin-desk]")
	_, a, _ := guided(t, r, &paper{perDay: 20, noise: normal(0.01, 3), truth: byDrive(map[string]float64{"sandpiper": 1000,
		"dunlin": 1500})})
	if v := a.Verdicts[0]; v.Named != "b" || !v.Settled || len(a.Reasons) != 0 || len(a.Mixed) != 1 {
		t.Errorf("%+v, reasons %v, mixed %v", v, a.Reasons, a.Mixed)
	}
}

// A review that was changed says what still counts.
func TestChangedHalfWay(t *testing.T) {
	before := onPaper(t, "compare: {drive: [sandpiper, dunlin, curlew]}\nwith: {host: deck-tablet, enclosure: limpet}", "",
		"owned: [deck-tablet], visits-at-most: 2")
	g, _, _ := guided(t, before, &paper{perDay: 20, noise: normal(0.01, 3), truth: byDrive(map[string]float64{
		"sandpiper": 1000, "dunlin": 1010, "curlew": 990})})
	after := onPaper(t, two, ", matters: 4%", "owned: [deck-tablet]")
	st := reading.Of(&after, g.Sessions)
	a := answer.Of(design.New(after), &st)
	if strings.Join(st.Changed, " ") != "cells decide" || st.BeforeChanges != len(g.Sessions) || len(st.Rejected) == 0 ||
		!strings.Contains(st.Rejected[0].Why, "no cell curlew any more") || a.Counted < 4 {
		t.Errorf("%v %d %v, %d count", st.Changed, st.BeforeChanges, st.Rejected, a.Counted)
	}
	if !strings.Contains(strings.Join(a.Notes, " "), "no longer what was planned beforehand") {
		t.Errorf("%q", a.Notes)
	}
}

// Sessions that were measured before are taken in where they fit; where they almost do it
// is said why not.
func TestAdopted(t *testing.T) {
	r := onPaper(t, two, "", "owned: [deck-tablet]")
	cells, m := r.Cells(), &r.Measure[0]
	fits := paperSession(cells[0], m, 800)
	other := paperSession(cells[1], m, 900)
	other.Parts = slices.Clone(other.Parts)
	other.Parts[1].Name = "barnacle"
	foreign := paperSession(cells[1], m, 900)
	foreign.Parts = nil
	st := reading.Of(&r, []*session.Session{fits, other, foreign})
	if len(st.Visits) != 1 || !st.Visits[0].Adopted || st.Visits[0].Figure != 800e6 || len(st.Made()) != 0 {
		t.Errorf("%+v", st.Visits)
	}
	if len(st.Rejected) != 1 || !strings.Contains(st.Rejected[0].Why, "but for enclosure barnacle") {
		t.Errorf("%+v", st.Rejected)
	}
}

// At one host only its cells are visited, and the rest at the other.
func TestHostByHost(t *testing.T) {
	r := onPaper(t, grid, ", given: host", "owned: [cabin-desk, deck-tablet, short-cable], visits-at-most: 3")
	p := &paper{perDay: 100, hosts: []string{"deck-tablet"}, noise: normal(0.01, 3), truth: rateOf(map[string]float64{
		"barnacle": 1.5, "dunlin": 0.9})}
	g := &Guide{Design: design.New(r), Bench: p}
	_, ends, err := g.Run(context.Background())
	if err != nil || !strings.Contains(ends, "go on at the host cabin-desk") {
		t.Fatalf("%q %v", ends, err)
	}
	p.hosts, p.day = []string{"cabin-desk"}, 1
	a, ends, err := g.Run(context.Background())
	if err != nil || !a.Settled() || len(a.Verdicts) != 2 {
		t.Errorf("%q %v %+v", ends, err, a.Verdicts)
	}
}
