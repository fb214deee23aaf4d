package design

import (
	"fmt"
	"math"
	"slices"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/measure/transfer"
	"opengauge/core/review"
	"opengauge/core/unit"
)

// Cost is what visits take.
type Cost struct {
	Visits int     `json:"visits"`
	Hours  float64 `json:"hours"`
	Swaps  int     `json:"swaps"`
	// Written is what is written to all storage together, and Days how many days of eight
	// hours it is.
	Written unit.Bytes `json:"written_bytes"`
	Days    int        `json:"days"`
}

// Wear is what a review writes to one drive.
type Wear struct {
	Drive   string     `json:"drive"`
	Written unit.Bytes `json:"written_bytes"`
	// Share is of what its maker says it endures; 0 is not known.
	Share float64 `json:"share_of_endurance,omitempty"`
}

// Check says what a review takes, and what it tells.
type Check struct {
	Cells      int                 `json:"cells"`
	Impossible []review.Impossible `json:"impossible"`
	// Excluded cannot be the answer, whatever they do, and are not measured.
	Excluded []review.Impossible `json:"excluded"`
	// Order are the visits at the least.
	Order []Visit `json:"order"`
	// Least is with every cell visited as often as it has to be, and Most as often as it may.
	Least Cost   `json:"least"`
	Most  Cost   `json:"most"`
	Wear  []Wear `json:"wear"`
	Separation
	// Cheaper is a smaller design that still tells the effects, or nil.
	Cheaper *Cheaper `json:"cheaper,omitempty"`
	// Within is how often a cell can be visited within the budget.
	Within int `json:"visits_within_budget"`
	// TooSmall says which budgets do not do, in words.
	TooSmall []string `json:"too_small"`
}

// What nobody says.
const (
	hoursOfDay = 8
	// reseat is how long it takes to unplug everything and plug it in again.
	reseat = time.Minute
	// guessedShare is how much of what a chain carries storage is taken to do, where
	// nobody measured it.
	guessedShare = 0.7
	// guessedSpan is what a test file holds where nobody says.
	guessedSpan = unit.GiB
)

// Check says what the review takes and tells.
func (d *Design) Check() Check {
	budget := d.Review.Budget
	least := d.least()
	visits := d.list(least)
	c := Check{
		Cells: len(d.Review.Cells()), Impossible: d.Review.Impossible(), Order: visits, TooSmall: []string{},
		Excluded: []review.Impossible{},
		Least:    d.cost(visits), Most: d.cost(d.list(budget.VisitsMost)), Separation: d.Separate(visits),
	}
	if c.Impossible == nil {
		c.Impossible = []review.Impossible{}
	}
	for _, cell := range d.Review.Cells() {
		if cell.Excluded != "" {
			c.Excluded = append(c.Excluded, review.Impossible{Name: cell.Name, Why: cell.Excluded})
		}
	}
	c.Wear = d.wear(d.list(budget.VisitsMost))
	c.Cheaper = d.cheaper()
	c.Within = max(budget.VisitsMost, least)
	for c.Within > 0 && len(d.over(d.cost(d.list(c.Within)))) > 0 {
		c.Within--
	}
	if c.Within < least {
		c.TooSmall = d.over(c.Least)
	}
	return c
}

// least is how often cells are visited at the least: on both sides of a step without a way
// back.
func (d *Design) least() int {
	if _, stepping := d.Review.OneWay(); stepping {
		return 2 * d.Review.Budget.VisitsLeast
	}
	return d.Review.Budget.VisitsLeast
}

// list are all visits with cells visited so often, day after day, with the controls.
func (d *Design) list(times int) []Visit {
	limited := *d
	limited.Review.Budget.VisitsMost = times
	limited.Review.Budget.VisitsLeast = min(times, d.Review.Budget.VisitsLeast)
	var visits []Visit
	hours, day := 0.0, 1
	for {
		next, ok := limited.Next(visits, Here{Day: fmt.Sprint(day)})
		if !ok {
			break
		}
		hours += d.hours(last(visits), next.Cell)
		visits = append(visits, next)
		if hours >= hoursOfDay*float64(day) {
			day++
		}
	}
	if end, ok := limited.Control(visits, Here{Day: fmt.Sprint(day)}); ok {
		visits = append(visits, end)
	}
	return visits
}

func (d *Design) cost(visits []Visit) Cost {
	c := Cost{Visits: len(visits)}
	before := ""
	days := map[string]bool{}
	for _, v := range visits {
		from, _ := d.Review.Cell(before)
		to, _ := d.Review.Cell(v.Cell)
		c.Hours += d.hours(before, v.Cell)
		c.Swaps += Swaps(&from, &to)
		c.Written += d.Written(&to)
		before, days[v.Day] = v.Cell, true
	}
	c.Days = len(days)
	return c
}

