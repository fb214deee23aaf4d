package table

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/judge/blame"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/value"
	"opengauge/core/record/logbook"
	"opengauge/core/unit"
)

// Differences is the table of circumstances that are not the same in all sessions.
func Differences(c compare.Comparison) Table {
	t := Table{Columns: []Column{text("differs")}}
	for _, side := range c.Sides {
		t.Columns = append(t.Columns, text(side.DisplayName()))
	}
	for _, difference := range c.Differences {
		row := []string{difference.Key}
		if difference.Follows {
			row[0] += " *"
		}
		for _, value := range difference.Values {
			if value == "" {
				value = "not said"
			}
			row = append(row, value)
		}
		t.Rows = append(t.Rows, row)
	}
	if slices.ContainsFunc(c.Differences, func(d compare.Difference) bool { return d.Follows }) {
		t.Notes = append(t.Notes, "* follows from another difference, and is no change of its own.")
	}
	return t
}

// Comparison is the table of each load by session, against the baseline. Loads without an
// average have tables of their own: [Amounts].
func Comparison(c compare.Comparison, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("load"), text("session").Kept(), number("figure").Kept(), number("passes").Spared(2),
		text("against " + c.Sides[0].DisplayName()).Kept(), text("95 % interval").Spared(1),
		number("detectable").Spared(3),
	}}
	once := false
	folded := 0
	for _, row := range c.Rows {
		if row.Folded && !c.AllFolded() {
			folded++
			continue
		}
		if row.ByAmount {
			continue
		}
		label := row.Label
		for i, figure := range row.Figures {
			if !figure.Known {
				continue
			}
			cells := []string{label, c.Sides[i].DisplayName(), row.Metric.Text(figure.Value, notation),
				strconv.Itoa(figure.Repeats), "", "", ""}
			if against := row.Contrasts[i]; against != nil {
				cells[4] = row.Words(i)
				cells[5] = against.Interval()
				cells[6] = against.Seen()
				once = once || against.Basis != compare.Repeats
			} else {
				cells[4] = "baseline"
			}
			t.Rows = append(t.Rows, cells)
			label = ""
		}
	}
	if folded > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("The work of single ends is left out (%d rows); explain has it.", folded))
	}
	if once {
		t.Notes = append(t.Notes, "Where one side is a single pass, the interval knows how much that pass varied, "+
			"and not how much another run would differ: repeat it before it is quoted.")
	}
	return t
}

// Effect is the table of a factor's effect.
func Effect(e compare.Effect) Table {
	t := Table{Columns: []Column{text("load"), text(e.Key), text("against " + e.Key + "=" + e.Values[0]),
		text("95 % interval"), number("detectable"), number("groups")}}
	for _, row := range e.Loads {
		label := row.Label
		for i, effect := range row.Effects {
			t.Rows = append(t.Rows, []string{label, effect.Value, row.Words(i), effect.Interval(), effect.Seen(),
				strconv.Itoa(effect.Groups)})
			label = ""
		}
	}
	return t
}

// Groups is the table of the sessions that an effect was computed from.
func Groups(e compare.Effect) Table {
	t := Table{Columns: []Column{text("held equal"), text("sessions")}}
	shared := sharedFactors(e.Groups)
	for _, group := range e.Groups {
		var held, sessions []string
		for _, key := range slices.Sorted(maps.Keys(group.Held)) {
			if !shared[key] && !slices.Contains(selfEvident, key) {
				held = append(held, key+"="+group.Held[key])
			}
		}
		for _, value := range e.Values {
			if names := group.Sessions[value]; len(names) > 0 {
				sessions = append(sessions, value+": "+strings.Join(names, ", "))
			}
		}
		t.Rows = append(t.Rows, []string{strings.Join(held, ", "), strings.Join(sessions, "; ")})
	}
	return t
}

// selfEvident are factors that go without saying where sessions are held against
// each other.
var selfEvident = []string{"measured on", "opengauge", "size touched", "link", "enclosure firmware", "drive firmware"}

// sharedFactors are those that all groups have the same, which tell none apart.
func sharedFactors(groups []compare.Group) map[string]bool {
	shared := map[string]bool{}
	if len(groups) < 2 {
		return shared
	}
	for key, value := range groups[0].Held {
		shared[key] = !slices.ContainsFunc(groups, func(g compare.Group) bool { return g.Held[key] != value })
	}
	return shared
}

// Combinations is the table of an isolation: which parts were measured together.
func Combinations(i blame.Isolation, notation unit.Notation) Table {
	var keys []string
	for _, c := range i.Combinations {
		for key := range c.Parts {
			if !slices.Contains(keys, key) {
				keys = append(keys, key)
			}
		}
	}
	keys = factor.InChainOrder(keys)
	t := Table{Columns: []Column{text(""), text("session")}}
	for _, key := range keys {
		t.Columns = append(t.Columns, text(key))
	}
	good := "fast"
	bad := "slow"
	last := number(notation.Unit())
	if i.Label == blame.ByFailures {
		good = "held"
		bad = "failed"
		last = text("what failed")
	}
	t.Columns = append(t.Columns, last)
	for _, c := range i.Combinations {
		row := []string{good, c.Session}
		if c.Slow {
			row[0] = bad
		}
		for _, key := range keys {
			row = append(row, c.Parts[key])
		}
		figure := notation.Number(unit.BytesPerSecond(c.Figure))
		if i.Label == blame.ByFailures {
			figure = cmp.Or(c.Failures, fmt.Sprintf("nothing, in %s and %s", unit.Span(unit.Duration(c.Seconds)),
				c.Bytes.Decimal()))
		}
		t.Rows = append(t.Rows, append(row, figure))
	}
	return t
}

