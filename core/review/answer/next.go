package answer

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
)

// Out are the cells that need no more visits: those of options that are out of the race.
func (a *Answer) Out() map[string]bool {
	out, in := map[string]bool{}, map[string]bool{}
	for _, v := range a.Verdicts {
		for _, o := range v.Options {
			for _, cell := range o.cells {
				if o.Out != "" || v.Settled && !v.open(o.Name) {
					out[cell] = true
				} else {
					in[cell] = true
				}
			}
		}
	}
	for cell := range in {
		delete(out, cell)
	}
	return out
}

// open reports whether an option of a settled verdict is worth more visits: a cheaper one
// that may do as well, and the one that it is held against.
func (v *Verdict) open(name string) bool {
	return len(v.Undecided) > 0 && (name == v.Named || slices.Contains(v.Undecided, name))
}

// next is the visit that would help most for its time: the one that makes the difference
// that is least sure exact, by the greatest part an hour.
func (j *judge) next(verdicts []Verdict) *Next {
	if missing := j.missing(verdicts); missing != nil {
		return missing
	}
	var best *Next
	most := 0.0
	for _, v := range verdicts {
		if v.Settled || v.Named == "" || v.RunnerUp == "" {
			continue
		}
		weights := j.between(v)
		now := j.models.of(weights)
		if !now.told {
			continue
		}
		for cell := range weights {
			c, _ := j.review.Cell(cell)
			hours := j.design.HoursOf(&c)
			helps := 1 - j.models.with(weights, cell, j.lastBlock(cell))/now.variance
			if helps/hours > most {
				most = helps / hours
				best = &Next{Cell: cell, Hours: hours, Why: fmt.Sprintf("it makes the difference between %s and %s more exact, by "+
					"%s", v.Named, v.RunnerUp, unit.Percent(1-math.Sqrt(max(1-helps, 0))))}
			}
		}
	}
	return best
}

// between are the weights between the named option and the runner-up.
func (j *judge) between(v Verdict) map[string]float64 {
	weights := map[string]float64{}
	for _, o := range v.Options {
		sign := map[string]float64{v.Named: 1, v.RunnerUp: -1}[o.Name]
		for _, cell := range o.cells {
			if sign != 0 {
				weights[cell] = sign / float64(len(o.cells))
			}
		}
	}
	return weights
}

// lastBlock is that of the latest visit at a cell's host, or of a day to come.
func (j *judge) lastBlock(cell string) string {
	c, _ := j.review.Cell(cell)
	at := len(j.models.fine.observations) - 1
	for i := len(j.state.Visits) - 1; i >= 0; i-- {
		v := &j.state.Visits[i]
		if !v.Known() {
			continue
		}
		if v.Host == c.Host() {
			return j.models.fine.observations[at].block
		}
		at--
	}
	return "a day to come"
}

// missing is a cell without any figure yet whose option is still in the race.
func (j *judge) missing(verdicts []Verdict) *Next {
	seen := map[string]bool{}
	for i := range j.state.Visits {
		if v := &j.state.Visits[i]; v.Counts() {
			seen[v.Cell] = true
		}
	}
	if len(seen) == 0 {
		if first, ok := j.design.Next(nil, design.Here{}); ok {
			return j.asMissing(first.Cell)
		}
	}
	for _, v := range verdicts {
		for _, o := range v.Options {
			at := slices.IndexFunc(o.cells, func(cell string) bool { return !seen[cell] })
			if o.Out == "" && at >= 0 {
				return j.asMissing(o.cells[at])
			}
		}
	}
	return nil
}

func (j *judge) asMissing(cell string) *Next {
	c, _ := j.review.Cell(cell)
	return &Next{Cell: c.Name, Hours: j.design.HoursOf(&c), Why: "it was not measured yet"}
}

// Goes says which visit comes next, and why none does. A review goes on until it is settled,
// its budget is spent, or every cell was visited as often as it may.
func Goes(d *design.Design, st *reading.State, a *Answer, here design.Here) (design.Visit, string) {
	made := st.Made()
	if a.Decided() {
		if end, ok := d.Control(made, here); ok {
			return placed(end, st, here), ""
		}
		return design.Visit{}, "the answer is as sure as was asked"
	}
	if over := d.Spent(slices.Concat(made, here.Taken)); over != "" {
		return design.Visit{}, over
	}
	here.Out = a.Out()
	next, ok := d.Next(made, here)
	if ok {
		return placed(next, st, here), ""
	}
	if end, ok := d.Control(made, here); ok {
		return placed(end, st, here), ""
	}
	if elsewhere, ok := d.Next(made, design.Here{Day: here.Day, Out: here.Out}); ok {
		c, _ := d.Review.Cell(elsewhere.Cell)
		return design.Visit{}, fmt.Sprintf("all that can be measured here was; go on at the host %s", c.Host())
	}
	return design.Visit{}, "every cell was visited as often as the budget allows"
}

// placed gives a visit its place among all that were begun, those that do not count too.
func placed(v design.Visit, st *reading.State, here design.Here) design.Visit {
	v.Order = st.NextOrder()
	for _, other := range here.Taken { // at other benches
		v.Order = max(v.Order, other.Order+1)
		if other.Cell == v.Cell {
			v.Number = max(v.Number, other.Number+1)
		}
	}
	for i := range st.Visits {
		if st.Visits[i].Cell == v.Cell {
			v.Number = max(v.Number, st.Visits[i].Number+1)
		}
	}
	return v
}
