package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/measure/run"
	"opengauge/core/record/session"
	"opengauge/core/review/conduct"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/examples"
	"opengauge/present/figure"
	"opengauge/present/image"
	"opengauge/present/term"
)

// demoBefore are the two sessions that were measured before anybody thought of a review:
// host and cable were swapped together.
var demoBefore = []struct{ name, through string }{
	{"below-deck", "cabin-desk.back,short-cable,limpet"},
	{"on-deck", "deck-tablet,deck-cable,limpet"},
}

func newDemo(env *environment) *cobra.Command {
	folder := ""
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run a whole review on simulated parts, with its page at the end",
		Long: `Demo answers a made-up question: Tidewrack Field Lab chooses portable storage for
underwater sound recorders on a research boat, and a first try on deck was slow. Parts
and hands are simulated, on a virtual clock, so that hours of writing take seconds. No
drive is touched.`,
		Example: "  opengauge demo\n  opengauge demo --out demo",
		Args:    cobra.NoArgs,
		RunE:    func(cmd *cobra.Command, _ []string) error { return env.demo(cmd.Context(), folder) },
	}
	cmd.Flags().StringVar(&folder, "out", "", "the folder for the page and the demo's logbook (default a new "+
		"temporary one)")
	return cmd
}

func (e *environment) demo(ctx context.Context, folder string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if folder, err = demoFolder(folder); err != nil {
		return err
	}
	e.logbookPath = filepath.Join(folder, "demo-logbook.db")
	screen := e.screen()
	screen.Heading("Tidewrack Field Lab: storage for underwater sound recorders (simulated)")
	screen.Println("")
	if err := e.demoTrap(ctx, notation); err != nil {
		return err
	}
	file, err := demoReview(folder)
	if err != nil {
		return err
	}
	e.benchPath = filepath.Join(folder, "bench.yaml")
	r, st, err := e.demoRun(ctx, file)
	if err != nil {
		return err
	}
	report := reportOfReview(&r, &st, &publishFlags{author: "Tidewrack Field Lab"}, notation)
	report.Findings = map[string][]session.Finding{}
	for _, s := range report.Sessions { // they were found a moment ago
		report.Findings[s.ID] = s.Findings
	}
	screen.Println("")
	e.showAnswer(&r, report.Review.Answer, true, notation)
	screen.Println("")
	if err := e.demoHeat(report.Subject, folder); err != nil {
		return err
	}
	page := filepath.Join(folder, "report.html")
	if err := e.publish(report, &publishFlags{out: page}); err != nil {
		return err
	}
	screen.Println("")
	screen.Heading("What to look at first")
	screen.Paragraph("  ", "The page: "+page+". Its first screen is the answer; each figure below it is one reason.")
	screen.Paragraph("  ", "In the terminal: opengauge logbook list --logbook "+e.logbookPath)
	screen.Paragraph("  ", "Your own parts: opengauge survey, then opengauge measure with a folder on the drive, then a "+
		"review like "+file)
	return nil
}

// demoTrap measures twice as people do, and shows how little the difference proves.
func (e *environment) demoTrap(ctx context.Context, notation unit.Notation) error {
	screen := e.screen()
	screen.Paragraph("", "Somebody measured twice: the sandpiper below deck with the short cable, and on deck "+
		"with the long one. On deck it was slow. Is it the tablet?")
	screen.Println("")
	var sessions []*session.Session
	for _, each := range demoBefore {
		s, err := e.demoSession(ctx, each.name, each.through)
		if err != nil {
			return err
		}
		s.Findings = finding.Detect(s, notation)
		sessions = append(sessions, s)
	}
	compared, err := compare.New(sessions, compare.Terms{})
	if err != nil {
		return err
	}
	for _, text := range compared.Verdicts {
		screen.Paragraph("  ", text)
	}
	screen.Findings(compared.Findings)
	screen.Println("")
	screen.Paragraph("", "So it is made a review: every host with every cable, case and drive, put together anew "+
		"each time.")
	screen.Println("")
	return nil
}

// demoReview puts the review, its plan and the bench book into the folder.
func demoReview(folder string) (file string, err error) {
	err = fs.WalkDir(examples.Review, ".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		content, err := examples.Review.ReadFile(name)
		if err != nil {
			return err
		}
		return os.WriteFile(filepath.Join(folder, filepath.Base(name)), content, 0o644)
	})
	if err == nil {
		err = os.WriteFile(filepath.Join(folder, "bench.yaml"), examples.Bench, 0o644)
	}
	if err != nil {
		err = fmt.Errorf("could not put the demo's review into %s: %w", folder, err)
	}
	return filepath.Join(folder, filepath.Base(examples.ReviewName)), err
}

