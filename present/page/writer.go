package page

import (
	"bytes"
	"compress/flate"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"

	g "maragu.dev/gomponents"
	h "maragu.dev/gomponents/html"

	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
)

// Widths that figures are drawn for, and their greatest heights, in pixels.
const (
	deskWidth  = 1100
	phoneWidth = 430
	halfWidth  = 530  // one of two figures beside each other
	maxLead    = 400  // the first figure stands on the first screen
	maxHeight  = 2000 // any other
)

// payload is the data of figures that the page's script reads once one of them is opened or
// touched: JSON by figure ID, compressed (RFC 1951), in base64.
type payload struct {
	ids    string
	base64 string
}

// maxPacked is the length at which a payload is closed, in bytes of JSON. Similar figures
// compress well together, and a payload of this length is unpacked in a moment.
const maxPacked = 150_000

// content is one entry of a payload.
type content struct {
	SVG string `json:"svg,omitempty"`
	// Slim is the drawing for a phone's screen.
	Slim  string `json:"slim,omitempty"`
	Lanes []lane `json:"lanes,omitempty"`
	// Table is HTML.
	Table string `json:"table,omitempty"`
}

// lane is a [figure.Lane] whose numbers are rounded to the digits that count.
type lane struct {
	Unit  string        `json:"unit"`
	Lines []line        `json:"lines"`
	Spans []figure.Span `json:"spans"`
}

type line struct {
	Name string `json:"name"`
	figure.Stroke
	Seconds []float64 `json:"t"`
	Values  []float64 `json:"v"`
}

// writer renders blocks and collects payloads. The first error stays in err.
type writer struct {
	payloads []payload
	// pending are the entries of the next payload, in the order of their IDs; length is
	// about how long their JSON is, in bytes.
	pending map[string]content
	order   []string
	length  int
	// labels and ids count those in use, to keep them distinct.
	labels, ids map[string]int
	// folded is set while folds are rendered; size is the length of those so far, in bytes.
	folded bool
	size   int
	err    error
}

func newWriter() *writer {
	return &writer{pending: map[string]content{}, labels: map[string]int{}, ids: map[string]int{}}
}

// distinct returns the text, with a number after it if it is in use already.
func distinct(used map[string]int, text string) string {
	used[text]++
	if count := used[text]; count > 1 {
		return fmt.Sprintf("%s, %d", text, count)
	}
	return text
}

// markup renders a node.
func (w *writer) markup(node g.Node) string {
	var out strings.Builder
	if err := node.Render(&out); err != nil && w.err == nil {
		w.err = err
	}
	return out.String()
}

// render renders a node at once, to know how long it is.
func (w *writer) render(node g.Node) g.Node {
	text := w.markup(node)
	if w.folded {
		w.size += len(text)
	}
	return g.Raw(text)
}

func (w *writer) blocks(blocks []article.Block) g.Node {
	var nodes g.Group
	for _, b := range blocks {
		switch {
		case b.Figure != nil && w.folded:
			nodes = append(nodes, w.lazyFigure(*b.Figure))
		case b.Figure != nil:
			nodes = append(nodes, w.figure(*b.Figure, maxHeight))
		case b.Table != nil && b.Table.Long && w.folded:
			nodes = append(nodes, w.lazyTable(*b.Table))
		case b.Table != nil:
			nodes = append(nodes, w.table(*b.Table))
		case b.Fold != nil:
			nodes = append(nodes, w.fold(*b.Fold))
		default:
			nodes = append(nodes, w.render(block(b)))
		}
	}
	return nodes
}

// fold renders a disclosure. Figures in it are drawn when it is opened.
func (w *writer) fold(f article.Fold) g.Node {
	before := w.folded
	w.folded = true
	content := w.blocks(f.Blocks)
	w.folded = before
	return disclosure(f.Title, f.Matters, content)
}

func (w *writer) table(t article.Tabled) g.Node {
	return w.render(tabulate(distinct(w.labels, t.Label), t.Table))
}

// lazyTable renders the place of a table that is filled when its fold is opened.
func (w *writer) lazyTable(t article.Tabled) g.Node {
	id := w.newID("table")
	w.add(id, content{Table: w.markup(tabulate(distinct(w.labels, t.Label), t.Table))})
	return w.render(h.Div(h.ID(id), g.Attr("data-lazy")))
}

