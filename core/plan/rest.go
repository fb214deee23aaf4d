package plan

import (
	"time"

	"opengauge/core/document"
	"opengauge/core/unit"
)

var restKind = StepKind{
	Name:    "rest",
	About:   "lets the target be, for a time, or until it has cooled",
	Items:   []Item{&Rest{}},
	Example: "rest: {until-below: 45C, at-most: 10m}",
	parse:   parseRest,
	blank:   func() Work { return &Rest{} },
}

// Rest lets the target be, for a time, or until it has cooled. It is a step, and
// its own item.
type Rest struct {
	still
	// ForSeconds is how long, at the most.
	ForSeconds float64 `json:"for_seconds"`
	// BelowCelsius ends it once the drive is below that; nil does not.
	BelowCelsius *unit.Celsius `json:"until_below_celsius,omitempty"`
}

// longestRest is how long a rest lasts where only a temperature ends it.
const longestRest = time.Hour

func parseRest(n document.Node, _ int) (Work, error) {
	r, below := &Rest{}, unit.Celsius(0)
	given, err := n.Read(
		document.Into("for", &r.ForSeconds, parseHoldSeconds),
		document.Into("until-below", &below, unit.ParseCelsius),
		document.Into("at-most", &r.ForSeconds, parseHoldSeconds),
	)
	if err != nil {
		return nil, err
	}
	if given.Count("for", "until-below") != 1 || given["at-most"] && !given["until-below"] {
		return nil, n.Errorf("expected \"for\" a time, or \"until-below\" a temperature and perhaps \"at-most\" a time")
	}
	if given["until-below"] {
		r.BelowCelsius = &below
		if !given["at-most"] {
			r.ForSeconds = longestRest.Seconds()
		}
	}
	return r, nil
}

// Kind says "rest".
func (r *Rest) Kind() string { return restKind.Name }

// Does says "rest".
func (r *Rest) Does() string { return "rest" }

func (r *Rest) passes() int { return 1 }

func (r *Rest) expand(e *expansion, _ Place) { e.add(r) }

func (r *Rest) estimate(total *tally) { total.Elapsed += unit.Duration(r.ForSeconds) }
