// Package crowd says what hosts get of one volume by how many of them use it at once: where it
// has no more to give, whose limit that is, and what another host costs those that are there.
//
// It reads merged sessions and changes nothing: any goroutine may ask.
package crowd

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Sweep is one load on more and more hosts.
type Sweep struct {
	Load   session.Key `json:"-"`
	Label  string      `json:"load"`
	Points []Point     `json:"points"`
	// Saturates is from how many hosts on the sum grows no more; 0 where it still does.
	Saturates int `json:"saturates_at_hosts"`
	// Limit is whose limit that is, or whose holds each host where nothing saturates.
	Limit Limit `json:"limit"`
	// Hop is the hop of the hosts that binds, where the limit is a wire.
	Hop string `json:"hop,omitempty"`
	// OwnWires are hosts that get as much as alone while others lose: their own links bind them. Where
	// nobody loses anything they are those that reach their own link while others do not.
	OwnWires []string `json:"own_wires,omitempty"`
	// After is what the first host got by itself when all else was done; 0 is not measured.
	After unit.BytesPerSecond `json:"alone_after_bytes_per_second,omitempty"`
}

// Limit says what holds the hosts.
type Limit string

// The limits. Volume is what all share: the volume, or the server and the wire in front of it.
const (
	Volume Limit = "the volume"
	// Wires are the hosts' own links, and Hosts the hosts themselves.
	Wires Limit = "each host's own link"
	Hosts Limit = "each host itself"
	// Unknown is of one count of hosts alone, or of too few figures.
	Unknown Limit = "not known"
	// Changed is of a volume that gives one host something else afterwards: a burst is spent, a cache is
	// full or warm, somebody else is at work. What more hosts did cannot be told from what time did.
	Changed Limit = "the volume changed meanwhile"
)

// Point is what so many hosts get: in the pass of the middle sum, where there are repeats.
type Point struct {
	Hosts int                 `json:"hosts"`
	Sum   unit.BytesPerSecond `json:"bytes_per_second"`
	// Repeats is how many passes there are, and Low and High what they gave, all hosts together.
	Repeats int                 `json:"repeats"`
	Low     unit.BytesPerSecond `json:"low_bytes_per_second"`
	High    unit.BytesPerSecond `json:"high_bytes_per_second"`
	// Each is what each host got, by name.
	Each []Share `json:"each"`
	// Fairness is Jain's index of what each got, 1 where all get the same.
	Fairness float64 `json:"fairness"`
	// Cost is what the hosts that were there before lost to those that came, as a share; NaN
	// of the first, and where it cannot be told.
	Cost float64 `json:"-"`
	// P99Seconds is the highest of all hosts.
	P99Seconds float64 `json:"p99_seconds"`
}

// Share is what a host got, and alone; 0 is not measured.
type Share struct {
	Host     string              `json:"host"`
	Together unit.BytesPerSecond `json:"bytes_per_second"`
	Alone    unit.BytesPerSecond `json:"alone_bytes_per_second,omitempty"`
}

const (
	// full is the share of the most that counts as all of it: runs differ by less.
	full = 0.95
	// grown is by how much more hosts have to give more, for each to be held by itself.
	grown = 0.9
	// unharmed is the loss that is none.
	unharmed = 0.05
	// moved is the share by which a volume gives one host something else afterwards that is a change, beyond
	// what its repeats gave.
	moved = 0.1
)

// Of are the loads of a merged session that ran on hosts, in their order.
func Of(s *session.Session) []Sweep {
	if s.Together == nil {
		return nil
	}
	var sweeps []Sweep
	passes := map[session.Key][]*session.Contention{}
	chains := map[string]link.Chain{}
	for i := range s.Contentions {
		c := &s.Contentions[i]
		key := c.Members[0].Together.Key()
		if passes[key] == nil {
			sweeps = append(sweeps, Sweep{Load: key, Label: key.String()})
		}
		passes[key] = append(passes[key], c)
		for j := range c.Members {
			chains[c.Members[j].Address] = c.Members[j].Chain
		}
	}
	for i := range sweeps {
		sweeps[i].take(passes[sweeps[i].Load])
		sweeps[i].judge(chains)
	}
	return sweeps
}

