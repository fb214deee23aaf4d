package compare

import (
	"errors"
	"fmt"
	"iter"
	"maps"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/judge/factor"
	"opengauge/core/record/session"
)

// Effect is what one factor does, with the others held equal.
type Effect struct {
	Key string `json:"key"`
	// Values of the factor, the one that others are compared with first.
	Values []string    `json:"values"`
	Loads  []EffectRow `json:"loads"`
	// Groups are the sets of sessions that differ in the factor alone.
	Groups []Group `json:"groups"`
	// Alone are sessions that no other one can be held against, and why.
	Alone []string `json:"left_out"`
}

// Group is sessions that differ in the factor alone.
type Group struct {
	// Held are the factors that are equal in all of them.
	Held factor.Set `json:"held_equal"`
	// Sessions by value of the factor.
	Sessions map[string][]string `json:"sessions"`

	members []*member
	// byValue are the members by value of the factor.
	byValue map[string][]*member
}

// EffectRow is the effect on one load.
type EffectRow struct {
	Label          string        `json:"label"`
	Metric         Metric        `json:"metric"`
	HigherIsBetter bool          `json:"higher_is_better"`
	Effects        []EffectOfOne `json:"effects"`
	Load           session.Key   `json:"-"`
}

// EffectOfOne is the effect of one value of the factor against the first.
type EffectOfOne struct {
	Value string `json:"value"`
	Contrast
	// Groups is how many groups have both values.
	Groups int `json:"groups"`
}

// Words writes the effect as people say it.
func (r EffectRow) Words(at int) string {
	if r.Effects[at].Verdict == NoDifference {
		return string(NoDifference)
	}
	return amount(r.Metric, r.Effects[at].Contrast)
}

// member is a session, or the part of it at one fill level.
type member struct {
	name string
	// value is that of the factor, or empty where it is not said.
	value string
	// held are the factors that others have to have too, and alike is what those write that
	// have them exactly. Where the value is not said, held are all factors.
	held  factor.Set
	alike string
	// figures are in the order in which they were measured first.
	figures []memberFigure
}

// memberFigure is what an effect needs of a figure, of a load which has a number: there are very
// many, and keys are long.
type memberFigure struct {
	value   float64
	spread  spread
	load    int32
	repeats int32
	basis   uint8 // its place in bases
}

// bases are in an order to be numbered by.
var bases = []Basis{NoBasis, OnePass, Repeats}

// figure is what of a figure was kept.
func (m *memberFigure) figure() Figure {
	return Figure{Known: true, Value: m.value, Repeats: int(m.repeats), Basis: bases[m.basis], spread: m.spread}
}

// members are sessions that come one after the other, as far as an effect needs them.
type members struct {
	list    []member
	loads   []session.Key
	numbers map[session.Key]int
}

// EffectOf computes the effect of a factor over many sessions. Only sessions that
// differ in nothing else are held against each other; where there are several such
// groups, the interval is that of the mean of their effects. base is the value to
// compare with; if it is empty, that of the first session.
func EffectOf(key, base string, sessions []*session.Session) (Effect, error) {
	return EffectOver(key, base, func(yield func(*session.Session, error) bool) {
		for _, s := range sessions {
			if !yield(s, nil) {
				return
			}
		}
	})
}

// EffectOver is [EffectOf] over sessions that come one after the other, and are not kept.
func EffectOver(key, base string, sessions iter.Seq2[*session.Session, error]) (Effect, error) {
	all := &members{numbers: map[session.Key]int{}}
	for some, err := range chunks(sessions) {
		if err != nil {
			return Effect{}, err
		}
		for _, parts := range inParallel(some, func(s *session.Session) []part { return partsOf(key, s) }) {
			for _, each := range parts {
				each.figures = all.figures(each.keyed)
				all.list = append(all.list, each.member)
			}
		}
	}
	members := all.list
	effect := Effect{Key: key, Groups: []Group{}, Loads: []EffectRow{}, Alone: []string{}}
	for _, m := range members {
		if m.value != "" && !slices.Contains(effect.Values, m.value) {
			effect.Values = append(effect.Values, m.value)
		}
	}
	if len(effect.Values) < 2 {
		return effect, fewValues(key, effect.Values, members)
	}
	if err := effect.startWith(base); err != nil {
		return effect, err
	}
	effect.group(members)
	if len(effect.Groups) == 0 {
		return effect, nothingHeld(key, members)
	}
	effect.addRows(all.loads)
	if len(effect.Loads) == 0 {
		return effect, fmt.Errorf("sessions that differ in %s alone have no pass in common; measure them with the "+
			"same plan", key)
	}
	return effect, nil
}

