package compare

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

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

	members []member
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
	name    string
	factors factor.Set
	loads   Loads
}

// EffectOf computes the effect of a factor over many sessions. Only sessions that
// differ in nothing else are held against each other; where there are several such
// groups, the interval is that of the mean of their effects. base is the value to
// compare with; if it is empty, that of the first session.
func EffectOf(key, base string, sessions []*session.Session) (Effect, error) {
	members := membersOf(key, sessions)
	effect := Effect{Key: key, Groups: []Group{}, Loads: []EffectRow{}, Alone: []string{}}
	for _, m := range members {
		if value := m.factors[key]; value != "" && !slices.Contains(effect.Values, value) {
			effect.Values = append(effect.Values, value)
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
	effect.addRows()
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

func membersOf(key string, sessions []*session.Session) []member {
	var members []member
	for _, s := range sessions {
		factors := factor.Of(s)
		if key != factor.Fill {
			members = append(members, member{s.DisplayName(), factors, LoadsOf(s)})
			continue
		}
		levels := byLevel(s)
		for _, level := range slices.Sorted(maps.Keys(levels)) {
			at, name := maps.Clone(factors), fmt.Sprintf("%.0f%%", level*100)
			at[factor.Fill] = name
			members = append(members, member{s.DisplayName() + " at " + name, at, levels[level]})
		}
	}
	return members
}

// group puts members together that differ in the factor alone.
func (e *Effect) group(members []member) {
	var groups []Group
	places := map[string][]int{} // of groups, by what need not be looked at twice
	for _, m := range members {
		if m.factors[e.Key] == "" {
			e.Alone = append(e.Alone, fmt.Sprintf("%s: its %s is not said", m.name, e.Key))
			continue
		}
		held := m.factors.Without(e.Key)
		bucket := held.Exact()
		found := slices.IndexFunc(places[bucket], func(at int) bool { return factor.Same(groups[at].Held, held) })
		if found < 0 {
			found = len(places[bucket])
			places[bucket] = append(places[bucket], len(groups))
			groups = append(groups, Group{Held: held, Sessions: map[string][]string{}})
		}
		g := &groups[places[bucket][found]]
		g.members = append(g.members, m)
		g.Sessions[m.factors[e.Key]] = append(g.Sessions[m.factors[e.Key]], m.name)
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

func (e *Effect) addRows() {
	seen := map[session.Key]bool{}
	for _, g := range e.Groups {
		for _, m := range g.members {
			for _, key := range m.loads.Order {
				if seen[key] {
					continue
				}
				seen[key] = true
				if row := e.row(key); len(row.Effects) > 0 {
					e.Loads = append(e.Loads, row)
				}
			}
		}
	}
}

func (e *Effect) row(key session.Key) EffectRow {
	metric := MetricOf(key)
	row := EffectRow{Label: key.String(), Metric: metric, HigherIsBetter: metric.HigherIsBetter(), Load: key,
		Effects: []EffectOfOne{}}
	for _, value := range e.Values[1:] {
		var contrasts []Contrast
		for _, g := range e.Groups {
			base, knownBase := g.figure(e.Key, e.Values[0], key)
			other, ok := g.figure(e.Key, value, key)
			if ok && knownBase {
				contrasts = append(contrasts, contrast(metric, base, other))
			}
		}
		if len(contrasts) > 0 {
			row.Effects = append(row.Effects, EffectOfOne{Value: value, Contrast: together(metric, contrasts),
				Groups: len(contrasts)})
		}
	}
	return row
}

// figure pools the sessions of a group that have a value: sessions measured alike
// are repeats of each other.
func (g Group) figure(factor, value string, key session.Key) (Figure, bool) {
	var found []Figure
	for _, m := range g.members {
		if figure := m.loads.Figures[key]; m.factors[factor] == value && figure.Known {
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

// together is the mean effect of several groups, with Student's interval over them:
// the effect may differ from chain to chain.
func together(metric Metric, contrasts []Contrast) Contrast {
	if len(contrasts) == 1 {
		return contrasts[0]
	}
	var logs []float64
	for _, c := range contrasts {
		logs = append(logs, math.Log(c.Ratio))
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
		sets[i] = m.factors
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
			if a.factors[key] == b.factors[key] || a.factors[key] == "" || b.factors[key] == "" {
				continue
			}
			differ, unsaid := factor.Differing(a.factors, b.factors)
			keys := slices.DeleteFunc(append(differ, unsaid...), func(each string) bool { return each == key })
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
