package page

import (
	"bytes"
	"compress/flate"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"math"
	"strings"

	"opengauge/core/record/session"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/table"
)

// Widths, in pixels, that figures are drawn for: a desk's screen and a phone's; and how tall
// the first one may be, so that it stands on the first screen.
const (
	wide     = 1100
	slim     = 430
	half     = 530 // of two beside each other
	mostLead = 400
	anyTall  = 2000
)

// payload is what the page's script reads when one of some figures is opened or touched:
// JSON by their ids, compressed (RFC 1951), in base64.
type payload struct {
	IDs    string
	Base64 template.HTML
}

// mostPacked is how long the JSON of a payload becomes, in bytes: what is alike in figures
// near each other is then kept once, and one is still unpacked in a moment.
const mostPacked = 150_000

// content is what is in a payload: the drawing, where it is not in the page already, and the
// lanes of a figure over time.
type content struct {
	SVG string `json:"svg,omitempty"`
	// Slim is the drawing for a phone's screen.
	Slim  string `json:"slim,omitempty"`
	Lanes []lane `json:"lanes,omitempty"`
	// Table is HTML.
	Table string `json:"table,omitempty"`
}

// lane is a [figure.Lane], with numbers as short as they are known.
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

// writer writes the parts of a page. The first error stays.
type writer struct {
	page     *template.Template
	payloads []payload
	// kept is what goes into the next payload, by id, in the order of the ids, and raw about
	// how long that is.
	kept  map[string]content
	order []string
	raw   int
	// labels and ids count those that were given, so that each has one of its own.
	labels, ids map[string]int
	// folded says that it writes what is behind folds, and size is how much of that is
	// written.
	folded bool
	size   int
	err    error
}

func newWriter() (*writer, error) {
	w := &writer{kept: map[string]content{}, labels: map[string]int{}, ids: map[string]int{}}
	made, err := template.New("").Funcs(template.FuncMap{
		"mark":    func(f *session.Finding) string { return figure.SeverityMark(string(f.Severity)) },
		"percent": func(share float64) string { return fmt.Sprintf("%.0f %%", share*100) },
		"source": func(p *session.Photo) template.URL {
			return template.URL("data:image/" + p.Ending()[1:] + ";base64," + base64.StdEncoding.EncodeToString(p.Data))
		},
	}).ParseFS(files, "parts.html")
	w.page = made
	return w, err
}

// own gives a text that was not given before.
func own(given map[string]int, text string) string {
	given[text]++
	if count := given[text]; count > 1 {
		return fmt.Sprintf("%s, %d", text, count)
	}
	return text
}

func (w *writer) part(name string, of any) template.HTML {
	var out strings.Builder
	if err := w.page.ExecuteTemplate(&out, name, of); err != nil && w.err == nil {
		w.err = err
	}
	if w.folded {
		w.size += out.Len()
	}
	return template.HTML(out.String())
}

func (w *writer) blocks(blocks []article.Block) template.HTML {
	var out strings.Builder
	for _, block := range blocks {
		switch {
		case block.Figure != nil && w.folded:
			out.WriteString(string(w.lazy(*block.Figure)))
		case block.Figure != nil:
			out.WriteString(string(w.figure(*block.Figure, anyTall)))
		case block.Table != nil && block.Table.Long && w.folded:
			out.WriteString(string(w.lazyTable(*block.Table)))
		case block.Table != nil:
			out.WriteString(string(w.table(*block.Table)))
		case block.Fold != nil:
			out.WriteString(string(w.fold(*block.Fold)))
		default:
			out.WriteString(string(w.part("block", block)))
		}
	}
	return template.HTML(out.String())
}

// fold writes what is behind a line. Figures there are drawn when it is opened.
func (w *writer) fold(f article.Fold) template.HTML {
	before := w.folded
	w.folded = true
	content := w.blocks(f.Blocks)
	w.folded = before
	return w.part("fold", struct {
		Title   string
		Matters bool
		Content template.HTML
	}{f.Title, f.Matters, content})
}

// labelled is a table with a label of its own.
type labelled struct {
	Label string
	table.Table
}

func (w *writer) table(t article.Tabled) template.HTML {
	return w.part("table", labelled{own(w.labels, t.Label), t.Table})
}

// lazyTable writes the place of a table that is written when it is opened.
func (w *writer) lazyTable(t article.Tabled) template.HTML {
	id := strings.ReplaceAll(own(w.ids, "table"), ", ", "-")
	before := w.size
	written := w.table(t)
	w.size = before
	w.keep(id, content{Table: string(written)})
	return w.part("lazy-table", id)
}

