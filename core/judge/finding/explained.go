package finding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// fall is a pass whose throughput changed, with its explanations.
type fall struct {
	session *session.Session
	pass    *session.Pass
	verdict explain.Verdict
	n       unit.Notation
}

// explained are the kinds of findings that explanations give, with the function for each.
var explained = []struct {
	kind *Kind
	say  func(f *fall, a explain.Account) session.Finding
}{
	{&heatThrottle, (*fall).heatThrottle},
	{&cacheExhausted, (*fall).cacheExhausted},
	{&creditExhausted, (*fall).creditExhausted},
	{&linkDegraded, (*fall).linkFell},
	{&backgroundLoad, (*fall).somebodyElse},
}

// findExplained asks how the recording of each pass came to be. A cause is named from
// explain.Named on; where none is and something is wrong, the pass is unsteady.
func findExplained(s *session.Session, n unit.Notation) []session.Finding {
	across := explainedAcross(s, n)
	var found []session.Finding
	for i := range s.Passes {
		pass := &s.Passes[i]
		if run := across[pass.Index]; run != nil {
			if run.Passes[0] == pass.Index {
				found = append(found, run.findings...)
			}
			continue
		}
		f := fall{session: s, pass: pass, verdict: explain.Pass(s, pass), n: n}
		found = append(found, f.silences()...)
		found = append(found, f.causes()...)
	}
	addRecoveries(s, found)
	return append(found, explainedCopies(s, n)...)
}

// ranOn are the findings of passes that ran on as one recording.
type ranOn struct {
	Passes   []int
	findings []session.Finding
}

// settledAlone says whether each of the passes that ran on says by itself why it fell: it
// began fast, and its cause is named.
func settledAlone(s *session.Session, indexes []int) bool {
	fell := false
	for i := range s.Passes {
		pass := &s.Passes[i]
		if !slices.Contains(indexes, pass.Index) {
			continue
		}
		verdict := explain.Pass(s, pass)
		if !verdict.Falls() {
			continue
		}
		fell = true
		named := slices.ContainsFunc(explain.Kinds, func(kind string) bool {
			a, ok := verdict.Account(kind)
			return ok && verdict.Of(kind) >= explain.Named && a.Before.Value > a.After.Value
		})
		if !named {
			return false
		}
	}
	return fell
}

// explainedAcross explains passes that ran on without a rest as the one recording that
// they are, where that settles why it changed. It gives that for each pass by its index.
func explainedAcross(s *session.Session, n unit.Notation) map[int]*ranOn {
	across := map[int]*ranOn{}
	for _, run := range s.RunsOn() {
		f := fall{session: s, pass: &run.Whole, verdict: explain.Pass(s, &run.Whole), n: n}
		if !f.verdict.Falls() || settledAlone(s, run.Indexes) {
			continue
		}
		made := &ranOn{Passes: run.Indexes}
		named := false
		for _, each := range f.causes() {
			named = named || each.Kind != unsteady.Name
			each.Passes = run.Indexes
			each.Summary = fmt.Sprintf("Over %d passes that ran on as one: %s", len(run.Indexes), each.Summary)
			made.findings = append(made.findings, each)
		}
		if !named {
			continue
		}
		made.findings = append(f.silences(), made.findings...)
		for _, index := range run.Indexes {
			across[index] = made
		}
	}
	return across
}

// explainedCopies asks the same of copies of large files. A folder of small and large ones
// changes its pace with them.
func explainedCopies(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for i := range s.Copies {
		c := &s.Copies[i]
		if !c.OfLargeFiles() || c.Work != session.CopyWhole {
			continue
		}
		view, pass := s.Recording(c)
		f := fall{session: view, pass: pass, verdict: explain.Pass(view, pass), n: n}
		for _, made := range append(f.silences(), f.causes()...) {
			made.Passes = []int{}
			made.Copies = []int{c.Index}
			made.Summary = fmt.Sprintf("Copy %d, %s from %s to %s: %s", c.Index+1, c.Set, s.Ends[c.From].Address,
				s.Ends[c.To].Address, made.Summary)
			found = append(found, made)
		}
	}
	return found
}

// causes names the causes of the fall, as far as the recording settles them.
func (f *fall) causes() []session.Finding {
	var found []session.Finding
	for _, each := range explained {
		if f.verdict.Of(each.kind.Name) < explain.Named {
			continue
		}
		if a, ok := f.verdict.Account(each.kind.Name); ok {
			found = append(found, f.with(each.say(f, a), a))
		}
	}
	if len(found) > 0 || f.verdict.Healthy() >= 0.5 {
		return found
	}
	if a, ok := f.verdict.Likeliest(); ok {
		return []session.Finding{f.with(f.unsettled(a), a)}
	}
	return nil
}

// with adds the shares, the facts and the evidence against other causes.
func (f *fall) with(made session.Finding, a explain.Account) session.Finding {
	const told, least = 5, 0.01
	for i, each := range f.verdict.Shares {
		if i < told && each.Share >= least {
			made.Shares = append(made.Shares, session.Share{Explanation: each.Explanation.Name,
				Share: hundredths(each.Share)})
		}
	}
	for _, fact := range a.Facts {
		made.Reasons = append(made.Reasons, session.Reason{Says: fact.Says, LogOdds: hundredths(fact.Nats)})
	}
	named := made.Kind
	if named == unsteady.Name && len(a.Explanation.Kinds) > 0 {
		named = a.Explanation.Kinds[0]
	}
	const left = 0.05 // what is likelier is not rejected
	for _, each := range explained {
		if each.kind.Name == named || f.verdict.Of(each.kind.Name) >= left {
			continue
		}
		if why, nats := f.verdict.Against(each.kind.Name, named); why != "" {
			made.Rejected = append(made.Rejected, session.Rejection{Kind: each.kind.Name, Why: why,
				LogOdds: hundredths(nats)})
		}
	}
	slices.SortFunc(made.Rejected, func(a, b session.Rejection) int { return strings.Compare(a.Kind, b.Kind) })
	return made
}

