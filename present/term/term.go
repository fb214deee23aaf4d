// Package term draws results in a terminal, or as plain text where there is none: the writer
// removes colour that cannot be shown or is not wanted.
//
// A screen belongs to one goroutine. Live views take reports from another.
package term

import (
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/colorprofile"
	"golang.org/x/term"

	"opengauge/present/figure"
	"opengauge/present/text"
)

// Screen is an output with its capabilities.
type Screen struct {
	out io.Writer
	// Width is how many columns there are.
	Width int
	// Height is how many rows there are, or 0 where nobody knows.
	Height int
	// Interactive says whether a person sees it now: lines may be redrawn.
	Interactive bool
}

// plainWidth is the width of text that goes to a file or a pipe.
const plainWidth = 100

// NewScreen finds out the capabilities of an output. NO_COLOR and a dumb terminal are honoured,
// terminals that show only ASCII get that, and old consoles that cannot be steered get plain
// lines.
func NewScreen(out io.Writer) *Screen {
	colours := colorprofile.NewWriter(out, os.Environ())
	screen := &Screen{out: colours, Width: plainWidth}
	file, ok := out.(interface{ Fd() uintptr })
	if !ok || !term.IsTerminal(int(file.Fd())) {
		return screen
	}
	steered := steers(file.Fd())
	if colours.Forward = letters(out, steered); !steered {
		colours.Profile = colorprofile.NoTTY
	}
	if !steered || os.Getenv("TERM") == "dumb" {
		return screen
	}
	screen.Interactive = true
	if width, height, err := term.GetSize(int(file.Fd())); err == nil && width > 0 {
		screen.Width = width
		screen.Height = height
	}
	return screen
}

// Printf writes text.
func (s *Screen) Printf(format string, arguments ...any) {
	_, _ = fmt.Fprintf(s.out, format, arguments...)
}

// Println writes a line.
func (s *Screen) Println(text string) { s.Printf("%s\n", text) }

// Heading writes a line that begins something new.
func (s *Screen) Heading(text string) { s.styled(bold, "", text) }

// faintly writes the text below a heading.
func (s *Screen) faintly(text string) { s.styled(faint, "", text) }

// legend explains signs, under a drawing.
func (s *Screen) legend(text string) { s.styled(faint, strings.Repeat(" ", axisWidth+2), text) }

// styled writes a text in a style behind an indent, wrapped where a person looks.
func (s *Screen) styled(style lipgloss.Style, indent, text string) {
	lines := []string{Clean(text)}
	if room := s.Width - len(indent); s.Interactive && lipgloss.Width(lines[0]) > room {
		lines = wrap(lines[0], max(room, 20))
	}
	for _, line := range lines {
		s.Println(indent + style.Render(strings.TrimRight(line, " ")))
	}
}

// A figure and its unit are never parted by the end of a line: while a text is wrapped, a rune of
// the private use area stands for the space between them.
var figureAndUnit = regexp.MustCompile(`(\d) (%|°C|[kMGTP]?i?B/s|[kMGTP]?i?B\b|IOPS|s\b|min\b|h\b)`)

const heldSpace = "\ue000"

// So are the names of flags: another rune stands for their hyphens.
var flagName = regexp.MustCompile(`(^|[\s(])--?[a-z][a-z0-9-]*`)

const heldHyphen = "\ue001"

var released = strings.NewReplacer(heldSpace, " ", heldHyphen, "-")

// wrapped is a text in lines of a width at the most, but for words that are longer.
func wrap(text string, width int) []string {
	held := figureAndUnit.ReplaceAllString(text, "${1}"+heldSpace+"${2}")
	held = flagName.ReplaceAllStringFunc(held, func(name string) string {
		return strings.ReplaceAll(name, "-", heldHyphen)
	})
	return strings.Split(released.Replace(lipgloss.Wrap(held, width, "")), "\n")
}

// Paragraph writes text wrapped to the screen, its first line after a lead and
// the others as far in.
func (s *Screen) Paragraph(lead, text string) {
	indent := lipgloss.Width(lead)
	width := max(min(s.Width, plainWidth)-indent, 20)
	for _, line := range wrap(Clean(text), width) {
		s.Println(lead + strings.TrimRight(line, " "))
		lead = strings.Repeat(" ", indent)
	}
}

// Line writes a line, wrapped where it has no room and a person looks, and whole in a pipe.
func (s *Screen) Line(text string) {
	if s.Interactive && lipgloss.Width(text) > s.Width {
		s.Paragraph("", text)
		return
	}
	s.Println(Clean(text))
}

// Clean removes control sequences from a text, which would steer a terminal instead of being
// shown.
func Clean(shown string) string { return text.Clean(strings.ReplaceAll(shown, "\t", "·")) }

var (
	bold = lipgloss.NewStyle().Bold(true)
	// faint is the terminal's own grey: the nearest of sixteen colours to the figures' grey would
	// be a dark blue.
	faint  = lipgloss.NewStyle().Foreground(lipgloss.BrightBlack)
	teal   = lipgloss.NewStyle().Foreground(lipgloss.Color("#14a098"))
	indigo = lipgloss.NewStyle().Foreground(lipgloss.Color("#7c75f0"))
	warm   = lipgloss.NewStyle().Foreground(lipgloss.Color(figure.Temperature))
)

// flowStyle is the style of throughput. In a terminal both of its colours are
// lighter than on paper, so that they show on dark and on light.
func flowStyle(writes bool) lipgloss.Style {
	if writes {
		return indigo
	}
	return teal
}

func severityStyle(severity string) lipgloss.Style {
	if severity == "note" {
		return faint.Bold(true)
	}
	return lipgloss.NewStyle().Bold(true).Foreground(lipgloss.Color(figure.SeverityColour(severity)))
}
