package compare

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/factor"
	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// verdict says in a sentence how a session does against the baseline: what failed, the
// one figure that says most, and how many other loads go which way. The figures of all
// loads are in the rows.
func (c *Comparison) verdict(at int, isConfounded bool) string {
	name, baseline := c.Sides[at].DisplayName(), c.Sides[0].DisplayName()
	clauses := c.failures(at)
	told := c.told(at)
	clauses = append(clauses, told.words()...)
	if len(clauses) == 0 {
		clauses = append(clauses, "no load in common")
	}
	if heat := c.heat(at); heat != "" {
		clauses = append(clauses, heat)
	}
	if told.single {
		clauses = append(clauses, "a side is a single pass, so that how much the next run would differ is not in the "+
			"interval")
	}
	if keys, _ := factor.Differing(c.Sides[0].Factors, c.Sides[at].Factors); len(keys) == 1 {
		clauses = append(clauses, "only "+keys[0]+" differs")
	} else if isConfounded {
		clauses = append(clauses, "more than one thing differs, see confounded")
	}
	return name + " against " + baseline + ": " + strings.Join(clauses, "; ") + "."
}

// failures says which of two sessions failed, where one did.
func (c *Comparison) failures(at int) []string {
	base, other := &c.Outcomes[0], &c.Outcomes[at]
	name, baseline := c.Sides[at].DisplayName(), c.Sides[0].DisplayName()
	switch {
	case base.Failed() && other.Failed():
		return []string{name + " " + other.Failures(), baseline + " " + base.Failures()}
	case other.Failed():
		return []string{name + " " + other.Failures() + ", " + baseline + " did not"}
	case base.Failed():
		return []string{baseline + " " + base.Failures() + ", " + name + " did not"}
	}
	return nil
}

// heat says for how much of the time heat slowed the two, where that is not the same.
func (c *Comparison) heat(at int) string {
	const apart = 0.02
	base, other := c.Outcomes[0].SlowedShare(), c.Outcomes[at].SlowedShare()
	if max(base, other)-min(base, other) <= apart {
		return ""
	}
	said := func(i int, share float64) string {
		if share == 0 {
			return "never slowed " + c.Sides[i].DisplayName()
		}
		return fmt.Sprintf("slowed %s for %s of the time", c.Sides[i].DisplayName(), unit.Percent(share))
	}
	return "heat " + said(at, other) + ", and " + said(0, base)
}

// sided is what the loads of a side come to.
type sided struct {
	amounts []string // of loads that are compared by amounts
	better  []ratio
	worse   []ratio
	alike   []ratio
	unsure  []ratio
	single  bool
}

// ratio is a load's contrast.
type ratio struct {
	row     *Row
	against *Contrast
	at      int
}

func (c *Comparison) told(at int) sided {
	var t sided
	names := [2]string{c.Sides[0].DisplayName(), c.Sides[at].DisplayName()}
	for i := range c.Amounts {
		if a := &c.Amounts[i]; a.Curves[at] != nil && c.hasNoRatio(a.Load) {
			t.amounts = append(t.amounts, a.words(at, names))
		}
	}
	for i := range c.Rows {
		row := &c.Rows[i]
		against := row.Contrasts[at]
		if against == nil || row.Folded && !c.AllFolded() {
			continue
		}
		r := ratio{row, against, at}
		switch against.Verdict {
		case ByAmount:
			continue
		case NoDifference:
			t.alike = append(t.alike, r)
		case NotKnown:
			t.unsure = append(t.unsure, r)
		case Better:
			t.better = append(t.better, r)
		case Worse:
			t.worse = append(t.worse, r)
		}
		t.single = t.single || against.Basis == OnePass && against.Verdict != NoDifference
	}
	return t
}

// hasNoRatio says whether a load is compared by amounts alone.
func (c *Comparison) hasNoRatio(key session.Key) bool {
	i := slices.IndexFunc(c.Rows, func(r Row) bool { return r.Load == key })
	return i < 0 || c.Rows[i].ByAmount
}

