package compare

import (
	"fmt"
	"strings"

	"opengauge/core/judge/factor"
	"opengauge/core/unit"
)

// verdict says in a sentence or two how a session does against the baseline.
func (c Comparison) verdict(at int, isConfounded bool) string {
	name, baseline := c.Sides[at].DisplayName(), c.Sides[0].DisplayName()
	var texts, alike []string
	least, single := 0.0, false
	for _, row := range c.Rows {
		against := row.Contrasts[at]
		switch {
		case against == nil:
		case against.Verdict == NoDifference:
			alike, least = append(alike, row.Label), max(least, against.Detectable)
		case against.Verdict == NotKnown:
			texts = append(texts, fmt.Sprintf("%s at %s, from passes too short to say how sure that is",
				amount(row.Metric, *against), row.Label))
		default:
			single = single || against.Basis == OnePass
			texts = append(texts, fmt.Sprintf("%s at %s (%s)", amount(row.Metric, *against), row.Label,
				interval(*against)))
		}
	}
	text := name + " against " + baseline + ": " + strings.Join(texts, "; ")
	if len(alike) > 0 {
		if len(texts) > 0 {
			text += "; "
		}
		text += fmt.Sprintf("no measurable difference at %s, where %s would have been seen",
			strings.Join(alike, ", "), unit.Percent(least))
	}
	if single {
		text += "; a side is a single pass, so that how much the next run would differ is not in the interval"
	}
	if keys, _ := factor.Differing(c.Sides[0].Factors, c.Sides[at].Factors); len(keys) == 1 {
		text += "; only " + keys[0] + " differs"
	} else if isConfounded {
		text += "; more than one thing differs, see confounded"
	}
	return text + "."
}

// Brief gives the verdicts where there are few sessions, and else the fastest and
// the slowest at each of the first loads.
func (c Comparison) Brief(most int) []string {
	if len(c.Verdicts) <= most {
		return c.Verdicts
	}
	var texts []string
	for _, row := range c.Rows {
		if len(texts) == most {
			break
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
	if metric == Latency {
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
	default:
		return amount(r.Metric, *against)
	}
}

// Interval writes the 95% interval of a contrast: "+18 % to +26 %".
func (c Contrast) Interval() string {
	if c.Verdict == NotKnown {
		return "not repeated"
	}
	return interval(c)
}

// Seen writes the smallest difference that would have been seen.
func (c Contrast) Seen() string {
	if c.Verdict == NotKnown {
		return ""
	}
	return unit.Percent(c.Detectable)
}
