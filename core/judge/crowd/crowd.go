// Package crowd says what hosts get of one volume by how many of them use it at once: where it
// has no more to give, whose limit that is, and what another host costs those that are there.
//
// It reads merged sessions and changes nothing: any goroutine may ask.
package crowd

import (
	"cmp"
	"fmt"
	"math"
	"slices"

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
	// OwnWires are hosts that get as much as alone while others lose: their own links bind them.
	OwnWires []string `json:"own_wires,omitempty"`
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
)

// Point is what so many hosts get.
type Point struct {
	Hosts int                 `json:"hosts"`
	Sum   unit.BytesPerSecond `json:"bytes_per_second"`
	// Each is what each host got, by name.
	Each []Share `json:"each"`
	// Fairness is Jain's index of what each got, 1 where all get the same.
	Fairness float64 `json:"fairness"`
	// Cost is what the hosts that were there before lost to those that came, as a share; NaN
	// of the first.
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
)

// Of are the loads of a merged session that ran on hosts, in their order.
func Of(s *session.Session) []Sweep {
	if s.Together == nil {
		return nil
	}
	var sweeps []Sweep
	chains := map[string]link.Chain{}
	for i := range s.Contentions {
		c := &s.Contentions[i]
		key := c.Members[0].Together.Key()
		at := slices.IndexFunc(sweeps, func(w Sweep) bool { return w.Load == key })
		if at < 0 {
			at = len(sweeps)
			sweeps = append(sweeps, Sweep{Load: key, Label: key.String()})
		}
		sweeps[at].take(pointOf(c))
		for j := range c.Members {
			chains[c.Members[j].Address] = c.Members[j].Chain
		}
	}
	for i := range sweeps {
		sweeps[i].judge(chains)
	}
	return sweeps
}

func pointOf(c *session.Contention) Point {
	p := Point{Hosts: len(c.Members), Cost: math.NaN()}
	squares := 0.0
	for i := range c.Members {
		m := &c.Members[i]
		p.Each = append(p.Each, Share{m.Address, m.Together.BytesPerSecond, m.Alone.BytesPerSecond})
		p.Sum += m.Together.BytesPerSecond
		squares += float64(m.Together.BytesPerSecond) * float64(m.Together.BytesPerSecond)
		p.P99Seconds = max(p.P99Seconds, m.Together.Latency.P99)
	}
	if squares > 0 {
		p.Fairness = float64(p.Sum) * float64(p.Sum) / (float64(len(c.Members)) * squares)
	}
	return p
}

// take adds a point. Of single hosts the first stands for one host: the others are their own.
func (w *Sweep) take(p Point) {
	at := slices.IndexFunc(w.Points, func(other Point) bool { return other.Hosts == p.Hosts })
	switch {
	case at < 0:
		w.Points = append(w.Points, p)
	case p.Hosts > 1: // the same pass again
		w.Points[at] = p
	}
	slices.SortFunc(w.Points, func(a, b Point) int { return cmp.Compare(a.Hosts, b.Hosts) })
}

func (w *Sweep) judge(chains map[string]link.Chain) {
	for i := 1; i < len(w.Points); i++ {
		w.Points[i].Cost = costOf(w.Points[i-1], w.Points[i])
	}
	most := w.Points[len(w.Points)-1]
	for _, p := range w.Points {
		if p.Sum > most.Sum {
			most = p
		}
	}
	last := w.Points[len(w.Points)-1]
	alone := last.alone()
	w.Limit = Unknown
	switch {
	case alone > 0 && float64(last.Sum) >= grown*float64(alone):
		w.Limit, w.Hop = own(last, chains)
	case len(w.Points) > 1 && alone == 0 && float64(last.Sum) >= grown*float64(w.perHost())*float64(last.Hosts):
		w.Limit, w.Hop = own(last, chains)
	case len(w.Points) > 1 || alone > 0:
		w.Limit, w.Saturates = Volume, w.saturates(most.Sum)
		w.OwnWires = last.unharmed()
	}
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
func (w *Sweep) saturates(most unit.BytesPerSecond) int {
	for _, p := range w.Points {
		if float64(p.Sum) >= full*float64(most) {
			return p.Hosts
		}
	}
	return 0
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

// own is what holds hosts that do not take from each other: a hop of theirs that is reached, or
// they themselves.
func own(p Point, chains map[string]link.Chain) (Limit, string) {
	for _, each := range p.Each {
		hop, known := chains[each.Host].Binding()
		if known && hop.Usable.ReachedBy(each.Together) {
			return Wires, hop.Name
		}
	}
	return Hosts, ""
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
		return fmt.Sprintf("%s: %d hosts give %s and do not take from each other: what holds each is the host itself, and "+
			"another would add as much.", w.Label, last.Hosts, n.Rate(last.Sum))
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