// hours is how long it takes to go on to a cell and to measure it.
func (d *Design) hours(from, to string) float64 {
	before, _ := d.Review.Cell(from)
	c, _ := d.Review.Cell(to)
	work := d.Work(&c)
	rest := min(work, d.Review.Budget.RestMost)
	hands := time.Duration(float64(Swaps(&before, &c))*d.Review.Budget.SwapMinutes*float64(time.Minute)) + reseat
	return (work + rest + hands).Hours()
}

// Work is about how long a visit of a cell measures.
func (d *Design) Work(c *review.Cell) time.Duration {
	var sum time.Duration
	for i := range d.Review.Measure {
		m := &d.Review.Measure[i]
		one := time.Duration(0)
		if m.IsCopy() {
			one = unit.Duration(float64(m.Size) / float64(transfer.GuessedRate))
		} else {
			estimate := m.Plan.Estimate(m.Hold)
			one = estimate.Elapsed + unit.Duration(float64(spanOf(m))/guessedRate(c)) // to fill the test file
			if estimate.Open {
				one = unit.Duration(float64(estimate.BoundedBytes)/guessedRate(c) +
					float64(spanOf(m))*(1+estimate.Over)/guessedRate(c))
			}
		}
		sum += one * time.Duration(m.Times)
	}
	return sum
}

// Written is about how much a visit writes to the cell's storage.
func (d *Design) Written(c *review.Cell) unit.Bytes {
	sum := unit.Bytes(0)
	for i := range d.Review.Measure {
		m := &d.Review.Measure[i]
		one := m.Size
		if !m.IsCopy() {
			one = m.Plan.Estimate(m.Hold).Written(unit.BytesPerSecond(guessedRate(c)), spanOf(m)) + spanOf(m)
		}
		sum += one * unit.Bytes(m.Times)
	}
	return sum
}

func spanOf(m *review.Measurement) unit.Bytes {
	if m.Size > 0 {
		return m.Size
	}
	return guessedSpan
}

// guessedRate is what a cell's storage is taken to do, in bytes a second.
func guessedRate(c *review.Cell) float64 {
	rate := math.Inf(1)
	if hop, ok := c.Setup.Chain.Binding(); ok {
		rate = float64(hop.Usable.Low+hop.Usable.High) / 2
	}
	for _, part := range c.Setup.Parts {
		if rated := float64(part.Ratings.SequentialWrite); rated > 0 {
			rate = min(rate, rated)
		}
	}
	if math.IsInf(rate, 1) {
		return float64(transfer.GuessedRate)
	}
	return rate * guessedShare
}

func (d *Design) wear(visits []Visit) []Wear {
	list := []Wear{}
	for _, v := range visits {
		c, _ := d.Review.Cell(v.Cell)
		written := d.Written(&c)
		at := slices.IndexFunc(list, func(w Wear) bool { return w.Drive == c.Storage() })
		if at < 0 {
			at = len(list)
			list = append(list, Wear{Drive: c.Storage()})
		}
		list[at].Written += written
		for _, part := range c.Setup.Parts {
			if part.Kind == book.Drive && part.Ratings.Endurance > 0 {
				list[at].Share = float64(list[at].Written) / float64(part.Ratings.Endurance)
			}
		}
	}
	return list
}

// over says which budgets are exceeded, in words.
func (d *Design) over(c Cost) []string {
	b, texts := d.Review.Budget, []string{}
	if b.HoursMost > 0 && c.Hours > b.HoursMost {
		texts = append(texts, fmt.Sprintf("it takes about %s, and hours-at-most is %g", Hours(c.Hours), b.HoursMost))
	}
	if b.WrittenMost > 0 && c.Written > b.WrittenMost {
		texts = append(texts, fmt.Sprintf("it writes about %s, and written-at-most is %s", c.Written.Decimal(),
			b.WrittenMost.Decimal()))
	}
	if b.SwapsMost > 0 && c.Swaps > b.SwapsMost {
		texts = append(texts, fmt.Sprintf("it takes %d swaps, and swaps-at-most is %d", c.Swaps, b.SwapsMost))
	}
	return texts
}

// Hours writes a number of hours: "40 min", "3 h 20 min".
func Hours(hours float64) string {
	return unit.Span(time.Duration(hours * float64(time.Hour)).Round(time.Minute))
}

// HoursOf is about how long a visit of a cell takes, with a part exchanged.
func (d *Design) HoursOf(c *review.Cell) float64 {
	work := d.Work(c)
	hands := time.Duration(d.Review.Budget.SwapMinutes*float64(time.Minute)) + reseat
	return (work + min(work, d.Review.Budget.RestMost) + hands).Hours()
}

// Spent says which budget the visits made and one more exceed, or nothing.
func (d *Design) Spent(made []Visit) string {
	if len(made) == 0 {
		return ""
	}
	one := made[len(made)-1]
	if over := d.over(d.cost(append(slices.Clone(made), one))); len(over) > 0 {
		return "the budget is spent: with one more visit " + over[0]
	}
	return ""
}