// placed is a figure in the page.
type placed struct {
	ID                       string
	Title, Subtitle, Summary string
	Series, Small            bool
	Wide, Slim               template.HTML
	// Tall is the height of the wide drawing, as a share of its width.
	Tall float64
}

func (w *writer) place(f article.Shown) placed {
	head := f.Head()
	message, below := head.Lines()
	_, series := f.Figure.(figure.Series)
	id := strings.ReplaceAll(own(w.ids, head.ID), ", ", "-")
	return placed{ID: id, Title: message, Subtitle: below, Summary: f.Summary(), Series: series}
}

// figure writes a figure that is seen at once, for a desk's screen and for a phone's.
func (w *writer) figure(f article.Shown, tall float64) template.HTML {
	made := w.place(f)
	if f.Small {
		made.Small = true
		made.Wide = template.HTML(w.drawing(f, half, anyTall, ""))
		return w.part("figure", made)
	}
	made.Wide = template.HTML(w.drawing(f, wide, tall, "wide"))
	kept := content{Lanes: lanesOf(f.Figure)}
	if narrow := w.drawing(f, slim, anyTall, "slim"); tall == mostLead {
		made.Slim = template.HTML(narrow)
	} else {
		kept.Slim = narrow
	}
	w.keep(made.ID, kept)
	return w.part("figure", made)
}

func (w *writer) drawing(f article.Shown, width, tall float64, class string) string {
	svg, err := image.Inline(f.Figure, width, min(figure.HeightOf(f.Figure, width), tall), class, f.Summary())
	if err != nil && w.err == nil {
		w.err = err
	}
	return svg
}

// lazy writes the place of a figure that is drawn when it is opened.
func (w *writer) lazy(f article.Shown) template.HTML {
	made := w.place(f)
	if made.Summary == made.Title {
		made.Summary = ""
	}
	made.Tall = figure.HeightOf(f.Figure, wide) / wide
	w.keep(made.ID, content{SVG: w.drawing(f, wide, anyTall, "only"), Lanes: lanesOf(f.Figure)})
	return w.part("lazy", made)
}

// keep puts something into a payload.
func (w *writer) keep(id string, c content) {
	w.kept[id] = c
	w.order = append(w.order, id)
	w.raw += len(c.SVG) + len(c.Slim) + len(c.Table)
	for _, lane := range c.Lanes {
		for _, line := range lane.Lines {
			w.raw += 16 * len(line.Values)
		}
	}
	if w.raw > mostPacked {
		w.pack()
	}
}

// pack makes a payload of what was kept.
func (w *writer) pack() {
	if len(w.kept) == 0 {
		return
	}
	text, err := packed(w.kept)
	if err != nil && w.err == nil {
		w.err = err
	}
	made := payload{strings.Join(w.order, " "), text}
	if w.folded {
		w.size += len(made.Base64)
	}
	w.payloads = append(w.payloads, made)
	w.kept, w.order, w.raw = map[string]content{}, nil, 0
}

// packed is JSON, compressed, in base64.
func packed(of any) (template.HTML, error) {
	var out bytes.Buffer
	packer, err := flate.NewWriter(&out, flate.BestCompression)
	if err != nil {
		return "", err
	}
	plain := json.NewEncoder(packer)
	plain.SetEscapeHTML(false)
	err = errors.Join(plain.Encode(of), packer.Close())
	return template.HTML(base64.StdEncoding.EncodeToString(out.Bytes())), err
}

func lanesOf(f figure.Figure) []lane {
	series, is := f.(figure.Series)
	if !is {
		return nil
	}
	var lanes []lane
	for _, each := range series.Lanes() {
		made := lane{Unit: each.Unit, Spans: each.Spans}
		for i, l := range each.Lines {
			drawn := line{Name: l.Name, Stroke: each.Stroke(i)}
			for _, p := range l.Points {
				drawn.Seconds = append(drawn.Seconds, known(p.Seconds, 6))
				drawn.Values = append(drawn.Values, known(p.Value, 4))
			}
			made.Lines = append(made.Lines, drawn)
		}
		lanes = append(lanes, made)
	}
	return lanes
}

// known is a number with so many digits.
func known(value float64, digits int) float64 {
	if value == 0 || math.IsNaN(value) || math.IsInf(value, 0) {
		return 0
	}
	power := math.Pow(10, float64(digits)-math.Ceil(math.Log10(math.Abs(value))))
	return math.Round(value*power) / power
}
