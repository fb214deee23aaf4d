package review

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/document"
	"opengauge/core/judge/stream"
	"opengauge/core/load"
	"opengauge/core/unit"
)

// Decision is how the answer is judged.
type Decision struct {
	Figure Figure
	Of     Subject
	Amount unit.Bytes
	// Matters is the share below which a difference is none, and Sure how sure the answer has
	// to be.
	Matters, Sure float64
	Must          Must
	// Choose are the factors that are chosen; Over those that are averaged over, Worst those
	// of which the worst level counts, and Given those that get an answer each.
	Choose, Over, Worst, Given []string
}

// Must is a requirement of an option; zero fields ask for nothing.
type Must struct {
	// Carries is a list of streams, as the review names it, and List where that is found.
	Carries   string
	List      string `json:"-"`
	PriceMost float64
	Capacity  unit.Bytes
	NoDropout bool
	Warmest   unit.Celsius
}

// Budget bounds the experiment and the purchase; zero fields do not.
type Budget struct {
	PriceMost   float64
	HoursMost   float64
	WrittenMost unit.Bytes
	SwapsMost   int
	// VisitsMost is how often a cell is visited at the most, and VisitsLeast at the least.
	VisitsMost, VisitsLeast int
	// Owned are parts that cost nothing.
	Owned []string
	// SwapMinutes is how long hands take to exchange a part.
	SwapMinutes float64
	// RestMost is the longest that is waited before a cell.
	RestMost time.Duration
}

var usualDecision = Decision{Matters: 0.05, Sure: 0.95}

var usualBudget = Budget{VisitsMost: 8, VisitsLeast: 2, SwapMinutes: 3, RestMost: 30 * time.Minute}

func (d *Decision) read(n document.Node, p *places) error {
	smallest := false
	figure := func(name string) document.Key {
		return document.With(name, func(n document.Node) (err error) {
			smallest = name == "smallest"
			d.Figure, err = document.Value(n, FindFigure)
			return err
		})
	}
	given, err := n.Read(
		figure("smallest"), figure("largest"),
		document.Into("of", &d.Of, parseSubject),
		document.Into("amount", &d.Amount, unit.ParseBytes),
		document.Into("matters", &d.Matters, parseBetween("matters", 0.001, 0.5)),
		document.Into("sure", &d.Sure, parseBetween("sure", 0.5, 0.999)),
		document.With("must", func(n document.Node) error { return d.Must.read(n, p) }),
		document.Texts("choose", &d.Choose), document.Texts("over", &d.Over),
		document.Texts("worst-of", &d.Worst), document.Texts("given", &d.Given),
	)
	switch {
	case err != nil:
		return err
	case given.Count("smallest", "largest") != 1:
		return n.Errorf(`expected "smallest" or "largest", with one of the figures`)
	case smallest == d.Figure.Larger:
		return n.Errorf("%s is better the %s it is; the other way round it chooses the worst", d.Figure.Name,
			map[bool]string{true: "larger", false: "smaller"}[d.Figure.Larger])
	case d.Figure.Amount && d.Of.Copy == "" && d.Amount == 0:
		return n.Errorf(`%s needs an "amount" of data, like 400GB, or is "of" a copy`, d.Figure.Name)
	case !d.Figure.Amount && d.Amount > 0:
		return n.Errorf(`%s has no "amount"; that goes with time`, d.Figure.Name)
	case d.Of.Copy != "" && d.Amount > 0:
		return n.Errorf(`a copy moves its file set; "amount" goes with a load`)
	case d.Of.Copy != "" && !d.Figure.Copies:
		return n.Errorf("%s is not known of copies", d.Figure.Name)
	case !given["of"] && !d.Figure.ofAll:
		return n.Errorf(`%s needs "of" what: read, write, a load, or "copy SET"`, d.Figure.Name)
	}
	return nil
}

// parseBetween reads a share, as "5%" or "0.05".
func parseBetween(what string, least, most float64) func(string) (float64, error) {
	return func(text string) (float64, error) {
		share, err := load.ParseShare(text)
		if err != nil || !(share >= least && share <= most) {
			return 0, fmt.Errorf("%s %q is not a share from %s to %s", what, text, unit.Percent(least), unit.Percent(most))
		}
		return share, nil
	}
}