// startWith moves a value to the front.
func (e *Effect) startWith(base string) error {
	if base == "" {
		return nil
	}
	at := slices.Index(e.Values, base)
	if at < 0 {
		return fmt.Errorf("no session has %s=%s; there are %s", e.Key, base, strings.Join(e.Values, ", "))
	}
	e.Values = append([]string{base}, slices.Delete(e.Values, at, at+1)...)
	return nil
}

// part is a session, or what it is at a fill level, with its figures by its own keys.
type part struct {
	member
	keyed []keyed
}

func partOf(key, name string, factors factor.Set, figures []keyed) part {
	made := part{member{name: name, value: factors[key], held: factors}, figures}
	if made.value != "" {
		made.held = factors.Without(key)
		made.alike = made.held.Exact()
	}
	return made
}

func partsOf(key string, s *session.Session) []part {
	factors := factor.Of(s)
	if key != factor.Fill {
		return []part{partOf(key, s.DisplayName(), factors, figuresOf(s))}
	}
	var parts []part
	levels := byLevel(s)
	for _, level := range slices.Sorted(maps.Keys(levels)) {
		at, name := maps.Clone(factors), fmt.Sprintf("%.0f%%", level*100)
		at[factor.Fill] = name
		parts = append(parts, partOf(key, s.DisplayName()+" at "+name, at, levels[level]))
	}
	return parts
}

// atOnce is how many sessions are looked at together.
const atOnce = 256

// chunks gives sessions some at a time, the next being read while these are looked at.
func chunks(sessions iter.Seq2[*session.Session, error]) iter.Seq2[[]*session.Session, error] {
	type chunk struct {
		some []*session.Session
		err  error
	}
	return func(yield func([]*session.Session, error) bool) {
		ready, stop := make(chan chunk, 1), make(chan struct{})
		defer close(stop)
		send := func(c chunk) bool {
			select {
			case ready <- c:
				return true
			case <-stop:
				return false
			}
		}
		go func() {
			defer close(ready)
			var some []*session.Session
			for s, err := range sessions {
				if err != nil {
					send(chunk{err: err})
					return
				}
				if some = append(some, s); len(some) == atOnce {
					if !send(chunk{some: some}) {
						return
					}
					some = nil
				}
			}
			send(chunk{some: some})
		}()
		for c := range ready {
			if !yield(c.some, c.err) || c.err != nil {
				return
			}
		}
	}
}

// inParallel makes something of each on all processors, in their order.
func inParallel[From, To any](all []From, of func(From) To) []To {
	made := make([]To, len(all))
	workers := min(runtime.GOMAXPROCS(0), len(all))
	var group sync.WaitGroup
	for worker := range workers {
		group.Go(func() {
			for i := worker; i < len(all); i += workers {
				made[i] = of(all[i])
			}
		})
	}
	group.Wait()
	return made
}

// figures are those of a session by the numbers of its loads. What passes they are of is let go.
func (m *members) figures(of []keyed) []memberFigure {
	made := make([]memberFigure, len(of))
	for i := range of {
		number, known := m.numbers[of[i].Key]
		if !known {
			number = len(m.loads)
			m.loads, m.numbers[of[i].Key] = append(m.loads, of[i].Key), number
		}
		f := &of[i].Figure
		made[i] = memberFigure{value: f.Value, spread: f.spread, load: int32(number), repeats: int32(f.Repeats),
			basis: uint8(slices.Index(bases, f.Basis))}
	}
	return made
}

// group puts members together that differ in the factor alone.
func (e *Effect) group(members []member) {
	var groups []Group
	places := map[string][]int{} // of groups, by what need not be looked at twice
	for i := range members {
		m := &members[i]
		if m.value == "" {
			e.Alone = append(e.Alone, fmt.Sprintf("%s: its %s is not said", m.name, e.Key))
			continue
		}
		found := slices.IndexFunc(places[m.alike], func(at int) bool { return factor.Same(groups[at].Held, m.held) })
		if found < 0 {
			found = len(places[m.alike])
			places[m.alike] = append(places[m.alike], len(groups))
			groups = append(groups, Group{Held: m.held, Sessions: map[string][]string{}, byValue: map[string][]*member{}})
		}
		g := &groups[places[m.alike][found]]
		g.members = append(g.members, m)
		g.byValue[m.value] = append(g.byValue[m.value], m)
		g.Sessions[m.value] = append(g.Sessions[m.value], m.name)
	}
	for _, g := range groups {
		if len(g.Sessions) > 1 {
			e.Groups = append(e.Groups, g)
			continue
		}
		for _, m := range g.members {
			e.Alone = append(e.Alone, fmt.Sprintf("%s: no other session differs from it in %s alone", m.name, e.Key))
		}
	}
}