// demoRun runs the review with simulated hands.
func (e *environment) demoRun(ctx context.Context, file string) (reviewed, reading.State, error) {
	r, err := e.loadReview(file)
	if err != nil {
		return r, reading.State{}, err
	}
	d := design.New(r.Review)
	check := d.Check()
	screen := e.screen()
	screen.Heading(r.Question)
	screen.Paragraph("", fmt.Sprintf("%s, %d to %d visits, %s to %s with real parts.",
		unit.Count(check.Cells, "combination"), check.Least.Visits, check.Most.Visits,
		design.Hours(check.Least.Hours), design.Hours(check.Most.Hours)))
	bench := conduct.NewSimulated(r.book, func() (run.Keeper, func() error, error) { return e.keeping("") }, 1, nil)
	bench.Cells, bench.Version = r.Cells(), Version()
	guide := &conduct.Guide{Design: d, Bench: bench, Tell: e.tellNow()}
	_, ends, err := guide.Run(ctx)
	switch {
	case ctx.Err() != nil:
		return r, reading.State{}, errInterrupted
	case err != nil:
		return r, reading.State{}, err
	}
	st, _, _, _ := guide.Look()
	screen.Paragraph("", fmt.Sprintf("It ends after %s: %s.", unit.Count(len(st.Visits), "visit"), ends))
	return r, st, nil
}

// tellNow says on stderr, now and then, how far a review is.
func (e *environment) tellNow() func(conduct.Event) {
	const each = 8
	screen := term.NewScreen(e.stderr)
	made := 0
	return func(event conduct.Event) {
		if event.Answer == nil || event.Ends != "" {
			return
		}
		if made++; made%each == 0 {
			screen.Println(fmt.Sprintf("  %d visits, the last was %s: %s", made, event.Step.Cell.Name, visitWords(event)))
		}
	}
}

// demoHeat shows why the passive case slowed down, in the terminal and as a picture.
func (e *environment) demoHeat(about figure.Subject, folder string) error {
	screen := e.screen()
	for _, s := range about.Sessions {
		for _, f := range about.Findings[s.ID] {
			if f.Kind != "heat-throttle" {
				continue
			}
			screen.Paragraph("", "Why the barnacle is ahead of the limpet where the cable lets it: a visit of the passive "+
				"case.")
			screen.Println("")
			alone := about
			alone.Sessions, alone.Brief = []*session.Session{s}, true
			kind, _ := figure.FormOf("heat-trace")
			for _, drawn := range kind.Of(alone) {
				screen.Figure(drawn)
				file := filepath.Join(folder, "heat-trace.png")
				return e.publishFile(file, func(w io.Writer) error { return image.Write(w, image.PNG, drawn) })
			}
		}
	}
	return nil
}

// demoFolder makes the folder and removes an earlier demo's files from it.
func demoFolder(folder string) (string, error) {
	if folder == "" {
		made, err := os.MkdirTemp("", "opengauge-demo-")
		if err != nil {
			return "", fmt.Errorf("could not make a folder for the demo: %w; name one with --out", err)
		}
		return made, nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", fmt.Errorf("could not make the folder for the demo: %w", err)
	}
	for _, ending := range []string{"", "-wal", "-shm"} {
		if err := os.Remove(filepath.Join(folder, "demo-logbook.db"+ending)); err != nil &&
			!errors.Is(err, os.ErrNotExist) {
			return "", fmt.Errorf("could not remove the logbook of an earlier demo: %w", err)
		}
	}
	return folder, nil
}

// demoSession is a quick look at the sandpiper through a chain.
func (e *environment) demoSession(ctx context.Context, name, through string) (*session.Session, error) {
	flags := &measureFlags{
		plan: "quick", name: name, through: through, seed: 1, repeat: 1, queue: target.CarrierNames[0],
		conditions: []string{"fan=passive"}, stallAfter: run.StallAfter, returnWithin: run.ReturnWithin,
	}
	m, err := e.checkMeasure(flags)
	if err != nil {
		return nil, err
	}
	s, err := e.runMeasurement(ctx, sim.Prefix+"sandpiper", flags, m)
	if err == nil && s.State != session.Complete {
		err = errInterrupted
	}
	return s, err
}
