package figure_test

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"testing"

	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/value"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
	"opengauge/lab/witness"
	"opengauge/present/figure"
)

// demo is what a report about all sessions of the demo is about.
func demo(t *testing.T, notation unit.Notation) figure.Subject {
	t.Helper()
	subject := figure.Subject{Sessions: recorded.All(t), Findings: map[string][]session.Finding{}, Notation: notation}
	for _, s := range subject.Sessions {
		subject.Findings[s.ID] = finding.Detect(s, notation)
	}
	compared, err := compare.New(subject.Sessions, compare.Terms{})
	if err != nil {
		t.Fatal(err)
	}
	compared = compared.Shared()
	valued, err := value.Of(subject.Sessions, value.Terms{}, notation)
	if err != nil {
		t.Fatal(err)
	}
	subject.Comparison, subject.Value = &compared, &valued
	return subject
}

// coordinate is a number of a drawing, with more digits than can be seen.
var coordinate = regexp.MustCompile(`-?\d+\.\d+`)

// drawn is a figure's drawing in a line: how many strokes it has, and their sum.
func drawn(t *testing.T, f figure.Figure) string {
	t.Helper()
	sheet := vgsvg.New(figure.Pixels(1280), figure.Pixels(800))
	canvas := draw.New(sheet)
	figure.Lay(canvas)
	if err := f.Draw(canvas); err != nil {
		t.Fatal(err)
	}
	var text bytes.Buffer
	if _, err := sheet.WriteTo(&text); err != nil {
		t.Fatal(err)
	}
	rounded := coordinate.ReplaceAllStringFunc(text.String(), func(number string) string {
		value, _ := strconv.ParseFloat(number, 64)
		return strconv.FormatFloat(value, 'f', 1, 64)
	})
	sum := fnv.New64a()
	_, _ = sum.Write([]byte(rounded))
	return fmt.Sprintf("drawing of %d strokes, %016x", strings.Count(rounded, "<"), sum.Sum64())
}

// What every form of figure says of the demo's sessions, and draws.
func TestFiguresOfTheDemo(t *testing.T) {
	if runtime.GOARCH != "amd64" {
		t.Skip("the last digits of drawings are those of other processors")
	}
	for name, notation := range map[string]unit.Notation{"decimal": unit.Decimal, "bits": unit.Bits} {
		subject := demo(t, notation)
		for _, form := range figure.Forms {
			var text strings.Builder
			for _, f := range form.Of(subject) {
				head := f.Head()
				fmt.Fprintf(&text, "%s\n%s\n%s\n%s\n%s\n", head.ID, head.Title, head.Subtitle, f.Summary(), drawn(t, f))
				made := f.Table()
				for _, column := range made.Columns {
					fmt.Fprintf(&text, "%v\t", column)
				}
				for _, row := range made.Rows {
					fmt.Fprintf(&text, "\n%s", strings.Join(row, "\t"))
				}
				fmt.Fprintf(&text, "\n%s\n\n", strings.Join(made.Notes, "\n"))
			}
			file := filepath.Join("testdata", form.Name+"-"+name+".txt")
			witness.CheckKept(t, file, text.String())
		}
	}
}