func hundredths(v float64) float64 { return math.Round(v*100) / 100 }

// new is a finding of a kind about the pass, over the stretches of an account.
func (f *fall) new(k Kind, a explain.Account, evidence any) session.Finding {
	made := k.new(hundredths(f.verdict.Of(k.Name)), []int{f.pass.Index}, evidence)
	if len(a.Slow) > 0 {
		made.FromSeconds = a.Slow[0].FromSeconds
		made.ToSeconds = a.Slow[len(a.Slow)-1].ToSeconds
	}
	if len(a.Slow) > 1 {
		made.Spans = a.Slow
	}
	return made
}

// firstFall is when throughput first fell, in seconds since the pass began to count.
func firstFall(a explain.Account) float64 {
	if len(a.Slow) == 0 {
		return 0
	}
	return a.Slow[0].FromSeconds
}

// levelEvidence is the range that a throughput lies in; zeros where it is as good as
// exact.
type levelEvidence struct {
	low, high unit.BytesPerSecond
}

func levelOf(q explain.Quantity) (unit.BytesPerSecond, levelEvidence) {
	low := whole(q.Low)
	high := whole(q.High)
	if q.High-q.Low < 0.001*q.Value { // as good as exact
		low = 0
		high = 0
	}
	return whole(q.Value), levelEvidence{low, high}
}

func whole(v float64) unit.BytesPerSecond { return rate(math.Round(v)) }

// celsius is a temperature as a sensor gives it, or nil where there is none.
func celsius(a explain.Account, value float64) *unit.Celsius {
	if a.Sensor == "" {
		return nil
	}
	c := unit.Celsius(math.Round(value*10) / 10)
	return &c
}

// silences reports stretches in which nothing moved that no event told of. Storage that answers each
// operation with an error answers: a run that recorded those errors has asked whether it was there.
func (f *fall) silences() []session.Finding {
	var found []session.Finding
	for _, s := range f.verdict.Silences {
		answered := s.Errors > 0 && len(f.pass.Failures) > 0
		from := f.pass.StartedSeconds + s.From
		to := f.pass.StartedSeconds + s.To
		if answered || s.Probability < explain.Named || told(f.session, from, to) {
			continue
		}
		found = append(found, silence(f.pass, s))
	}
	return found
}

// linkFell says that the link came back at a lower rate while it was measured.
func (f *fall) linkFell(a explain.Account) session.Finding {
	before, beforeRange := levelOf(a.Before)
	after, afterRange := levelOf(a.Last)
	at := firstFall(a)
	made := f.new(linkDegraded, a, LinkFellEvidence{
		Before: before, BeforeLow: beforeRange.low, BeforeHigh: beforeRange.high,
		After: after, AfterLow: afterRange.low, AfterHigh: afterRange.high, At: at,
	})
	made.Summary = fmt.Sprintf("Throughput fell from %s to %s after %.0f s and stayed there, as a link that came back "+
		"at a lower rate of its ladder makes it.", f.n.Rate(before), f.n.Rate(after), at)
	made.Advice = "Look at the negotiated rate now (opengauge survey). Try another cable, another port and a clean " +
		"connector, one at a time, and repeat."
	return made
}

// somebodyElse says that something else used the storage for a while.
func (f *fall) somebodyElse(a explain.Account) session.Finding {
	before, _ := levelOf(a.Before)
	after, _ := levelOf(a.After)
	made := f.new(backgroundLoad, a, ComesAndGoesEvidence{
		Before: before, After: after, Stretches: len(a.Slow), Slow: hundredths(a.SlowSeconds),
		SlowShare: hundredths(a.SlowSeconds / a.Looked),
	})
	made.Summary = fmt.Sprintf("Throughput went down from %s to %s after %.0f s and came back to what it was%s: "+
		"something else used the storage, for %.0f s in all.", f.n.Rate(before), f.n.Rate(after), firstFall(a),
		again(len(a.Slow)), a.SlowSeconds)
	made.Advice = "Close what else uses the storage (indexing, backup, another machine on the same volume) and repeat."
	return made
}

func again(stretches int) string {
	if stretches < 2 {
		return ""
	}
	return fmt.Sprintf(", %d times", stretches)
}

// worst is of the slowest samples of a pass; it is part of several kinds' evidence.
type worst struct {
	// SlowestHundredth is the rate that all but the slowest hundredth of the samples reached.
	SlowestHundredth unit.BytesPerSecond `json:"p1_bytes_per_second,omitempty"`
	Slowest          unit.BytesPerSecond `json:"worst_sample_bytes_per_second"`
}

func worstOf(pass *session.Pass) worst {
	var rates []float64
	for _, sample := range pass.Samples {
		rates = append(rates, float64(sample.BytesPerSecond))
	}
	slices.Sort(rates)
	var w worst
	if len(rates) >= 100 {
		w.SlowestHundredth = whole(rates[len(rates)/100])
	}
	if len(rates) > 0 {
		w.Slowest = whole(rates[0])
	}
	return w
}