// take makes the points of passes in their order. Of single hosts the first stands for one host, with
// what it gave before others came; the others are their own.
func (w *Sweep) take(passes []*session.Contention) {
	counts := map[int][]Point{}
	var after []Point
	shared := false
	for _, c := range passes {
		p := pointOf(c)
		single := counts[1]
		switch {
		case p.Hosts > 1:
			shared = true
		case len(single) > 0 && single[0].Each[0].Host != p.Each[0].Host:
			continue
		case len(single) > 0 && shared:
			after = append(after, p)
			continue
		}
		counts[p.Hosts] = append(counts[p.Hosts], p)
	}
	for _, count := range slices.Sorted(maps.Keys(counts)) {
		w.Points = append(w.Points, middle(counts[count]))
	}
	if len(after) > 0 {
		w.After = middle(after).Sum
	}
}

// middle is the repeat of the middle sum.
func middle(repeats []Point) Point {
	p := stat.Middle(repeats, func(p Point) unit.BytesPerSecond { return p.Sum })
	p.Repeats, p.Low, p.High = len(repeats), repeats[0].Sum, repeats[len(repeats)-1].Sum
	return p
}

func pointOf(c *session.Contention) Point {
	p := Point{Hosts: len(c.Members), Cost: math.NaN()}
	got := make([]unit.BytesPerSecond, len(c.Members))
	for i := range c.Members {
		m := &c.Members[i]
		p.Each = append(p.Each, Share{m.Address, m.Together.BytesPerSecond, m.Alone.BytesPerSecond})
		got[i], p.Sum = m.Together.BytesPerSecond, p.Sum+m.Together.BytesPerSecond
		p.P99Seconds = max(p.P99Seconds, m.Together.Latency.P99)
	}
	p.Fairness = stat.Fairness(got)
	return p
}

func (w *Sweep) judge(chains map[string]link.Chain) {
	for i := 1; i < len(w.Points); i++ {
		w.Points[i].Cost = costOf(w.Points[i-1], w.Points[i])
	}
	last := w.Points[len(w.Points)-1]
	alone := last.alone()
	share, allowed := w.Drift()
	w.Limit = Unknown
	switch {
	case math.Abs(share) > allowed:
		w.Limit = Changed
		for i := range w.Points {
			w.Points[i].Cost = math.NaN()
		}
	case alone > 0 && float64(last.Sum) >= grown*float64(alone), alone == 0 && w.grows():
		w.Limit, w.Hop, w.OwnWires = own(last, chains)
	case len(w.Points) > 1 || alone > 0:
		w.Limit, w.Saturates, w.OwnWires = Volume, w.saturates(), last.unharmed()
	}
}

// Drift is by which share the first host got more or less afterwards than before, and how much of that way
// is allowed: to what its repeats gave, and as much as runs differ beyond. Both are 0 where it is not known.
func (w *Sweep) Drift() (share, allowed float64) {
	first := w.Points[0]
	if first.Hosts != 1 || w.After <= 0 {
		return 0, 0
	}
	if w.After < first.Sum {
		return float64(w.After/first.Sum) - 1, 1 - (1-moved)*float64(first.Low/first.Sum)
	}
	return float64(w.After/first.Sum) - 1, (1+moved)*float64(first.High/first.Sum) - 1
}

// grows reports whether more hosts give as many times more, or take nothing from those that were
// there: new ones may be slower.
func (w *Sweep) grows() bool {
	if len(w.Points) < 2 {
		return false
	}
	last := w.Points[len(w.Points)-1]
	if float64(last.Sum) >= grown*float64(w.perHost())*float64(last.Hosts) {
		return true
	}
	for _, p := range w.Points[1:] {
		if !(p.Cost < unharmed) {
			return false
		}
	}
	return true
}

// alone is what all hosts gave alone, together; 0 where one was not measured so.
func (p Point) alone() unit.BytesPerSecond {
	var sum unit.BytesPerSecond
	for _, each := range p.Each {
		if each.Alone <= 0 {
			return 0
		}
		sum += each.Alone
	}
	return sum
}

// perHost is what a host gave of the fewest.
func (w *Sweep) perHost() unit.BytesPerSecond {
	return w.Points[0].Sum / unit.BytesPerSecond(w.Points[0].Hosts)
}

