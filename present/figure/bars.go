package figure

import (
	"fmt"
	"slices"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/value"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var comparisonForm = Form{
	Name: "comparison", Section: "comparison", Title: "Side by side", Within: true, Together: true,
	Missing: "has nothing in common with others that could be set side by side",
	Of: func(subject Subject) []Figure {
		if subject.Comparison == nil {
			return nil
		}
		bars := Comparison(*subject.Comparison, subject.Notation)
		return one(bars, len(bars.Groups) > 0)
	},
}

var moneyForm = Form{
	Name: "money", Section: "money", Title: "Money", Within: true, Together: true,
	Missing: "does not know what its parts cost; measure with --through and a bench book that has prices",
	Of: func(subject Subject) []Figure {
		if subject.Value == nil {
			return nil
		}
		return one(Money(*subject.Value, subject.Notation))
	},
}

// Head is what stands over the bars.
func (b Bars) Head() Head {
	return Head{ID: b.ID, Title: b.Title, Subtitle: b.Subtitle, Message: b.message()}
}

// Table of bars has no rows: each bar says its figure.
func (b Bars) Table() table.Table { return table.Table{} }

// Bars is groups of bars, each group with a scale of its own from zero.
type Bars struct {
	ID       string     `json:"id"`
	Title    string     `json:"title"`
	Subtitle string     `json:"subtitle"`
	Unit     string     `json:"unit"`
	Groups   []BarGroup `json:"groups"`
	// Says is what they say, where that is not the title.
	Says string `json:"-"`
}

// simulatedMark ends the subtitle of what was made from simulated sessions.
const simulatedMark = " (simulated)"

// BarGroup is the bars of one load, or of one use.
type BarGroup struct {
	Label string `json:"label"`
	// Better says which way is: "longer is better".
	Better string `json:"better"`
	Writes bool   `json:"writes"`
	Bars   []Bar  `json:"bars"`
}

// Bar is one figure, with its interval where one is known.
type Bar struct {
	Name  string  `json:"name"`
	Value float64 `json:"value"`
	// Low and High are the 95 % interval; both 0 where it is not known.
	Low  float64 `json:"low,omitempty"`
	High float64 `json:"high,omitempty"`
	// Dots are the single figures that the value is of.
	Dots []float64 `json:"dots,omitempty"`
	// Named is the one that an answer names, and Out one that is out of the race.
	Named bool `json:"named,omitempty"`
	Out   bool `json:"out,omitempty"`
	// Text stands at the bar: the value with its unit, and what it amounts to.
	Text string `json:"text"`
}

// Top is the longest that a group has to show.
func (g BarGroup) Top() float64 {
	top := 0.0
	for _, bar := range g.Bars {
		top = max(top, bar.Value, bar.High)
		for _, dot := range bar.Dots {
			top = max(top, dot)
		}
	}
	return max(top, 1e-12)
}

func better(metric compare.Metric) string {
	if metric.HigherIsBetter() {
		return "longer is better"
	}
	return "shorter is better"
}

// Comparison draws each load's figure by session.
func Comparison(c compare.Comparison, notation unit.Notation) Bars {
	bars := Bars{ID: "comparison", Title: "Side by side, against " + c.Sides[0].DisplayName(), Unit: notation.Unit()}
	bars.Subtitle = fmt.Sprintf("%s; whiskers are 95 %% intervals, each group has its own scale from zero",
		unit.Count(len(c.Sides), "session"))
	if slices.ContainsFunc(c.Sides, func(s compare.Side) bool { return s.Simulated }) {
		bars.Subtitle += simulatedMark
	}
	for _, row := range c.Rows {
		if row.Folded && !c.AllFolded() || row.ByAmount {
			continue
		}
		group := BarGroup{Label: row.Label, Better: better(row.Metric), Writes: row.Load.Writes()}
		for i, figure := range row.Figures {
			if !figure.Known {
				continue
			}
			bar := Bar{Name: c.Sides[i].DisplayName(), Value: metricValue(row.Metric, figure.Value, notation),
				Text: row.Metric.Text(figure.Value, notation)}
			if low, high, known := figure.Interval(); known {
				bar.Low, bar.High = metricValue(row.Metric, low, notation), metricValue(row.Metric, high, notation)
			}
			if words := row.Words(i); words != "" {
				bar.Text += ", " + words
			}
			group.Bars = append(group.Bars, bar)
		}
		bars.Groups = append(bars.Groups, group)
	}
	return bars
}

// metricValue is a figure in the units that it is shown in: those of the notation,
// milliseconds or seconds.
func metricValue(metric compare.Metric, figure float64, notation unit.Notation) float64 {
	switch metric {
	case compare.Latency:
		return figure * 1000
	case compare.Time:
		return figure
	}
	return notation.Value(unit.BytesPerSecond(figure))
}

// Money draws what offers do for each use, and what that costs.
func Money(v value.Value, notation unit.Notation) (Bars, bool) {
	bars := Bars{ID: "money", Title: "What the money buys", Unit: notation.Unit(),
		Subtitle: "prices of drive, enclosure and cable, as the bench book has them"}
	if v.Simulated {
		bars.Subtitle += simulatedMark
	}
	if v.Through != "" {
		bars.Title += " through " + v.Through
	}
	for _, use := range value.Uses {
		group := BarGroup{Label: string(use), Better: "longer is better", Writes: use == value.Writes ||
			use == value.SteadyWrites}
		for _, offer := range v.Offers {
			if worth, ok := offer.For(use); ok {
				text := worth.Text(notation)
				if worth.Price > 0 {
					text += fmt.Sprintf(" for %.0f", offer.Price)
					if offer.Monthly {
						text += " a month"
					}
				}
				if worth.HeldBy != "" {
					text += ", held by " + worth.HeldBy
				}
				group.Bars = append(group.Bars, Bar{Name: offer.Label, Value: notation.Value(worth.Rate), Text: text})
			}
		}
		if len(group.Bars) > 0 {
			bars.Groups = append(bars.Groups, group)
		}
	}
	return bars, len(bars.Groups) > 0
}

// Summary says in words what the bars show.
func (b Bars) Summary() string {
	text := b.Title
	for _, group := range b.Groups {
		text += "; " + group.Label + ": "
		for i, bar := range group.Bars {
			if i > 0 {
				text += ", "
			}
			text += bar.Name + " " + bar.Text
		}
	}
	return text + "."
}
