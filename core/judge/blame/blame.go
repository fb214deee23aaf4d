// Package blame says which part makes some sessions slow, by weighing explanations of
// all of them against each other. It only reads sessions.
//
// Its functions may be called by several goroutines at once.
package blame

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Isolation says which part makes some combinations of parts slow.
type Isolation struct {
	// Label is the load that it was judged by.
	Label string `json:"load"`
	// Combinations are the sessions, slowest first.
	Combinations []Combination `json:"combinations"`
	// Found is whether one suspect is sure enough to be named: it is then the
	// first of Suspects.
	Found    bool      `json:"found"`
	Suspects []Suspect `json:"suspects"`
	// Cleared are the parts that are not to blame, and which combination says so.
	Cleared []Clearance `json:"cleared"`
	// Next is the one combination to measure that would tell most, or nil.
	Next *Next `json:"next,omitempty"`
	// Verdict is all of it in a sentence or two.
	Verdict string `json:"verdict"`
	// Others are reasons for which sessions were left out.
	Others []string `json:"left_out"`

	failures bool
	bench    factor.Bench
}

// Combination is a session of an isolation.
type Combination struct {
	Session string     `json:"session"`
	Parts   factor.Set `json:"parts"`
	// Figure is in bytes a second; 0 where it is judged by what failed.
	Figure float64 `json:"value"`
	// Slow says that it is on the bad side: slow, or failed.
	Slow bool `json:"slow"`
	// Failures says what failed, with how often that is; Seconds and Bytes are in how much
	// measuring.
	Failures string     `json:"failures,omitempty"`
	Seconds  float64    `json:"measured_seconds,omitempty"`
	Bytes    unit.Bytes `json:"measured_bytes,omitempty"`

	noise float64 // relative standard error
}

// Suspect is a part, or two of them, that could make the slow ones slow.
type Suspect struct {
	Parts []Suspected `json:"parts"`
	// Probability that it is this one, given what was measured.
	Probability float64 `json:"probability"`
	// Together says that it is only the two in one chain that are slow.
	Together bool `json:"only_together"`
}

// Suspected is a factor with a value: a part of the chain, or a condition.
type Suspected struct {
	Key   string `json:"key"`
	Value string `json:"value"`
}

func (p Suspected) String() string { return p.Key + " " + p.Value }

// Clearance is a part that a fast combination rules out.
type Clearance struct {
	Suspected Suspected `json:"part"`
	By        string    `json:"session"`
	Value     float64   `json:"value"`
}

// Next is a combination that was not measured yet.
type Next struct {
	Parts factor.Set `json:"parts"`
	// Bits is how much it is expected to tell.
	Bits float64 `json:"expected_bits"`
	// IfSlow and IfFast say what each outcome would mean.
	IfSlow string `json:"if_slow"`
	IfFast string `json:"if_fast"`
}

const (
	// sureEnough is the probability from which on a suspect is named.
	sureEnough = 0.9
	// mistaken is how often a combination is taken to be on the wrong side by
	// something that has nothing to do with its parts.
	mistaken = 0.01
	// second is how likely a second fault is beside a first one, and pairing that
	// two parts are only slow together, against one part being slow.
	second  = 0.01
	pairing = 0.005
	// leastGap is the share by which the slow ones have to be slower.
	leastGap = 0.1
	// mostCombinations bounds the search for the next one to measure.
	mostCombinations = 20_000
)

// Isolate looks for the part that makes some of the sessions slow. label names the
// load to judge by; if it is empty, the one that most sessions have.
//
// It weighs explanations against each other: each part alone, two parts that are
// both slow, and two parts that are slow only with each other. An explanation says
// of every combination whether it should be slow; its weight is its prior times the
// chance of what was seen (Bayes' rule). What carries as much as the fast ones
// somewhere is cleared by that.
//
// Where some sessions failed (the device vanished, operations came back with errors) and
// others did not, it is judged by that, unless a load is named.
func Isolate(sessions []*session.Session, label string) (Isolation, error) {
	bench := factor.BenchOf(sessions)
	if members, differ := failing(sessions); differ && label == "" {
		return byFailures(members, bench)
	}
	key, members, err := judgedBy(sessions, label)
	if err != nil {
		return Isolation{}, err
	}
	result := Isolation{Label: key.String(), Suspects: []Suspect{}, Cleared: []Clearance{}, Others: []string{},
		bench: bench}
	keys := varying(members)
	for _, m := range members {
		figure := m.loads.Figures[key]
		result.add(m, keys, Combination{Figure: float64(figure.Rate), noise: noiseOf(figure)})
	}
	if len(sessions) > len(members) {
		result.Others = append(result.Others, fmt.Sprintf("%d sessions without %s", len(sessions)-len(members),
			key.String()))
	}
	slices.SortStableFunc(result.Combinations, func(a, b Combination) int { return cmp.Compare(a.Figure, b.Figure) })
	if len(keys) == 0 {
		return result, errNoDifference
	}
	parts := result.partsOf(keys)
	explanations, slow := result.explain(parts)
	if !slow {
		result.Verdict = fmt.Sprintf("None of these combinations is slower than the others by %s or more: there is "+
			"nothing to blame.", unit.Percent(leastGap))
		return result, nil
	}
	result.judge(keys, parts, explanations)
	return result, nil
}

