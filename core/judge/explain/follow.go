package explain

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// followMost is how many samples are followed; beyond that neighbours are put
	// together, so that a look takes no longer.
	followMost = 3000
	// followFirst is how many samples there are at the first look, and followMore by
	// what share more at each further one.
	followFirst, followMore = 15, 0.1
)

// Follow explains a pass while it is recorded: anew whenever a tenth more samples are
// there. It is what run.Follower asks for. Its methods may be called by several
// goroutines at once.
type Follow struct {
	// Beside lets it look beside the measuring, so that Sample returns at once; else
	// Sample looks itself, as on a clock that stands still meanwhile.
	Beside bool

	mutex   sync.Mutex
	session session.Session
	pass    session.Pass
	number  int // of the pass, so that a look at one before it is dropped
	samples []session.Sample
	recent  []session.Sample // the last ones, as they were
	joined  int              // how many samples of the pass are in one
	pending int
	seen    int // samples of the pass
	next    int
	busy    bool
	says    string
	// likely is how likely each cause was at the last look, and settled that of the
	// likeliest at the least of the last two.
	likely  map[string]float64
	settled float64
}

// held is a cause and how likely it is.
type held struct {
	kind       string
	likelihood float64
}

// Begin starts on a pass of a session; of the pass, what was asked is known.
func (f *Follow) Begin(s *session.Session, p session.Pass) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.session = session.Session{Target: s.Target, Chain: s.Chain, Parts: s.Parts, Conditions: s.Conditions}
	f.pass, f.samples, f.recent, f.joined, f.pending, f.seen = p, nil, nil, 1, 0, 0
	f.next, f.says, f.likely, f.settled = followFirst, "", nil, 0
	f.number++
}

// Sample takes the next sample of the pass.
func (f *Follow) Sample(s session.Sample) {
	f.mutex.Lock()
	f.add(s)
	f.seen++
	due := f.seen >= f.next && !f.busy
	if !due {
		f.mutex.Unlock()
		return
	}
	f.busy, f.next = true, f.seen+max(int(float64(f.seen)*followMore), 1)
	about, p, number := f.session, f.pass, f.number
	p.Samples = slices.Clone(f.samples)
	var lately []session.Sample
	if f.joined > 1 {
		lately = slices.Clone(f.recent)
	}
	f.mutex.Unlock()
	look := func() {
		p.ElapsedSeconds = p.Samples[len(p.Samples)-1].TSeconds
		verdict := Pass(&about, &p)
		if last := lastStretch(&about, p, lately); showsMore(len(last.changes()), len(verdict.changes())) {
			verdict = last // what comes and goes too quickly for samples that were put together
		}
		f.mutex.Lock()
		defer f.mutex.Unlock()
		f.busy = false
		if number == f.number {
			f.conclude(&verdict)
		}
	}
	if f.Beside {
		go look()
		return
	}
	look()
}

// lastStretch explains the last samples of a pass alone.
func lastStretch(about *session.Session, p session.Pass, samples []session.Sample) Verdict {
	if len(samples) == 0 {
		return Verdict{}
	}
	from := samples[0].TSeconds - samples[0].ElapsedSeconds
	for i := range samples {
		samples[i].TSeconds -= from
	}
	p.Samples = samples
	return Pass(about, &p)
}

// add keeps a sample, or puts it to the last one where there are many.
func (f *Follow) add(s session.Sample) {
	if f.recent = append(f.recent, s); len(f.recent) > 2*windowBins {
		f.recent = slices.Clone(f.recent[windowBins:])
	}
	if f.pending > 0 && f.pending < f.joined {
		last := &f.samples[len(f.samples)-1]
		together(last, s)
		f.pending++
	} else {
		f.samples, f.pending = append(f.samples, s), 1
	}
	if len(f.samples) < followMost || f.pending < f.joined {
		return
	}
	for i := range followMost / 2 {
		pair := f.samples[2*i]
		together(&pair, f.samples[2*i+1])
		f.samples[i] = pair
	}
	f.samples, f.joined, f.pending = f.samples[:followMost/2], f.joined*2, f.joined*2
}

// together puts the next sample to one.
func together(into *session.Sample, next session.Sample) {
	into.TSeconds, into.ElapsedSeconds = next.TSeconds, into.ElapsedSeconds+next.ElapsedSeconds
	into.Bytes, into.Operations, into.Errors = into.Bytes+next.Bytes, into.Operations+next.Operations,
		into.Errors+next.Errors
	if into.ElapsedSeconds > 0 {
		into.BytesPerSecond = unit.BytesPerSecond(float64(into.Bytes) / into.ElapsedSeconds)
	}
	into.TemperaturesCelsius = next.TemperaturesCelsius
}

// conclude says what a look came to.
func (f *Follow) conclude(v *Verdict) {
	before := f.likely
	f.says, f.likely, f.settled = "", map[string]float64{}, 0
	if v.Healthy() >= 0.5 {
		return
	}
	var causes []held
	for _, kind := range Kinds {
		p := v.Of(kind)
		causes = append(causes, held{kind, p})
		f.likely[kind] = p
		f.settled = max(f.settled, min(p, before[kind]))
	}
	slices.SortStableFunc(causes, func(a, b held) int { return cmp.Compare(b.likelihood, a.likelihood) })
	f.says = said(causes)
}

// said lists the likeliest causes: "slowing: heat 0.9".
func said(causes []held) string {
	const told, least = 2, 0.1
	var parts []string
	for i, each := range causes {
		if i < told && each.likelihood >= least {
			parts = append(parts, fmt.Sprintf("%s %.1f", Short(each.kind), math.Floor(each.likelihood*10)/10))
		}
		if each.likelihood >= Named {
			break
		}
	}
	if len(parts) == 0 {
		return "changing: nothing that is known"
	}
	return "slowing: " + strings.Join(parts, " or ")
}

// Says is what there is to say of the pass so far, and how likely the likeliest cause
// was at the least of the last two looks.
func (f *Follow) Says() (text string, settled float64) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	return f.says, f.settled
}
