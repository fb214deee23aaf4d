package blame

import (
	"fmt"
	"math"
	"strings"

	"opengauge/core/judge/factor"
)

// next gives the combination of parts seen so far that was not measured, whose
// outcome is expected to tell most: the mutual information of outcome and
// explanation (Lindley, Annals of Mathematical Statistics 27, 1956). Of those that
// tell as much, the one that changes least on the bench.
func (i *Isolation) next(keys []string, explanations []explanation) *Next {
	var best *Next
	least := 0
	for _, parts := range i.unmeasured(keys) {
		slow := 0.0
		for _, e := range explanations {
			if e.slow(parts) {
				slow += e.weight
			}
		}
		seen := slow*(1-mistaken) + (1-slow)*mistaken
		bits := entropy(seen) - entropy(mistaken)
		changes := i.changes(parts)
		if bits < 0.01 || best != nil && (bits < best.Bits-0.005 || bits < best.Bits+0.005 && changes >= least) {
			continue
		}
		best, least = &Next{Parts: parts, Bits: bits}, changes
	}
	if best == nil {
		return nil
	}
	best.IfSlow = i.meaning(explanations, func(e explanation) bool { return e.slow(best.Parts) })
	best.IfFast = i.meaning(explanations, func(e explanation) bool { return !e.slow(best.Parts) })
	return best
}

func entropy(p float64) float64 {
	if p <= 0 || p >= 1 {
		return 0
	}
	return -p*math.Log2(p) - (1-p)*math.Log2(1-p)
}

// unmeasured gives every combination of the values seen, but for those measured.
func (i *Isolation) unmeasured(keys []string) []factor.Set {
	all := []factor.Set{{}}
	for _, key := range keys {
		var longer []factor.Set
		for _, part := range i.partsOf([]string{key}) {
			for _, begun := range all {
				made := factor.Set{key: part.Value}
				for k, v := range begun {
					made[k] = v
				}
				longer = append(longer, made)
			}
		}
		if len(longer) > mostCombinations {
			break
		}
		if len(longer) > 0 {
			all = longer
		}
	}
	var open []factor.Set
	for _, parts := range all {
		parts, can := i.bench.Possible(parts)
		if can && i.changes(parts) > 0 {
			open = append(open, parts)
		}
	}
	return open
}

// changes is how many parts have to be changed to get there from the nearest
// combination that was measured.
func (i *Isolation) changes(parts factor.Set) int {
	least := math.MaxInt
	for _, c := range i.Combinations {
		count := 0
		for key, value := range parts {
			if c.Parts[key] != value {
				count++
			}
		}
		least = min(least, count)
	}
	return least
}

// meaning says which explanations of some weight would be left.
func (i *Isolation) meaning(explanations []explanation, left func(explanation) bool) string {
	sum := 0.0
	for _, e := range explanations {
		if left(e) {
			sum += e.weight
		}
	}
	var texts []string
	for _, e := range explanations {
		if left(e) && e.weight > 0.15*sum {
			texts = append(texts, words(e.parts, e.together))
		}
	}
	if len(texts) == 0 {
		return "nothing more"
	}
	return strings.Join(texts, ", or ")
}

func words(parts []Suspected, together bool) string {
	texts := make([]string, len(parts))
	for i, part := range parts {
		texts[i] = part.String()
	}
	text := strings.Join(texts, " and ")
	switch {
	case together:
		return text + " together"
	case len(parts) > 1:
		return "both " + text
	}
	return text
}

// Words names a suspect for people.
func (s Suspect) Words() string { return words(s.Parts, s.Together) }

// verdict says in a sentence or two what was found.
func (i *Isolation) verdict() string {
	slow := 0
	for _, c := range i.Combinations {
		if c.Slow {
			slow++
		}
	}
	many := fmt.Sprintf("%d of %d combinations %s", slow, len(i.Combinations), i.slow())
	if i.Found {
		first := i.Suspects[0]
		if i.failures && len(first.Parts) == 1 {
			many = i.rates(first.Parts[0])
		}
		return fmt.Sprintf("It is %s, with a probability of %.0f %%: %s, and no other explanation fits as well.",
			first.Words(), math.Floor(first.Probability*100), many)
	}
	var names []string
	for _, s := range i.Suspects {
		if s.Probability > 0.1 {
			names = append(names, fmt.Sprintf("%s (%.0f %%)", s.Words(), s.Probability*100))
		}
	}
	text := fmt.Sprintf("Cannot tell yet: %s, and it could be %s.", many, strings.Join(names, ", or "))
	if i.Next == nil {
		text += " No combination of these parts would tell more: bring another part to the bench."
	}
	return text
}

// Words names the parts of the combination, in the order of a chain.
func (n Next) Words() []string {
	var words []string
	for _, key := range factor.Keys(n.Parts) {
		words = append(words, Suspected{key, n.Parts[key]}.String())
	}
	return words
}