// AllFolded says whether there is nothing but the work of single ends.
func (c *Comparison) AllFolded() bool {
	return !slices.ContainsFunc(c.Rows, func(r Row) bool { return !r.Folded })
}

// words are the clauses: of the one load that says most in full, and of the others how
// many there are.
func (t *sided) words() []string {
	var clauses []string
	first := func(from *[]ratio, full bool) {
		best := slices.MaxFunc(*from, func(a, b ratio) int {
			return cmp.Compare(math.Abs(math.Log(a.against.Ratio)), math.Abs(math.Log(b.against.Ratio)))
		})
		clauses = append(clauses, best.words(full))
		*from = slices.DeleteFunc(slices.Clone(*from), func(r ratio) bool { return r.row == best.row })
	}
	switch {
	case len(t.amounts) > 0:
		clauses = append(clauses, t.amounts[0])
	case len(t.better) > 0 && len(t.worse) > 0:
		first(&t.better, false)
		first(&t.worse, false)
	case len(t.better) > 0:
		first(&t.better, true)
	case len(t.worse) > 0:
		first(&t.worse, true)
	case len(t.alike) == 1:
		r := t.alike[0]
		return append(clauses, fmt.Sprintf("no measurable difference at %s, where %s would have been seen", r.row.Label,
			unit.Percent(r.against.Detectable)))
	case len(t.alike) > 1:
		return append(clauses, fmt.Sprintf("no measurable difference at any of %d loads, where %s would have been seen "+
			"at half of them", len(t.alike), unit.Percent(t.detectable())))
	case len(t.unsure) > 0:
		first(&t.unsure, true)
	}
	return append(clauses, t.others()...)
}

// detectable is the middle of what would have been seen.
func (t *sided) detectable() float64 {
	var each []float64
	for _, r := range t.alike {
		each = append(each, r.against.Detectable)
	}
	return stat.Median(each)
}

// others counts what is not told in full.
func (t *sided) others() []string {
	var texts []string
	add := func(count int, what string) {
		if count > 0 {
			texts = append(texts, fmt.Sprintf("%d %s", count, what))
		}
	}
	add(len(t.better), "better")
	add(len(t.worse), "worse")
	add(len(t.alike), "with no measurable difference")
	add(len(t.unsure), "too short to say")
	add(max(len(t.amounts)-1, 0), "by amounts")
	if len(texts) == 0 {
		return nil
	}
	return []string{"of the other loads " + strings.Join(texts, ", ")}
}

// words are the contrast of one load; in full with its interval.
func (r ratio) words(full bool) string {
	text := amount(r.row.Metric, *r.against)
	if r.row.Metric == Time {
		text = fmt.Sprintf("%s instead of %s (%s)", move.Duration(r.row.Figures[r.at].Value),
			move.Duration(r.row.Figures[0].Value), text)
	}
	text += " at " + r.row.Label
	switch {
	case r.against.Verdict == NotKnown:
		text += ", from passes too short to say how sure that is"
	case full:
		text += " (" + interval(*r.against) + ")"
	}
	return text
}

// Brief gives the verdicts where there are few sessions, and else the fastest and
// the slowest at each of the first loads.
func (c Comparison) Brief(most int) []string {
	if len(c.Verdicts) <= most {
		return c.Verdicts
	}
	texts := c.briefAmounts(most)
	for _, row := range c.Rows {
		if len(texts) == most {
			break
		}
		if row.Folded || row.ByAmount {
			continue
		}
		fastest, slowest := 0, 0
		for i, figure := range row.Figures {
			if !figure.Known {
				continue
			}
			if row.better(figure.Value, row.Figures[fastest].Value) {
				fastest = i
			}
			if row.better(row.Figures[slowest].Value, figure.Value) {
				slowest = i
			}
		}
		if fastest == slowest {
			continue
		}
		apart := contrast(row.Metric, row.Figures[slowest], row.Figures[fastest])
		text := fmt.Sprintf("At %s, %s is ahead of %s: ", row.Label, c.Sides[fastest].DisplayName(),
			c.Sides[slowest].DisplayName())
		if apart.Verdict == NoDifference {
			texts = append(texts, text+"but that is no measurable difference.")
		} else {
			texts = append(texts, text+amount(row.Metric, apart)+".")
		}
	}
	return texts
}

