package page

import (
	"encoding/base64"
	"fmt"

	g "maragu.dev/gomponents"
	h "maragu.dev/gomponents/html"

	"opengauge/core/record/session"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// list renders texts as a list of a class, or nothing where there are none.
func list(class string, texts []string) g.Node {
	if len(texts) == 0 {
		return nil
	}
	return h.Ul(h.Class(class), g.Map(texts, func(text string) g.Node { return h.Li(g.Text(text)) }))
}

// paragraph renders a text, or nothing where there is none.
func paragraph(text string, attributes ...g.Node) g.Node {
	if text == "" {
		return nil
	}
	return h.P(append(attributes, g.Text(text))...)
}

// block renders a block whose content is text.
func block(b article.Block) g.Node {
	var nodes g.Group
	if b.Heading != "" {
		nodes = append(nodes, h.H3(g.Text(b.Heading)))
	}
	nodes = append(nodes, paragraph(b.Text))
	if len(b.Points) > 0 {
		nodes = append(nodes, h.Ul(h.Class("quiet"), g.Map(b.Points, func(p article.Point) g.Node {
			return h.Li(h.Strong(g.Text(p.Lead)), g.Text(": "+p.Text))
		})))
	}
	nodes = append(nodes, list("verdict", b.Verdicts))
	if b.Finding != nil {
		nodes = append(nodes, finding(b.Finding))
	}
	if b.Photo != nil {
		source := "data:image/" + b.Photo.Ending()[1:] + ";base64," + base64.StdEncoding.EncodeToString(b.Photo.Data)
		nodes = append(nodes, h.Figure(h.Img(h.Class("photo"), h.Alt(b.Photo.Name), h.Src(source))))
	}
	return nodes
}

func finding(f *session.Finding) g.Node {
	return h.Article(h.Class("finding "+string(f.Severity)),
		h.P(h.Class("head"), h.Span(h.Class("mark"), h.Aria("hidden", "true"),
			g.Text(figure.SeverityMark(string(f.Severity)))), g.Text(" "), h.Strong(g.Text(string(f.Severity))),
			g.Text(fmt.Sprintf(" · %s · probability %.0f %%", f.Kind, f.Confidence*100))),
		h.P(g.Text(f.Summary)),
		h.P(h.Class("advice"), g.Text(f.Advice)),
	)
}

func disclosure(title string, matters bool, content g.Node) g.Node {
	return h.Details(g.If(matters, h.Class("matters")), h.Summary(g.Text(title)), content)
}

// numberClass aligns a cell to the right. It stands at thousands of cells, so it is short.
const numberClass = "n"

// tabulate renders a table under a label for readers who do not see what it stands near.
func tabulate(label string, t table.Table) g.Node {
	return g.Group{
		h.Div(h.Class("scroll"), h.TabIndex("0"), h.Role("region"), h.Aria("label", label), h.Table(
			h.THead(h.Tr(g.Map(t.Columns, func(c table.Column) g.Node {
				return h.Th(h.Scope("col"), g.If(c.Number, h.Class(numberClass)), g.Text(c.Title))
			}))),
			h.TBody(g.Map(t.Rows, func(row []string) g.Node {
				cells := make(g.Group, len(row))
				for at, cell := range row {
					cells[at] = h.Td(g.If(t.Columns[at].Number, h.Class(numberClass)), g.Text(cell))
				}
				return h.Tr(cells)
			})),
		)),
		g.Map(t.Notes, func(note string) g.Node { return paragraph(note, h.Class("quiet")) }),
	}
}

// placed is a figure with its place on the page.
type placed struct {
	id                       string
	title, subtitle, summary string
	// series marks a figure over time, which can be touched.
	series bool
	// small marks one of two figures beside each other.
	small bool
	// wide and slim are the drawings for a desk's screen and a phone's.
	wide, slim string
	// aspect is the height of the wide drawing divided by its width.
	aspect float64
}

// node renders a figure that is drawn already.
func (p placed) node() g.Node {
	return h.Figure(h.ID(p.id), g.If(p.small, h.Class("small")), g.If(p.series, g.Attr("data-series")),
		h.FigCaption(h.Strong(g.Text(p.title)), g.If(p.subtitle != "",
			g.Group{h.Br(), h.Span(h.Class("quiet"), g.Text(p.subtitle))})),
		h.Div(h.Class("drawn"), g.Raw(p.wide), g.Raw(p.slim)),
	)
}

// lazyNode renders the place of a figure that is drawn when its fold is opened.
func (p placed) lazyNode() g.Node {
	below := p.summary
	if p.subtitle != "" {
		below = p.subtitle + ". " + p.summary
	}
	return h.Figure(h.ID(p.id), g.Attr("data-lazy"), g.If(p.series, g.Attr("data-series")),
		h.FigCaption(h.Strong(g.Text(p.title)), h.Br(), h.Span(h.Class("quiet"), g.Text(below))),
		h.Div(h.Class("drawn scroll"), h.TabIndex("0"), h.Role("region"), h.Aria("label", "Drawing: "+p.id),
			h.Style(fmt.Sprintf("--tall:%.3f", p.aspect))),
	)
}
