package term

import (
	"fmt"
	"math"
	"strings"
	"time"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"opengauge/core/measure/run"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
)

// redrawEvery keeps a fast run from drawing more often than anyone can read.
const redrawEvery = 80 * time.Millisecond

// Progress shows how far a run is: on a terminal a live view, or where that is
// too low a line, which are redrawn and taken away at the end; elsewhere a plain
// line a pass.
type Progress struct {
	screen   *Screen
	notation unit.Notation
	drawn    time.Time
	shown    bool
	filling  bool
	live     live
}

// NewProgress shows progress on a screen, which is usually standard error.
func NewProgress(screen *Screen, notation unit.Notation) *Progress {
	return &Progress{screen: screen, notation: notation}
}

// barWidth is the width of a progress bar, in columns.
const barWidth = 24

// progressBar draws a bar that is filled to a share between 0 and 1.
func progressBar(share float64) string {
	filled := int(math.Round(barWidth * min(max(share, 0), 1)))
	style := lipgloss.NewStyle().Foreground(lipgloss.Color(figure.Throughput))
	return style.Render(strings.Repeat("█", filled)) + strings.Repeat("░", barWidth-filled)
}

// Tell takes a report from the runner.
func (p *Progress) Tell(report run.Progress) {
	if p.screen.Interactive {
		p.live.take(report, p.notation)
		if p.shown && report.Ended == nil && time.Since(p.drawn) < redrawEvery {
			return
		}
		if p.screen.Height >= leastHeight {
			p.redrawLive(report)
		} else {
			p.redraw(report)
		}
		return
	}
	if report.Pass == 0 && !p.filling {
		p.filling = true
		p.screen.Println(report.Doing)
	}
	if report.Ended != nil {
		p.screen.Println(passLine(report, p.notation))
	}
}

func passLine(report run.Progress, notation unit.Notation) string {
	pass := report.Ended
	return fmt.Sprintf("pass %d/%d: %s: %s, %s IOPS, p50 %s%s", report.Pass, report.Passes, pass.Label(),
		notation.Rate(pass.BytesPerSecond), unit.Grouped(int64(math.Round(pass.IOPS))),
		unit.Latency(pass.Latency.P50), cutShort(pass)) + failureText(pass)
}

func cutShort(pass *session.Pass) string {
	if pass.CutShort {
		return " (cut short)"
	}
	return ""
}

// failureText says how many operations of a pass failed, and how.
func failureText(pass *session.Pass) string {
	if pass.Errors == 0 {
		return ""
	}
	return fmt.Sprintf("; %s failed: %s", unit.Grouped(pass.Errors), pass.FirstError)
}

func (p *Progress) redraw(report run.Progress) {
	doing := report.Doing
	if report.Pass > 0 {
		doing = fmt.Sprintf("%d/%d %s", report.Pass, report.Passes, doing)
	}
	if report.Others != "" {
		doing = Clean(report.Others) + "  " + doing
	}
	if report.Says != "" {
		doing = Clean(report.Says) + "  " + doing
	}
	line := fmt.Sprintf("%s %3.0f %%  %s  %s left  %s",
		progressBar(report.Share), report.Share*100, bold.Render(fmt.Sprintf("%11s", p.notation.Rate(report.Rate))),
		unit.Span(report.Left), doing)
	p.screen.Printf("\r%s%s", ansi.EraseLineRight, ansi.Truncate(line, p.screen.Width-1, "…"))
	p.shown = true
	p.drawn = time.Now()
}

// Finish takes the redrawn lines away.
func (p *Progress) Finish() {
	switch {
	case p.shown && p.live.lines > 0:
		p.screen.Printf("%s%s", p.live.back(), ansi.EraseScreenBelow)
	case p.shown:
		p.screen.Printf("\r%s", ansi.EraseLineRight)
	}
	p.shown = false
	p.live.lines = 0
}