var errNoDifference = errors.New("these sessions do not differ in any part or condition that is known; say what " +
	"is on the bench with --through or --condition")

// add puts a member to the combinations.
func (i *Isolation) add(m member, keys []string, c Combination) {
	c.Session, c.Parts = m.name, factor.Set{}
	for _, key := range keys {
		c.Parts.Put(key, m.factors[key])
	}
	i.Combinations = append(i.Combinations, c)
}

// judge names suspects, what is cleared, and what to measure next.
func (i *Isolation) judge(keys []string, parts []Suspected, explanations []explanation) {
	i.suspect(explanations)
	i.clear(parts)
	i.Found = len(i.Suspects) > 0 && i.Suspects[0].Probability >= sureEnough
	if !i.Found {
		i.Next = i.next(keys, explanations)
	}
	i.Verdict = i.verdict()
}

// member is a session with its circumstances and what it gave.
type member struct {
	name    string
	factors factor.Set
	loads   compare.Loads
	outcome outcome.Outcome
}

// judgedBy gives the load that most sessions have, or the one that is named, and
// the sessions that have it.
func judgedBy(sessions []*session.Session, label string) (session.Key, []member, error) {
	var members []member
	counts := map[session.Key]int{}
	var order []session.Key
	for _, s := range sessions {
		m := member{name: s.DisplayName(), factors: factor.Of(s).WithPort(), loads: compare.LoadsOf(s)}
		members = append(members, m)
		for _, key := range m.loads.Order {
			if counts[key] == 0 && compare.MetricOf(key) != compare.Latency {
				order = append(order, key)
			}
			counts[key]++
		}
	}
	best := -1
	for i, key := range order {
		if label != "" && !strings.HasPrefix(key.String(), label) {
			continue
		}
		if best < 0 || counts[key] > counts[order[best]] {
			best = i
		}
	}
	if best < 0 || counts[order[best]] < 2 {
		return session.Key{}, nil, noLoad(order, label)
	}
	having := slices.DeleteFunc(members, func(m member) bool { return !m.loads.Figures[order[best]].Known })
	return order[best], having, nil
}

func noLoad(order []session.Key, label string) error {
	if label == "" {
		return errors.New("no two of these sessions have a pass in common; measure them with the same plan")
	}
	var labels []string
	for _, key := range order {
		labels = append(labels, key.String())
	}
	return fmt.Errorf("no two of these sessions have a pass %q; they have %s", label, strings.Join(labels, "; "))
}

// varying gives the factors whose value is not the same in all sessions, without
// those that only follow from others (which link was negotiated is an effect of the
// parts, and no part), and conditions that go with a part, as a fan does with its
// enclosure.
func varying(members []member) []string {
	var sets []factor.Set
	for _, m := range members {
		sets = append(sets, m.factors)
	}
	var keys []string
	for _, key := range factor.Keys(sets...) {
		if slices.ContainsFunc(sets, func(f factor.Set) bool { return !factor.Alike(f[key], sets[0][key]) }) {
			keys = append(keys, key)
		}
	}
	keys = factor.Own(keys)
	return slices.DeleteFunc(keys, func(key string) bool {
		return !factor.IsPart(key) && slices.ContainsFunc(keys, func(part string) bool {
			return factor.IsPart(part) && goesWith(key, part, sets)
		})
	})
}

// goesWith says whether a factor has one value for each of a part's.
func goesWith(key, part string, sets []factor.Set) bool {
	values := map[string]string{}
	for _, f := range sets {
		value, seen := values[f[part]]
		if seen && value != f[key] {
			return false
		}
		values[f[part]] = f[key]
	}
	return true
}

// noiseOf is how far the next figure may be from this one, as a logarithm.
func noiseOf(f compare.Figure) float64 {
	const unknown = 0.05
	if deviation, ok := f.LogDeviation(); ok {
		return deviation
	}
	return unknown
}