// briefAmounts says of loads without an average who takes least and who most for the
// largest amount whose time two sessions or more have.
func (c Comparison) briefAmounts(most int) []string {
	var texts []string
	for _, a := range c.Amounts {
		if len(texts) == most || !c.hasNoRatio(a.Load) {
			continue
		}
		if text := a.extremes(c.Sides); text != "" {
			texts = append(texts, text)
		}
	}
	return texts
}

// extremes are the shortest and the longest time of an amount.
func (a *Amounts) extremes(sides []Side) string {
	for _, amount := range slices.Backward(a.Asked) {
		var shortest, longest move.Time
		var first, last string
		known := 0
		for i, curve := range a.Curves {
			if curve == nil || !curve.For(amount).Known() {
				continue
			}
			known++
			t := curve.For(amount)
			if first == "" || t.Seconds < shortest.Seconds {
				shortest, first = t, sides[i].DisplayName()
			}
			if t.Seconds > longest.Seconds {
				longest, last = t, sides[i].DisplayName()
			}
		}
		if known > 1 && first != last {
			return fmt.Sprintf("At %s, %s take %s with %s, and %s with %s.", a.Load, amount.Decimal(), shortest.Words(), first,
				longest.Words(), last)
		}
	}
	return ""
}

// better says whether a figure is better than another.
func (r Row) better(a, b float64) bool {
	if r.HigherIsBetter {
		return a > b
	}
	return a < b
}

// amount writes a ratio as people say it: "22 % faster", "2.4 times as fast".
func amount(metric Metric, c Contrast) string {
	better, worse, twice := "faster", "slower", "as fast"
	ratio := c.Ratio
	if !metric.HigherIsBetter() {
		better, worse, twice = "longer", "shorter", "as long"
	}
	switch {
	case ratio >= 2:
		return fmt.Sprintf("%.1f times %s", ratio, twice)
	case ratio >= 1:
		return fmt.Sprintf("%s %s", unit.Percent(ratio-1), better)
	default:
		return fmt.Sprintf("%s %s", unit.Percent(1-ratio), worse)
	}
}

func interval(c Contrast) string {
	low, high := unit.Signed(c.Low-1), unit.Signed(c.High-1)
	if low == high {
		low, high = fmt.Sprintf("%+.2f %%", 100*(c.Low-1)), fmt.Sprintf("%+.2f %%", 100*(c.High-1))
	}
	return strings.ReplaceAll(low+" to "+high, "-", "−")
}

// Words writes a contrast for a table: "22 % faster", or what else it amounts to.
func (r Row) Words(at int) string {
	against := r.Contrasts[at]
	switch {
	case against == nil:
		return ""
	case against.Verdict == NoDifference:
		return "no measurable difference"
	case against.Verdict == ByAmount:
		return "see amounts"
	default:
		return amount(r.Metric, *against)
	}
}

// Interval writes the 95% interval of a contrast: "+18 % to +26 %".
func (c Contrast) Interval() string {
	switch c.Verdict {
	case NotKnown:
		return "not repeated"
	case ByAmount:
		return ""
	}
	return interval(c)
}

// Seen writes the smallest difference that would have been seen.
func (c Contrast) Seen() string {
	if c.Verdict == NotKnown || c.Verdict == ByAmount {
		return ""
	}
	return unit.Percent(c.Detectable)
}
