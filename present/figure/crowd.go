package figure

import (
	"fmt"
	"math"
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"opengauge/core/judge/crowd"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var crowdForm = Form{
	Name: "crowd", Question: "How many hosts does it take?", Few: true,
	Section: "crowd", Title: "Hosts at once", Fold: "What each host got, as a table",
	Missing: "has no load that ran on several counts of hosts at once; measure --together with --sweep-hosts",
	Of: each(func(s *session.Session, subject Subject) []Figure {
		return one(NewCrowd(s, subject.Notation))
	}),
}

// Crowd is what one volume gives to more and more hosts: a panel a load, the counts of hosts
// along the bottom, and what each host got stacked up to the sum.
type Crowd struct {
	ID, Title, Subtitle string
	Sweeps              []crowd.Sweep
	notation            unit.Notation
}

// NewCrowd makes the figure of a merged session; false where no load ran on two counts of hosts.
func NewCrowd(s *session.Session, notation unit.Notation) (Crowd, bool) {
	made := Crowd{ID: "crowd-" + s.ID, Title: s.DisplayName() + ": more hosts on one volume", notation: notation,
		Subtitle: "stacked: what each host got; dashed: as many times what one host gets"}
	for _, sweep := range crowd.Of(s) {
		if len(sweep.Points) > 1 && len(made.Sweeps) < mostPanels {
			made.Sweeps = append(made.Sweeps, sweep)
		}
	}
	return made, len(made.Sweeps) > 0
}

// Head is what stands over the figure.
func (c Crowd) Head() Head {
	return Head{ID: c.ID, Title: c.Title, Subtitle: c.Subtitle, Message: c.message()}
}

// message is what the first load says, in a line.
func (c Crowd) message() string {
	first := &c.Sweeps[0]
	last := first.Points[len(first.Points)-1]
	rate, hosts := c.notation.Rate(last.Sum), unit.Count(last.Hosts, "host")
	switch {
	case first.Limit == crowd.Volume && first.Saturates < last.Hosts:
		return fmt.Sprintf("%s get %s, which %s have already", hosts, rate, unit.Count(first.Saturates, "host"))
	case first.Limit == crowd.Wires, first.Limit == crowd.Hosts:
		return fmt.Sprintf("%s get %s, and take nothing from each other", hosts, rate)
	case first.Limit == crowd.Changed:
		return fmt.Sprintf("one host got %s before and %s after: the volume changed meanwhile",
			c.notation.Rate(first.Points[0].Sum), c.notation.Rate(first.After))
	}
	return fmt.Sprintf("%s get %s", hosts, rate)
}

// Summary says in words what it shows.
func (c Crowd) Summary() string {
	var texts []string
	for i := range c.Sweeps {
		texts = append(texts, c.Sweeps[i].Verdict(c.notation))
	}
	return strings.Join(texts, " ")
}

// Table has a row a count of hosts.
func (c Crowd) Table() table.Table { return table.Crowd(c.Sweeps, c.notation) }

// Height is what its rows take.
func (c Crowd) Height(width float64) float64 { return panelsHeight(len(c.Sweeps), width) }

// Draw draws a panel a load.
func (c Crowd) Draw(sheet draw.Canvas) error {
	for i, part := range panelParts(sheet, len(c.Sweeps)) {
		c.panel(part, &c.Sweeps[i])
	}
	return nil
}

func (c Crowd) panel(part draw.Canvas, sweep *crowd.Sweep) {
	most := 0.0
	for _, p := range sweep.Points {
		most = max(most, c.notation.Value(p.Sum))
	}
	name := style(13, Ink, true)
	part.FillText(name, vg.Point{X: part.Min.X + pixels(4), Y: part.Max.Y - pixels(16)},
		fittingName(name, sweep.Label, part.Max.X-part.Min.X-pixels(8)))
	box := rectangle(part.Min.X+pixels(panelAxis), part.Min.Y+pixels(panelFoot), part.Max.X, part.Max.Y-pixels(panelHead))
	top := Top(most * 1.25)
	panelFrame{}.lane(part, box, top, c.notation.Unit())
	width := (box.Max.X - box.Min.X) / vg.Length(len(sweep.Points))
	for i, p := range sweep.Points {
		left := box.Min.X + width*vg.Length(i)
		column := rectangle(left+width*0.2, box.Min.Y, left+width*0.8, box.Max.Y)
		scaled := float64(p.Hosts) * c.notation.Value(sweep.Points[0].Sum) / float64(sweep.Points[0].Hosts) / top
		c.stack(part, column, p, top, scaled)
		c.scaled(part, column, scaled)
		foot := style(12, CeilingGrey, false)
		foot.XAlign, foot.YAlign = draw.XCenter, draw.YTop
		part.FillText(foot, vg.Point{X: left + width/2, Y: box.Min.Y - pixels(4)}, c.under(sweep, p))
	}
}

// under says how many hosts a column is of, and what one got again at the end.
func (c Crowd) under(sweep *crowd.Sweep, p crowd.Point) string {
	text := unit.Count(p.Hosts, "host")
	if p.Hosts == 1 && sweep.After > 0 {
		text += ", at the end " + c.notation.Number(sweep.After)
	}
	return text
}

// stack draws what each host got on top of the others, and the sum above, out of the way of a line
// at a share of the height.
func (c Crowd) stack(part draw.Canvas, column vg.Rectangle, p crowd.Point, top, line float64) {
	height := column.Max.Y - column.Min.Y
	y := column.Min.Y
	for i, each := range p.Each {
		step := height * vg.Length(c.notation.Value(each.Together)/top)
		part.SetColor(wash(Throughput, uint8([]int{210, 150}[i%2])))
		part.Fill(rectangle(column.Min.X, y, column.Max.X, y+step).Path())
		y += step
	}
	sum := style(13, Ink, true)
	sum.XAlign = draw.XCenter
	if at := column.Min.Y + height*vg.Length(line); at > y && at < y+pixels(20) {
		y = at
	}
	part.FillText(sum, vg.Point{X: (column.Min.X + column.Max.X) / 2, Y: y + pixels(4)}, c.notation.Number(p.Sum))
}

// scaled draws what as many hosts would get that do not take from each other; above the panel
// nothing is drawn.
func (c Crowd) scaled(part draw.Canvas, column vg.Rectangle, share float64) {
	if math.IsNaN(share) || share > 1 {
		return
	}
	y := column.Min.Y + (column.Max.Y-column.Min.Y)*vg.Length(share)
	part.StrokeLine2(draw.LineStyle{Color: paint(CeilingGrey), Width: pixels(1.5),
		Dashes: []vg.Length{pixels(5), pixels(4)}}, column.Min.X-pixels(8), y, column.Max.X+pixels(8), y)
}