// cut is a place between two neighbours, slowest first.
type cut struct {
	at  int
	gap float64 // of logarithms
}

// cuts gives the places where the combinations fall apart by more than the noise,
// widest first.
func (i *Isolation) cuts() []cut {
	var found []cut
	for j := 1; j < len(i.Combinations); j++ {
		slow, fast := i.Combinations[j-1], i.Combinations[j]
		gap := math.Log(fast.Figure / slow.Figure)
		if gap >= -math.Log(1-leastGap) && gap >= 2*math.Hypot(slow.noise, fast.noise) {
			found = append(found, cut{j, gap})
		}
	}
	slices.SortStableFunc(found, func(a, b cut) int { return cmp.Compare(b.gap, a.gap) })
	return found
}

// split calls the combinations below a cut slow.
func (i *Isolation) split(at int) {
	for each := range i.Combinations {
		i.Combinations[each].Slow = each < at
	}
}

// explain cuts the combinations where one explanation fits best, and gives all of
// them, the likeliest first; false where nothing is slow. A part that caps what
// goes through it makes one level, another that slows in proportion makes many: the
// widest gap alone would mistake the one or the other.
func (i *Isolation) explain(parts []Suspected) ([]explanation, bool) {
	var best []explanation
	chosen := 0
	for _, c := range i.cuts() {
		i.split(c.at)
		if explained := i.weigh(parts); best == nil || explained[0].weight > best[0].weight*1.5 {
			best, chosen = explained, c.at
		}
	}
	if best == nil {
		return nil, false
	}
	i.split(chosen)
	normalise(best)
	return best, true
}

// explanation is what could make some combinations slow.
type explanation struct {
	parts    []Suspected
	together bool
	prior    float64
	weight   float64
}

// slow says whether a combination of parts should be slow.
func (e explanation) slow(parts factor.Set) bool {
	for _, part := range e.parts {
		has := parts[part.Key] == part.Value
		if has != e.together {
			return has
		}
	}
	return e.together
}

// weigh gives all explanations with their weights, the likeliest first.
func (i *Isolation) weigh(parts []Suspected) []explanation {
	explanations := explanationsOf(parts)
	for j := range explanations {
		e := &explanations[j]
		e.weight = e.prior
		for _, c := range i.Combinations {
			e.weight *= i.likelihood(e.slow(c.Parts), c.Slow)
		}
	}
	slices.SortStableFunc(explanations, func(a, b explanation) int { return cmp.Compare(b.weight, a.weight) })
	return explanations
}

func (i *Isolation) partsOf(keys []string) []Suspected {
	var parts []Suspected
	for _, key := range keys {
		for _, c := range i.Combinations {
			if part := (Suspected{key, c.Parts[key]}); part.Value != "" && !slices.Contains(parts, part) {
				parts = append(parts, part)
			}
		}
	}
	return parts
}

func explanationsOf(parts []Suspected) []explanation {
	var all []explanation
	for i, part := range parts {
		all = append(all, explanation{parts: []Suspected{part}, prior: 1})
		for _, other := range parts[i+1:] {
			all = append(all, explanation{parts: []Suspected{part, other}, prior: second})
			if part.Key != other.Key {
				all = append(all, explanation{parts: []Suspected{part, other}, together: true, prior: pairing})
			}
		}
	}
	return all
}

func normalise(explanations []explanation) {
	sum := 0.0
	for _, e := range explanations {
		sum += e.weight
	}
	for i := range explanations {
		explanations[i].weight /= sum
	}
}

// suspect keeps the explanations that are worth a word.
func (i *Isolation) suspect(explanations []explanation) {
	const worthWord = 0.02
	for _, e := range explanations {
		if e.weight >= worthWord {
			i.Suspects = append(i.Suspects, Suspect{Parts: e.parts, Probability: e.weight, Together: e.together})
		}
	}
}

// clear says of each part that is no suspect which fast combination had it.
func (i *Isolation) clear(parts []Suspected) {
	for _, part := range parts {
		if slices.ContainsFunc(i.Suspects, func(s Suspect) bool { return slices.Contains(s.Parts, part) }) {
			continue
		}
		// The fastest is last.
		for j := len(i.Combinations) - 1; j >= 0; j-- {
			if c := i.Combinations[j]; !c.Slow && c.Parts[part.Key] == part.Value {
				i.Cleared = append(i.Cleared, Clearance{part, c.Session, c.Figure})
				break
			}
		}
	}
}
