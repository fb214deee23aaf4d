package table

import (
	"fmt"
	"strconv"

	"opengauge/core/plan"
	"opengauge/core/unit"
)

// Plans is the table of plans.
func Plans(plans []plan.Plan) Table {
	t := Table{Columns: []Column{text("plan"), number("passes"), number("time"), text("writes"), text("about")}}
	for _, p := range plans {
		estimate := p.Estimate(plan.DefaultHold)
		t.Rows = append(t.Rows, []string{
			p.Name, strconv.Itoa(estimate.Passes), planTime(estimate), yesNo(estimate.WritePasses > 0), p.About,
		})
	}
	return t
}

// planTime is how long a plan takes, as far as that is known beforehand.
func planTime(e plan.Estimate) string {
	switch {
	case e.Open && e.Elapsed == 0:
		return "by its bytes"
	case e.Open:
		return unit.Span(e.Elapsed) + " and more"
	}
	return unit.Span(e.Elapsed)
}

// PlannedPasses is the table of a plan's passes.
func PlannedPasses(passes []plan.Pass) Table {
	t := Table{Columns: []Column{
		number("pass"), text("step"), text("operation"), text("access"), number("block"), number("depth"), text("ends"),
		text("besides"),
	}}
	for _, p := range passes {
		t.Rows = append(t.Rows, []string{
			strconv.Itoa(p.Index + 1), p.Step, string(p.Operation), string(p.Access), p.Block.String(),
			strconv.Itoa(p.Depth),
			ending(p), p.Besides(),
		})
	}
	return t
}

// ending says when a pass is over.
func ending(p plan.Pass) string {
	text := "after " + unit.Span(p.Hold)
	if p.Open() {
		text = "by its bytes"
	}
	if p.Times > 0 {
		text += fmt.Sprintf(", or %.3g times over", p.Times)
	}
	if p.Round > 0 {
		text += ", or when steady over rounds of " + unit.Span(p.Round)
	}
	if p.Explained > 0 {
		text += fmt.Sprintf(", or once a cause is settled at %.0f %%", p.Explained*100)
	}
	if p.Bytes > 0 {
		text += ", or " + p.Bytes.String()
	}
	if p.Within > 0 {
		text += fmt.Sprintf(", or when known to %.3g %%", p.Within*100)
	}
	return text
}
