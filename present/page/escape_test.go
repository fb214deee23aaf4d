package page

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"opengauge/core/record/session"
	"opengauge/present/article"
	"opengauge/present/table"
	"opengauge/present/text"
)

// textArticle returns an article that has a text in every place that a text can have.
func textArticle(s string) article.Article {
	photo := &session.Photo{Name: s + ".png", Data: []byte("kelp")}
	return article.Article{
		Title: s, Author: s, Note: s, Program: s, Written: s, Simulated: true,
		Lead: article.Lead{Answer: s, Besides: []string{s}, Tested: s},
		Sections: []article.Section{{ID: s, Short: s, Title: s, Blocks: []article.Block{
			{Heading: s, Text: s, Points: []article.Point{{Lead: s, Text: s}}, Verdicts: []string{s}},
			{Finding: &session.Finding{Kind: s, Severity: session.Caution, Summary: s, Advice: s}},
			{Photo: photo},
			{Table: &article.Tabled{Label: s, Table: table.Table{
				Columns: []table.Column{table.Text(s), table.Number(s)}, Rows: [][]string{{s, s}}, Notes: []string{s},
			}}},
		}}},
		Folds: []article.Fold{{Title: s, Matters: true, Blocks: []article.Block{{Text: s}}}},
	}
}

// structure returns the elements of a page with the names of their attributes, and how often
// a text is the whole of a text node or of an attribute.
func structure(tb testing.TB, page, whole string) (elements []string, found int) {
	tb.Helper()
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		tb.Fatal(err)
	}
	for node := range root.Descendants() {
		switch node.Type {
		case html.TextNode:
			if node.Data == whole {
				found++
			}
		case html.ElementNode:
			element := node.Data
			for _, attribute := range node.Attr {
				element += " " + attribute.Key
				if attribute.Val == whole {
					found++
				}
			}
			elements = append(elements, element)
		}
	}
	return elements, found
}

// Whatever a text is, a browser's parser finds the elements that it finds around a plain
// one, and the text as it was.
func FuzzTextStaysText(f *testing.F) {
	for _, seed := range []string{"ebb", "</script><script>alert(1)</script>", `"><img src=x onerror=alert(1)>`,
		"]]>--><!--", "&lt;b&gt;&amp;", "' onmouseover='x", "</title></style><svg/onload=alert(1)>", "a\x00b",
		"javascript:alert(1)", "{{.}}", "\u202ereversed"} {
		f.Add(seed)
	}
	plain, plainCount := structure(f, pageOfText(f, "ebb"), "ebb")
	if plainCount < 15 {
		f.Fatalf("the text is found %d times", plainCount)
	}
	f.Fuzz(func(t *testing.T, s string) {
		// The parser joins text nodes and drops what stands for no letter; a space around a text
		// could be that of the page.
		s = strings.ToValidUTF8(strings.Map(func(r rune) rune {
			if r == 0 || r == '\r' || r == '\n' || r == '\f' {
				return -1
			}
			return r
		}, s), "")
		if strings.TrimSpace(s) == "" {
			return
		}
		elements, count := structure(t, pageOfText(t, s), text.Clean(s))
		if !slices.Equal(elements, plain) {
			t.Errorf("%q changes the elements of the page", s)
		}
		if count < plainCount { // an attribute of the page may have the same value
			t.Errorf("%q is found %d times as it was, a plain text %d times", s, count, plainCount)
		}
	})
}

func pageOfText(tb testing.TB, s string) string {
	tb.Helper()
	var out bytes.Buffer
	d, err := newDocument(textArticle(s))
	if err != nil {
		tb.Fatal(err)
	}
	if err := d.render(&out); err != nil {
		tb.Fatal(err)
	}
	return text.Clean(out.String())
}