// saturates is the fewest hosts that get all there is.
func (w *Sweep) saturates() int {
	most := unit.BytesPerSecond(0)
	for _, p := range w.Points {
		most = max(most, p.Sum)
	}
	at := slices.IndexFunc(w.Points, func(p Point) bool { return float64(p.Sum) >= full*float64(most) })
	return w.Points[at].Hosts
}

// unharmed are the hosts that got as much as alone while others did not.
func (p Point) unharmed() []string {
	var hosts []string
	for _, each := range p.Each {
		if each.Alone > 0 && float64(each.Together) >= (1-unharmed)*float64(each.Alone) {
			hosts = append(hosts, each.Host)
		}
	}
	if len(hosts) == len(p.Each) {
		return nil
	}
	return hosts
}

// own is what holds hosts that do not take from each other: a hop of theirs that is reached, by all of
// them or by those that are given, or they themselves.
func own(p Point, chains map[string]link.Chain) (limit Limit, at string, reached []string) {
	for _, each := range p.Each {
		hop, known := chains[each.Host].Binding()
		if known && hop.Usable.ReachedBy(each.Together) {
			reached, at = append(reached, each.Host), hop.Name
		}
	}
	switch len(reached) {
	case 0:
		return Hosts, "", nil
	case len(p.Each):
		return Wires, at, nil
	}
	return Hosts, at, reached
}

// costOf is what the hosts of a point lost on the way to the next.
func costOf(before, after Point) float64 {
	var losses []float64
	for _, each := range before.Each {
		at := slices.IndexFunc(after.Each, func(s Share) bool { return s.Host == each.Host })
		if at >= 0 && each.Together > 0 {
			losses = append(losses, 1-float64(after.Each[at].Together)/float64(each.Together))
		}
	}
	if len(losses) == 0 {
		return math.NaN()
	}
	return stat.Median(losses)
}

// Verdict says it in a sentence.
func (w *Sweep) Verdict(n unit.Notation) string {
	last := w.Points[len(w.Points)-1]
	switch w.Limit {
	case Wires:
		return fmt.Sprintf("%s: %d hosts give %s and do not take from each other: what holds each is its own link (%s).",
			w.Label, last.Hosts, n.Rate(last.Sum), w.Hop)
	case Hosts:
		text := fmt.Sprintf("%s: %d hosts give %s and do not take from each other: what holds each is the host itself, and "+
			"another would add as much", w.Label, last.Hosts, n.Rate(last.Sum))
		if len(w.OwnWires) > 0 {
			text += fmt.Sprintf("; %s by its own link (%s)", strings.Join(w.OwnWires, ", "), w.Hop)
		}
		return text + "."
	case Changed:
		return fmt.Sprintf("%s: %s alone got %s before and %s after: the volume changed meanwhile (a burst spent, a cache "+
			"full or warm, somebody else at work), so what more hosts cost cannot be told.",
			w.Label, w.Points[0].Each[0].Host, n.Rate(w.Points[0].Sum), n.Rate(w.After))
	case Volume:
		text := fmt.Sprintf("%s: the volume, or what all hosts share on the way to it, gives %s", w.Label, n.Rate(last.Sum))
		if len(w.Points) > 1 && w.Saturates > 0 {
			text += ", which " + haveAlready(w.Saturates)
		}
		if !math.IsNaN(last.Cost) && last.Cost >= unharmed {
			text += fmt.Sprintf("; on the way to %d hosts each of the others loses %.0f %%", last.Hosts, last.Cost*100)
		}
		for _, host := range w.OwnWires {
			text += fmt.Sprintf("; %s loses nothing, as its own link or itself holds it", host)
		}
		return text + "."
	}
	return fmt.Sprintf("%s: %s give %s; whose limit that is would be told by --alone-first or --sweep-hosts.", w.Label,
		hostsWord(last.Hosts), n.Rate(last.Sum))
}

func haveAlready(hosts int) string {
	if hosts == 1 {
		return "1 host alone has already"
	}
	return fmt.Sprintf("%d hosts have already", hosts)
}

func hostsWord(count int) string { return unit.Count(count, "host") }
