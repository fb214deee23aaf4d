package move

import (
	"fmt"
	"strings"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Amounts are those that people ask of, where they name none.
var Amounts = []unit.Bytes{10 * unit.GB, 50 * unit.GB, 100 * unit.GB, 500 * unit.GB}

// Words writes a time: "22 min 40 s", "at least 3 h 10 min", "more than it holds".
func (t Time) Words() string {
	switch {
	case t.TooLarge:
		return "more than it holds"
	case !t.Known():
		return "at least " + Duration(t.Low)
	}
	return Duration(t.Seconds)
}

// Duration writes seconds; below a minute with as many digits as they deserve.
func Duration(seconds float64) string {
	if seconds < 60 {
		return unit.Latency(seconds)
	}
	return unit.Span(unit.Duration(seconds))
}

// Interval writes the range of a time, or nothing where it is not known.
func (t Time) Interval() string {
	if !t.Known() || t.High <= t.Low {
		return ""
	}
	return Duration(t.Low) + " to " + Duration(t.High)
}

// Levels says what the curve goes through: "2 810 MB/s", or "the first 163 GB at 2 810
// MB/s, then 190 MB/s".
func (c *Curve) Levels(n unit.Notation) string {
	if !c.Falls() {
		return c.Phases[0].words(n)
	}
	texts := []string{fmt.Sprintf("the first %s at %s", c.Phases[1].From.Decimal(), c.Phases[0].words(n))}
	for i, phase := range c.Phases[1:] {
		text := "then " + phase.words(n)
		if i+2 < len(c.Phases) {
			text += " up to " + c.Phases[i+2].From.Decimal()
		}
		texts = append(texts, text)
	}
	return strings.Join(texts, ", ")
}

func (p Phase) words(n unit.Notation) string {
	if p.Slowest > 0 {
		return fmt.Sprintf("%s on average, between %s and %s", n.Rate(p.Rate), n.Number(p.Slowest), n.Number(p.Fastest))
	}
	return n.Rate(p.Rate)
}

// Says is the curve in a sentence, with the times of amounts.
func (c *Curve) Says(n unit.Notation, amounts []unit.Bytes) string {
	clauses := []string{c.Key.String() + ": " + c.Levels(n)}
	var within, beyond, least, tooLarge []string
	cause := ""
	for _, amount := range amounts {
		t := c.For(amount)
		text := amount.Decimal() + " " + t.Words()
		switch {
		case t.TooLarge:
			tooLarge = append(tooLarge, amount.Decimal())
		case !t.Known():
			least = append(least, text)
		case t.Extrapolated:
			beyond, cause = append(beyond, text), explain.Short(t.Cause)
		default:
			within = append(within, text)
		}
	}
	add := func(before string, texts []string, after string) {
		if len(texts) > 0 {
			clauses = append(clauses, before+strings.Join(texts, ", ")+after)
		}
	}
	add("", within, "")
	add("beyond the recording, as what made it fall ("+cause+") lasts: ", beyond, "")
	add("", least, ", as nothing settles how it goes on after "+c.Recorded().Decimal())
	add("it holds less than ", tooLarge, "")
	if c.Before > c.Phases[0].until(c)/10 {
		clauses = append(clauses, c.Before.Decimal()+" had been written before it in this session")
	}
	return strings.Join(clauses, "; ") + "."
}

// until is where the first phase ends, or the recording.
func (p Phase) until(c *Curve) unit.Bytes {
	if len(c.Phases) > 1 {
		return c.Phases[1].From
	}
	return c.Recorded()
}

// Told are the curves that are worth telling of: the longest recording of reading in
// order and of writing in order in large blocks, and each copy of large files as a whole.
func Told(curves []Curve) []*Curve {
	var told []*Curve
	longest := map[bool]int{}
	for i := range curves {
		c := &curves[i]
		switch {
		case c.Key.IsCopy():
			if c.Key.IsWholeCopy() && session.OfLargeFiles(c.Key.Copy.Bytes, c.Key.Copy.Files) {
				told = append(told, c)
			}
		case !c.Key.Load.Bulk():
		default:
			writes := c.Key.Load.Writes()
			at, seen := longest[writes]
			if !seen {
				longest[writes] = len(told)
				told = append(told, c)
			} else if c.Longest() > told[at].Longest() {
				told[at] = c
			}
		}
	}
	return told
}

// Asked are the amounts to tell the times of: those that were asked for, or else those
// of the usual that a curve has a time for.
func (c *Curve) Asked(amounts []unit.Bytes) []unit.Bytes {
	if len(amounts) > 0 {
		return amounts
	}
	if c.Key.IsCopy() && !c.Falls() {
		return nil // its own time says all
	}
	var known []unit.Bytes
	for _, amount := range Amounts {
		if c.For(amount).Known() {
			known = append(known, amount)
		}
	}
	return known
}