func (m *Must) read(n document.Node, p *places) error {
	_, err := n.Read(
		document.Into("carries", &m.Carries, func(text string) (string, error) {
			m.List = p.beside(text)
			_, err := stream.Named(m.List)
			return text, err
		}),
		document.Into("price-at-most", &m.PriceMost, positive),
		document.Into("capacity-at-least", &m.Capacity, unit.ParseBytes),
		document.Into("no-dropout", &m.NoDropout, load.ParseYesNo),
		document.Into("warmest-at-most", &m.Warmest, unit.ParseCelsius),
	)
	return err
}

func positive(text string) (float64, error) {
	number, err := strconv.ParseFloat(text, 64)
	if err != nil || !(number > 0 && number < 1e9) {
		return 0, fmt.Errorf("%q is not a number above 0", text)
	}
	return number, nil
}

func swaps(text string) (int, error) {
	number, err := strconv.Atoi(text)
	if err != nil || number < 1 {
		return 0, fmt.Errorf("%q is not a number of swaps from 1 up", text)
	}
	return number, nil
}

func (b *Budget) read(n document.Node) error {
	_, err := n.Read(
		document.Into("price-at-most", &b.PriceMost, positive),
		document.Into("hours-at-most", &b.HoursMost, positive),
		document.Into("written-at-most", &b.WrittenMost, unit.ParseBytes),
		document.Into("swaps-at-most", &b.SwapsMost, swaps),
		document.Into("visits-at-most", &b.VisitsMost, count("visits", mostTimes)),
		document.Into("visits-at-least", &b.VisitsLeast, count("visits", mostTimes)),
		document.Texts("owned", &b.Owned),
		document.Into("minutes-a-swap", &b.SwapMinutes, positive),
		document.Into("rest-at-most", &b.RestMost, time.ParseDuration),
	)
	if err == nil && b.VisitsLeast > b.VisitsMost {
		err = n.Errorf("visits-at-least is %d, and visits-at-most %d", b.VisitsLeast, b.VisitsMost)
	}
	return err
}

// check completes the review and reports contradictions.
func (r *Review) check(bench book.Book) error {
	if len(r.Candidates) == 1 || len(r.Factors)+len(r.Candidates) == 0 {
		return errors.New("there is nothing to choose between; name two candidates, or factors with two levels each")
	}
	if len(r.Measure) == 0 {
		return errors.New(`there is nothing under "measure"`)
	}
	for _, owned := range r.Budget.Owned {
		if _, known := bench.Part(owned); !known {
			return fmt.Errorf("owned: the bench book has no part %q", owned)
		}
	}
	if err := r.checkFactors(); err != nil {
		return err
	}
	if err := sameSerial(bench); err != nil {
		return err
	}
	if err := r.build(bench); err != nil {
		return err
	}
	if open := slices.DeleteFunc(slices.Clone(r.cells), func(c Cell) bool { return c.Excluded != "" }); len(open) == 0 &&
		len(r.cells) > 0 {
		return fmt.Errorf("no combination can be the answer: %s: %s", r.cells[0].Name, r.cells[0].Excluded)
	}
	if len(r.cells) < 2 {
		return fmt.Errorf("%d combinations can be, and two are needed%s", len(r.cells), whyNever(r.never))
	}
	return r.checkFigure()
}

func whyNever(never []Impossible) string {
	if len(never) == 0 {
		return ""
	}
	return "; of the others, " + never[0].Name + " cannot: " + never[0].Why
}

// sameSerial says which two parts of the bench book have one serial: then nobody can tell
// which of them is there.
func sameSerial(bench book.Book) error {
	of := map[string]string{}
	for _, part := range bench.Parts {
		if part.Serial == "" {
			continue
		}
		if other, taken := of[part.Serial]; taken {
			return fmt.Errorf("%s and %s have the same serial %s in the bench book: nobody can tell which of them is there; "+
				"correct one of them", other, part.Name, part.Serial)
		}
		of[part.Serial] = part.Name
	}
	return nil
}

