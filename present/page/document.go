package page

import (
	"crypto/sha256"
	"encoding/base64"
	"io"
	"strconv"

	g "maragu.dev/gomponents"
	h "maragu.dev/gomponents/html"

	"opengauge/core/record/exchange"
	"opengauge/present/article"
)

// document is an article whose parts are rendered, with everything the page carries.
type document struct {
	article.Article
	leadFigure g.Node
	sections   []section
	folds      []g.Node
	// omitted is the number of folds that had no room.
	omitted       int
	payloads      []payload
	data          exchange.Enclosed
	style, script string
	// library is the hash of the chart library, by which the policy knows it.
	library string
}

// section is an open section with its content.
type section struct {
	id, short, title string
	content          g.Node
}

// securityPolicy forbids the page to load or send anything, and to run other scripts than its own and the chart
// library, which are known by their hashes.
func (d *document) securityPolicy() string {
	return "default-src 'none'; script-src " + hashSource(d.script) + " " + d.library + "; style-src " +
		"'unsafe-inline'; img-src data:; base-uri 'none'; form-action 'none'"
}

// hashSource returns the source expression of a script (Content Security Policy Level 3, 2.3.1).
func hashSource(script string) string {
	sum := sha256.Sum256([]byte(script))
	return "'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'"
}

func (d *document) render(w io.Writer) error {
	return h.Doctype(h.HTML(h.Lang("en"), d.head(), h.Body(
		h.A(h.Class("skip"), h.Href("#answer"), g.Text("To the answer")),
		h.Header(h.H1(g.Text(d.Title)), g.If(d.Simulated, h.P(h.Strong(h.Class("simulated"),
			g.Text("Simulated parts: no real drive was measured where this is marked."))))),
		h.Main(d.lead(), g.Map(d.sections, section.node), d.dataSection()),
		d.footer(),
		g.Map(d.payloads, payload.node),
		h.Script(h.Type("application/zstd"), h.ID(exchange.EnclosedID), h.Data("sha256", d.data.SHA256),
			h.Data("count", strconv.Itoa(d.data.Count)), g.Raw(d.data.Base64)),
		h.Script(g.Raw(d.script)),
	))).Render(w)
}

func (d *document) head() g.Node {
	return h.Head(
		h.Meta(h.Charset("utf-8")),
		h.Meta(h.Name("viewport"), h.Content("width=device-width, initial-scale=1")),
		h.Meta(g.Attr("http-equiv", "Content-Security-Policy"), h.Content(d.securityPolicy())),
		h.Meta(h.Name("generator"), h.Content("opengauge "+d.Program)),
		g.If(d.Author != "", h.Meta(h.Name("author"), h.Content(d.Author))),
		h.Link(h.Rel("icon"), h.Href("data:,")),
		h.TitleEl(g.Text(d.Title)),
		h.StyleEl(g.Raw(d.style)),
	)
}

// lead renders the first screen: the answer, its figure, what was tested, and the contents.
func (d *document) lead() g.Node {
	return h.Section(h.ID("answer"), h.Class("lead"), h.Aria("label", "The answer"), h.TabIndex("-1"),
		h.P(h.Class("answer"), g.Text(d.Lead.Answer)),
		list("besides", d.Lead.Besides),
		d.leadFigure,
		h.P(h.Class("tested"), h.Strong(g.Text("Tested:")), g.Text(" "+d.Lead.Tested)),
		g.If(d.Note != "", h.P(h.Class("remark"), g.Text(d.Note))),
		h.Nav(h.Aria("label", "Contents"), h.Ul(
			g.Map(d.sections, func(s section) g.Node { return h.Li(h.A(h.Href("#"+s.id), g.Text(s.short))) }),
			h.Li(h.A(h.Href("#data"), g.Text("All data"))),
		)),
	)
}

func (s section) node() g.Node {
	return h.Section(h.ID(s.id), h.Aria("labelledby", "title-"+s.id),
		h.H2(h.ID("title-"+s.id), g.Text(s.title)), s.content)
}

func (d *document) dataSection() g.Node {
	return h.Section(h.ID("data"), h.Aria("labelledby", "title-data"),
		h.H2(h.ID("title-data"), g.Text("All data, a fold a session")),
		h.P(h.Class("quiet"), g.Text("This page carries "+d.dataSummary()+". "), h.Code(g.Text("opengauge logbook import")),
			g.Text(" with this file takes them in, to check what is said here and to go on.")),
		g.If(d.omitted > 0, h.P(h.Class("quiet"), g.Text(d.omittedSummary()))),
		g.Group(d.folds),
	)
}

func (d *document) footer() g.Node {
	author := ""
	if d.Author != "" {
		author = "By " + d.Author + ". "
	}
	return h.Footer(h.Class("quiet"),
		h.P(g.Text(author+"Written "+d.Written+" with opengauge "+d.Program+".")),
		h.P(g.Text("Throughput is in decimal units unless it says otherwise: 1 MB/s is 10"), h.Sup(g.Text("6")),
			g.Text(" bytes a second. Block sizes are binary: 4 KiB is 4096 bytes. Write passes end with a flush, which "+
				"counts.")),
	)
}

// node renders a payload as a script element that browsers do not run.
func (p payload) node() g.Node {
	return h.Script(h.Type("text/plain"), h.Data("for", p.ids), g.Raw(p.base64))
}