func (e *Effect) addRows(loads []session.Key) {
	seen := map[int]bool{}
	var order []int
	for _, g := range e.Groups {
		for _, m := range g.members {
			for _, figure := range m.figures {
				if load := int(figure.load); !seen[load] {
					seen[load], order = true, append(order, load)
				}
			}
		}
	}
	for _, row := range inParallel(order, func(load int) EffectRow { return e.row(load, loads[load]) }) {
		if len(row.Effects) > 0 {
			e.Loads = append(e.Loads, row)
		}
	}
}

func (e *Effect) row(load int, key session.Key) EffectRow {
	metric := MetricOf(key)
	row := EffectRow{Label: key.String(), Metric: metric, HigherIsBetter: metric.HigherIsBetter(), Load: key,
		Effects: []EffectOfOne{}}
	for _, value := range e.Values[1:] {
		var pairs []pair
		for i := range e.Groups {
			base, knownBase := e.Groups[i].figure(e.Values[0], load)
			other, ok := e.Groups[i].figure(value, load)
			if ok && knownBase {
				pairs = append(pairs, pair{base, other})
			}
		}
		if len(pairs) > 0 {
			row.Effects = append(row.Effects, EffectOfOne{Value: value, Contrast: together(metric, pairs),
				Groups: len(pairs)})
		}
	}
	return row
}

// of is the figure of a load, where there is one.
func (m *member) of(load int) (Figure, bool) {
	at := slices.IndexFunc(m.figures, func(f memberFigure) bool { return int(f.load) == load })
	if at < 0 {
		return Figure{}, false
	}
	return m.figures[at].figure(), true
}

// figure pools the sessions of a group that have a value: sessions measured alike
// are repeats of each other.
func (g *Group) figure(value string, load int) (Figure, bool) {
	var found []Figure
	for _, m := range g.byValue[value] {
		if figure, known := m.of(load); known {
			found = append(found, figure)
		}
	}
	if len(found) < 2 {
		if len(found) == 0 {
			return Figure{}, false
		}
		return found[0], true
	}
	var logs []float64
	for _, figure := range found {
		logs = append(logs, figure.spread.mean)
	}
	pooled := Figure{Known: true, Repeats: len(found), Basis: Repeats, spread: spreadOf(logs)}
	pooled.Value = math.Exp(pooled.spread.mean)
	return pooled, true
}

// pair is a figure of a group with the baseline's.
type pair struct{ base, other Figure }

// together is the mean effect of several groups, with Student's interval over them:
// the effect may differ from chain to chain.
func together(metric Metric, pairs []pair) Contrast {
	if len(pairs) == 1 {
		return contrast(metric, pairs[0].base, pairs[0].other)
	}
	logs := make([]float64, len(pairs))
	for i, p := range pairs {
		logs[i] = math.Log(ratioOf(p.base, p.other))
	}
	mean, deviation := stat.MeanStdDev(logs, nil)
	count := float64(len(logs))
	half := studentQuantile(count-1) * max(deviation/math.Sqrt(count), leastSpread)
	return Contrast{Basis: Repeats}.within(metric, mean, half)
}

func fewValues(key string, values []string, members []member) error {
	if len(values) == 1 {
		return fmt.Errorf("all of these sessions that say have %s=%s; measure one with another %s", key, values[0], key)
	}
	sets := make([]factor.Set, len(members))
	for i, m := range members {
		sets[i] = m.held
	}
	return fmt.Errorf("no session says its %s; what sessions say is %s", key, strings.Join(factor.Keys(sets...), ", "))
}

// nothingHeld says which two sessions come nearest to differing in one factor alone.
func nothingHeld(key string, members []member) error {
	nearest, text := math.MaxInt, ""
	const enough = 200 // sessions to look at: it is only an example
	members = members[:min(len(members), enough)]
	for i, a := range members {
		for _, b := range members[i+1:] {
			if a.value == b.value || a.value == "" || b.value == "" {
				continue
			}
			differ, unsaid := factor.Differing(a.held, b.held)
			keys := append(differ, unsaid...)
			if len(keys) > 0 && len(keys) < nearest {
				nearest, text = len(keys), fmt.Sprintf("%s and %s come nearest, but differ in %s too", a.name, b.name,
					strings.Join(keys, ", "))
			}
		}
	}
	if text == "" {
		return errors.New("no two sessions that say their " + key + " can be held against each other; measure the same " +
			"plan with another " + key + ", and all else as it was")
	}
	return errors.New("no two sessions differ in " + key + " alone: " + text)
}