// checkFactors reports mistakes in factors, and completes each.
func (r *Review) checkFactors() error {
	oneWay := 0
	for i, f := range r.Factors {
		for _, in := range f.In {
			at := slices.IndexFunc(r.Factors[:i], func(o Factor) bool { return o.Key == in.Factor })
			if at < 0 {
				return fmt.Errorf("%s is in %s %s, and no factor before it is called %s", f.Key, in.Factor, in.Name, in.Factor)
			}
			if !slices.Contains(r.Factors[at].Levels, in.Name) {
				return fmt.Errorf("%s is in %s %s, and %s has no level %s", f.Key, in.Factor, in.Name, in.Factor, in.Name)
			}
		}
		if f.OneWay {
			oneWay++
		}
	}
	if oneWay > 1 {
		return errors.New("two factors are one-way; a review takes one step that cannot be undone")
	}
	return r.roles()
}

// roles checks which factors are chosen, averaged over, and given. Those that nobody
// mentions are chosen.
func (r *Review) roles() error {
	d := &r.Decide
	mentioned := slices.Concat(d.Choose, d.Over, d.Worst, d.Given)
	if len(r.Candidates) > 0 {
		if len(mentioned) > 0 {
			return errors.New("candidates are chosen as they are; \"choose\", \"over\", \"worst-of\" and \"given\" go with " +
				"factors")
		}
		return nil
	}
	for i, key := range mentioned {
		if !slices.ContainsFunc(r.Factors, func(f Factor) bool { return f.Key == key }) {
			return fmt.Errorf("decide: there is no factor %q to choose or to go over", key)
		}
		if slices.Contains(mentioned[:i], key) {
			return fmt.Errorf("decide: %s is mentioned twice; a factor is chosen, averaged over, or given", key)
		}
	}
	for _, f := range r.Factors {
		if !slices.Contains(mentioned, f.Key) && len(d.Choose) == 0 || slices.Contains(d.Choose, f.Key) {
			continue
		}
		if !slices.Contains(mentioned, f.Key) {
			return fmt.Errorf("decide: what is done with %s? Put it under \"choose\", \"over\", \"worst-of\" or "+
				"\"given\"", f.Key)
		}
	}
	if len(d.Choose) > 0 {
		return nil
	}
	for _, f := range r.Factors {
		if !slices.Contains(mentioned, f.Key) {
			d.Choose = append(d.Choose, f.Key)
		}
	}
	if len(d.Choose) == 0 {
		return errors.New("decide: every factor is gone over, and none is left to choose")
	}
	return nil
}

// checkFigure reports an error unless the measurements tell the figure.
func (r *Review) checkFigure() error {
	d := &r.Decide
	if d.Of.Text != "" && !slices.ContainsFunc(r.Measure, func(m Measurement) bool { return d.Of.MeasuredBy(&m) }) {
		var names []string
		for i := range r.Measure {
			names = append(names, r.Measure[i].Name)
		}
		return fmt.Errorf("nothing that is measured tells the %s of %q: neither of %s does; add a plan with such a load, or "+
			"a copy of that set, to \"measure\"", d.Figure.Name, d.Of.Text, strings.Join(names, ", "))
	}
	if d.Must.Carries != "" && !slices.ContainsFunc(r.Measure, func(m Measurement) bool { return m.tellsStreams() }) {
		return fmt.Errorf("must carry %s: nothing that is measured tells how long it writes; add \"streams: %s\" to "+
			"\"measure\"", d.Must.Carries, d.Must.Carries)
	}
	for i := range r.cells {
		c := &r.cells[i]
		asks := d.Figure.Priced || d.Must.PriceMost > 0 || r.Budget.PriceMost > 0
		if asks && len(c.Unpriced) > 0 {
			return fmt.Errorf("%s: the price of %s is not known; give it in the bench book, or say under budget that it is "+
				"\"owned\"", c.Name, strings.Join(c.Unpriced, " and "))
		}
		if d.Figure.Priced && c.Price == 0 {
			return fmt.Errorf("%s costs nothing, as all of it is owned: there is no %s", c.Name, d.Figure.Name)
		}
		if capacity := c.Capacity(); d.Amount > 0 && capacity > 0 && d.Amount > capacity {
			return fmt.Errorf("%s holds %s, less than the %s that are asked", c.Name, capacity.Decimal(), d.Amount.Decimal())
		}
	}
	return nil
}

// tellsStreams reports whether the measurement has long writes of large blocks.
func (m *Measurement) tellsStreams() bool {
	for _, l := range m.loads() {
		if l.Bulk() && l.Sustained {
			return true
		}
	}
	return m.Streams != ""
}