// newID returns an ID that is not in use.
func (w *writer) newID(wanted string) string {
	return strings.ReplaceAll(distinct(w.ids, wanted), ", ", "-")
}

func (w *writer) place(f article.Shown) placed {
	head := f.Head()
	title, subtitle := head.Lines()
	_, series := f.Figure.(figure.Series)
	return placed{id: w.newID(head.ID), title: title, subtitle: subtitle, summary: f.Summary(), series: series}
}

// figure renders a figure that is visible from the start, for a desk's screen and a phone's.
func (w *writer) figure(f article.Shown, height float64) g.Node {
	p := w.place(f)
	if f.Small {
		p.small = true
		p.wide = w.drawing(f, halfWidth, maxHeight, "")
		return w.render(p.node())
	}
	p.wide = w.drawing(f, deskWidth, height, "wide")
	kept := content{Lanes: lanesOf(f.Figure)}
	if slim := w.drawing(f, phoneWidth, maxHeight, "slim"); height == maxLead {
		p.slim = slim
	} else {
		kept.Slim = slim
	}
	w.add(p.id, kept)
	return w.render(p.node())
}

func (w *writer) drawing(f article.Shown, width, height float64, class string) string {
	svg, err := image.Inline(f.Figure, width, min(figure.HeightOf(f.Figure, width), height), class, f.Summary())
	if err != nil && w.err == nil {
		w.err = err
	}
	return svg
}

// lazyFigure renders the place of a figure that is drawn when its fold is opened.
func (w *writer) lazyFigure(f article.Shown) g.Node {
	p := w.place(f)
	if p.summary == p.title {
		p.summary = ""
	}
	p.aspect = figure.HeightOf(f.Figure, deskWidth) / deskWidth
	w.add(p.id, content{SVG: w.drawing(f, deskWidth, maxHeight, "only"), Lanes: lanesOf(f.Figure)})
	return w.render(p.lazyNode())
}

// add adds an entry to the next payload.
func (w *writer) add(id string, c content) {
	w.pending[id] = c
	w.order = append(w.order, id)
	w.length += len(c.SVG) + len(c.Slim) + len(c.Table)
	for _, lane := range c.Lanes {
		for _, line := range lane.Lines {
			w.length += 16 * len(line.Values)
		}
	}
	if w.length > maxPacked {
		w.pack()
	}
}

// pack closes the next payload, if it has entries.
func (w *writer) pack() {
	if len(w.pending) == 0 {
		return
	}
	text, err := compress(w.pending)
	if err != nil && w.err == nil {
		w.err = err
	}
	if w.folded {
		w.size += len(text)
	}
	w.payloads = append(w.payloads, payload{strings.Join(w.order, " "), text})
	w.pending = map[string]content{}
	w.order = nil
	w.length = 0
}

// compress encodes a value as JSON, compresses it and returns base64.
func compress(value any) (string, error) {
	var out bytes.Buffer
	packer, err := flate.NewWriter(&out, flate.BestCompression)
	if err != nil {
		return "", err
	}
	plain := json.NewEncoder(packer)
	plain.SetEscapeHTML(false)
	err = errors.Join(plain.Encode(value), packer.Close())
	return base64.StdEncoding.EncodeToString(out.Bytes()), err
}

func lanesOf(f figure.Figure) []lane {
	series, ok := f.(figure.Series)
	if !ok {
		return nil
	}
	var lanes []lane
	for _, from := range series.Lanes() {
		to := lane{Unit: from.Unit, Spans: from.Spans}
		for i, l := range from.Lines {
			drawn := line{Name: l.Name, Stroke: from.Stroke(i)}
			for _, p := range l.Points {
				drawn.Seconds = append(drawn.Seconds, round(p.Seconds, 6))
				drawn.Values = append(drawn.Values, round(p.Value, 4))
			}
			to.Lines = append(to.Lines, drawn)
		}
		lanes = append(lanes, to)
	}
	return lanes
}

// round rounds a number to significant digits. A number that is not finite becomes 0.
func round(value float64, digits int) float64 {
	if value == 0 || math.IsNaN(value) || math.IsInf(value, 0) {
		return 0
	}
	power := math.Pow(10, float64(digits)-math.Ceil(math.Log10(math.Abs(value))))
	return math.Round(value*power) / power
}