// Suspects is the table of parts that could be to blame.
func Suspects(i blame.Isolation) Table {
	t := Table{Columns: []Column{text("could be"), number("probability")}}
	for _, suspect := range i.Suspects {
		t.Rows = append(t.Rows, []string{suspect.Words(), fmt.Sprintf("%.0f %%", suspect.Probability*100)})
	}
	return t
}

// Innocents is the table of the parts that are not to blame.
func Innocents(i blame.Isolation, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("ruled out"), text("by session"), number("which gave")}}
	for _, cleared := range i.Cleared {
		gave := notation.Rate(unit.BytesPerSecond(cleared.Value))
		if i.Label == blame.ByFailures {
			gave = "held"
		}
		t.Rows = append(t.Rows, []string{cleared.Suspected.String(), cleared.By, gave})
	}
	return t
}

// Offers is the table of setups that can be bought.
func Offers(v value.Value, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("drive + enclosure + cable"), number(strings.TrimSpace("price " + v.Currency)).Kept(),
		number("a TB").Spared(3), text("use").Kept(), number(notation.Unit()).Kept(),
		number("price a MB/s").Spared(1), number("MB/s a W").Spared(5), number("J a GB").Spared(6),
		text("held by").Spared(2), text("of rating").Spared(4),
	}}
	for _, offer := range v.Offers {
		label, price, perTB := offer.Label, money(offer.Price, len(offer.Unpriced) == 0),
			money(offer.PricePerTB, offer.PricePerTB > 0)
		if offer.FromRatings {
			label += " (from ratings)"
		}
		if offer.Monthly {
			price += " a month"
		}
		for _, worth := range offer.Worths {
			row := []string{label, price, perTB, string(worth.Use), notation.Number(worth.Rate), "", "", "",
				worth.HeldBy, ""}
			if worth.Price > 0 {
				row[5] = fmt.Sprintf("%.3f", worth.Price)
			}
			if worth.BytesPerJoule > 0 {
				row[6] = fmt.Sprintf("%.0f", worth.BytesPerJoule/1e6)
				row[7] = fmt.Sprintf("%.1f", worth.JoulesPerGB())
			}
			if worth.Rating > 0 {
				row[9] = fmt.Sprintf("%.0f %%", float64(worth.Rate/worth.Rating)*100)
			}
			t.Rows = append(t.Rows, row)
			label = ""
			price = ""
			perTB = ""
		}
		t.Notes = append(t.Notes, offerNotes(offer)...)
		if len(offer.Unpriced) > 0 {
			t.Notes = append(t.Notes, "The bench book has no price for "+strings.Join(offer.Unpriced,
				", ")+", so "+offer.Label+" is not held against the others.")
		}
	}
	return t
}

// offerNotes list the parts of an offer's price, how long it lasts, and its failures.
func offerNotes(o value.Offer) []string {
	var texts []string
	if o.Extras > 0 {
		texts = append(texts, fmt.Sprintf("%.2f of its price is for extras", o.Extras))
	}
	if len(o.PriceKinds)+len(o.PricedOn) > 0 {
		text := "prices are " + strings.Join(o.PriceKinds, " and ")
		if len(o.PricedOn) > 0 {
			text += " of " + strings.Join(o.PricedOn, " and ")
		}
		texts = append(texts, strings.ReplaceAll(text, "  ", " "))
	}
	if o.Years > 0 {
		texts = append(texts, fmt.Sprintf("the %s that may be written last %s years", o.Endurance.Decimal(),
			unit.Digits(o.Years, 3)))
	}
	var notes []string
	if len(texts) > 0 {
		notes = append(notes, o.Label+": "+strings.Join(texts, "; ")+".")
	}
	if o.Failures != "" {
		notes = append(notes, "Of "+o.Label+", "+o.Failures+": no figure makes up for that.")
	}
	return notes
}

// OfferTimes is the table of how long amounts, copies and starts take with setups that can be bought.
func OfferTimes(v value.Value) Table {
	t := Table{Columns: []Column{text("drive + enclosure + cable"), text("what"), number("time").Kept(),
		text("between").Spared(1), text("session").Spared(2)}}
	beyond := false
	for _, offer := range v.Offers {
		label := offer.Label
		for _, timed := range offer.Times {
			beyond = beyond || timed.Extrapolated
			t.Rows = append(t.Rows, []string{label, timed.For, withStar(timed.Time), timed.Interval(), timed.Session})
			label = ""
		}
	}
	if beyond {
		t.Notes = append(t.Notes, beyondNote(nil))
	}
	return t
}

func money(price float64, known bool) string {
	if !known {
		return "not known"
	}
	return fmt.Sprintf("%.2f", price)
}

// Standings is the table of where a session stands.
func Standings(standings []logbook.Standing, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("load"), number(notation.Unit()), number("percentile"), number("of others"),
		text("next slower"), text("next faster")}}
	for _, s := range standings {
		row := []string{s.Load, notation.Number(s.Value), "", unit.Grouped(int64(s.Others)),
			neighbour(s.Below, notation), neighbour(s.Above, notation)}
		if s.Others > 0 {
			row[2] = fmt.Sprintf("%.0f", s.Percentile())
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

func neighbour(n *logbook.Neighbour, notation unit.Notation) string {
	if n == nil {
		return "none"
	}
	text := n.DisplayName() + ", " + notation.Number(n.Value)
	if n.Runs > 1 {
		text += fmt.Sprintf(", mean of %d runs", n.Runs)
	}
	return text
}
