package cli

import (
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/value"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/image"
)

// reportFlags holds the flags of report.
type reportFlags struct {
	publishFlags
	picture, drawn, baseline string
	amount                   amountFlags
}

func newReport(env *environment) *cobra.Command {
	flags := &reportFlags{}
	cmd := &cobra.Command{
		Use:   "report SESSION...",
		Short: "Write a report to read or publish",
		Long: `Report writes one self-contained HTML page about the given sessions: the sharpest
statement that is fair, with the figure that shows it, on the first screen; then the
sessions side by side and over time, what the money buys where the bench book has
prices, what to look out for, and how it was tested. All data of every session are a
fold away, and in the page itself: logbook import takes them in. It works from disk
and refers to nothing outside of itself.

With --kit it writes a folder to publish from: every figure as PNG (1280 by 800, and
3840 by 2160, each light and dark) and SVG, their captions and alternative texts, every
table as CSV, and the article in Markdown.

With --image it writes a figure as a picture of 1280 by 800: the session's depth
map, or the heat trace of its longest pass where it has no map, or what --figure
says; of several sessions up to three stand over each other. --figure comparison,
moves and money draw all sessions together.`,
		Example: `  opengauge report latest --out report.html
  opengauge report fan-off fan-on --out fan.html --title "Does the fan help?" --author "A. Reviewer"
  opengauge report fan-off fan-on --kit fan-article
  opengauge report drive-a drive-b --amount 400GB --out move.html
  opengauge report latest --image trace.png`,
		Args:              cobra.MinimumNArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE:              func(_ *cobra.Command, arguments []string) error { return env.report(arguments, flags) },
	}
	flags.add(cmd)
	set := cmd.Flags()
	set.StringVar(&flags.picture, "image", "", "the picture to write, FILE.png or FILE.svg")
	set.StringVar(&flags.drawn, "figure", "", "the figure of --image: "+strings.Join(figure.Names(), ", "))
	set.StringVar(&flags.baseline, "baseline", "", "the session to compare the others with (default the one that "+
		"has most in common with them)")
	flags.amount.add(cmd)
	_ = cmd.RegisterFlagCompletionFunc("figure",
		cobra.FixedCompletions(figure.Names(), cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("baseline", env.completeSessions)
	return cmd
}

func (f *reportFlags) check() (format image.Format, err error) {
	if f.out == "" && f.picture == "" && f.kit == "" {
		return "", usageError{errors.New("say what to write: --out FILE.html, --kit FOLDER, --image FILE.png, or " +
			"several of them")}
	}
	if format = image.PNG; f.picture != "" && !streamed(f.picture) {
		if format, err = image.FormatOf(f.picture); err != nil {
			return "", usageError{fmt.Errorf("--image: %w", err)}
		}
	}
	if f.drawn != "" && (f.picture == "" || !slices.Contains(figure.Names(), f.drawn)) {
		return "", usageError{fmt.Errorf("--figure %q goes with --image and is one of %s", f.drawn,
			strings.Join(figure.Names(), ", "))}
	}
	return format, nil
}

func (e *environment) report(references []string, flags *reportFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	format, err := flags.check()
	if err != nil {
		return err
	}
	amounts, err := flags.amount.amounts()
	if err != nil {
		return err
	}
	sessions, err := e.loadSessions(references)
	if err != nil {
		return err
	}
	if err := eachOnce(sessions); err != nil {
		return err
	}
	if err := firstOf(sessions, flags.baseline); err != nil {
		return err
	}
	if flags.anonymous {
		if sessions, err = exchange.NewAnonymous().Sessions(sessions); err != nil {
			return err
		}
	}
	report := e.reportOf(sessions, amounts, flags, notation)
	if err := e.publish(report, &flags.publishFlags); err != nil {
		return err
	}
	if flags.picture != "" {
		if err := e.writePicture(flags, format, report.Subject); err != nil {
			return err
		}
		e.wrote(flags.picture)
	}
	return nil
}

// firstOf moves the baseline that was asked for to the front.
func firstOf(sessions []*session.Session, baseline string) error {
	if baseline == "" {
		return nil
	}
	at := slices.IndexFunc(sessions, func(s *session.Session) bool { return s.Name == baseline || s.ID == baseline })
	if at < 0 {
		return usageError{fmt.Errorf("--baseline %q is none of the report's sessions", baseline)}
	}
	chosen := sessions[at]
	copy(sessions[1:at+1], sessions[:at])
	sessions[0] = chosen
	return nil
}

// reportOf gathers the parts of a report.
func (e *environment) reportOf(sessions []*session.Session, amounts []unit.Bytes, flags *reportFlags,
	notation unit.Notation) article.Report {
	report := article.Report{
		Title: flags.title, Author: flags.author, Note: flags.note, Program: Version(), Written: time.Now(),
		Amounts: amounts,
		Subject: figure.Subject{Sessions: sessions, Findings: map[string][]session.Finding{}, Notation: notation},
	}
	if report.Title == "" {
		report.Title = "Storage measured: " + sessions[0].DisplayName()
		if len(sessions) > 1 {
			report.Title = fmt.Sprintf("Storage measured: %d sessions", len(sessions))
		}
	}
	report.Findings = findingsOf(sessions, notation)
	if quotes, err := e.allQuotes(); err == nil {
		report.Quoted = compare.QuotedOf(sessions, quotes)
	}
	compared := sessions
	if flags.baseline == "" {
		compared = compare.WithBaseline(sessions)
	}
	terms := compare.Terms{Amounts: amounts, Findings: report.Findings}
	if made, err := compare.New(compared, terms); err == nil && len(compared) > 1 {
		made = made.Shared()
		report.Comparison = &made
	}
	if made, err := value.Of(sessions, value.Terms{Amounts: amounts}, notation); err == nil && made.Priced() {
		report.Value = &made
	}
	return report
}

// findingsOf are the findings of sessions, by id, several found at once.
func findingsOf(sessions []*session.Session, notation unit.Notation) map[string][]session.Finding {
	found := make([][]session.Finding, len(sessions))
	var all errgroup.Group
	all.SetLimit(runtime.GOMAXPROCS(0))
	for i, s := range sessions {
		all.Go(func() error {
			found[i] = finding.Detect(s, notation)
			return nil
		})
	}
	_ = all.Wait() // none fails
	byID := map[string][]session.Finding{}
	for i, s := range sessions {
		byID[s.ID] = found[i]
	}
	return byID
}

// writePicture writes a figure of the sessions, over each other or all together: the one
// that is named, or else depth maps, or else the heat traces of their longest passes.
func (e *environment) writePicture(flags *reportFlags, format image.Format, about figure.Subject) error {
	names := []string{flags.drawn}
	if flags.drawn == "" {
		names = []string{"depth-map", "heat-trace"}
	}
	var missing string
	for _, name := range names {
		kind, _ := figure.FormOf(name)
		if drawn := drawnOf(kind, about); len(drawn) > 0 {
			return e.publishFile(flags.picture, func(w io.Writer) error {
				return image.Write(w, format, figure.Stacked(drawn))
			})
		}
		missing = kind.Missing
	}
	return fmt.Errorf("session %s %s", about.Sessions[0].DisplayName(), missing)
}

// drawnOf are the figures of a picture: the one that shows all sessions together, or one
// a session, as many as there is room for.
func drawnOf(kind figure.Form, about figure.Subject) []figure.Figure {
	if kind.Together {
		if found := kind.Of(about); len(found) > 0 {
			return []figure.Figure{longest(found)}
		}
		return nil
	}
	var drawn []figure.Figure
	for _, s := range about.Sessions {
		alone := about
		alone.Sessions = []*session.Session{s}
		if found := kind.Of(alone); len(found) > 0 && len(drawn) < figure.MostStacked {
			drawn = append(drawn, longest(found))
		}
	}
	return drawn
}

// longest is the figure to show of several: of traces that over the longest time, of
// others the first.
func longest(figures []figure.Figure) figure.Figure {
	best := figures[0]
	for _, each := range figures {
		trace, ok := each.(figure.HeatTrace)
		if held, also := best.(figure.HeatTrace); ok && also && trace.Seconds > held.Seconds {
			best = each
		}
	}
	return best
}
