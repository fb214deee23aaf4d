package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"opengauge/core/forecast"
	"opengauge/core/run"
	"opengauge/core/session"
	"opengauge/core/sim"
	"opengauge/core/target"
	"opengauge/core/unit"
	"opengauge/present/image"
)

// demoCase is one session of the demo.
type demoCase struct {
	name, target, enclosure, fan, plan, story string
}

var demoCases = []demoCase{
	{"limpet-quick", "sandpiper", "limpet", "passive", "quick", "A first figure of the sandpiper in its passive case, the limpet."},
	{"limpet-depth-map", "sandpiper", "limpet", "passive", "depth-map", "Which block sizes and queue depths fill the limpet's link?"},
	{"limpet-passive", "sandpiper", "limpet", "passive", "long-write", "The same case, written to for five minutes: does the first figure last?"},
	{"curlew-passive", "curlew", "limpet", "passive", "long-write", "The slower curlew in the same passive case: it never gets hot enough to mind."},
	{"barnacle-automatic", "sandpiper", "barnacle", "automatic", "long-write", "The sandpiper in the barnacle, whose fan starts when it thinks it must."},
	{"barnacle-fan-on", "sandpiper", "barnacle", "on", "long-write", "Once more, with the fan always on. Nothing else is changed."},
	{"dunlin-long", "dunlin", "barnacle", "on", "long-write", "The larger dunlin with the fan on: fast, until its write area is full. It was not heat."},
	{"dunlin-full", "dunlin", "barnacle", "on", "fill-ladder", "And when it is full? It reads more slowly, too."},
	{"whelk", "sandpiper", "whelk", "passive", "long-write", "The sandpiper in the whelk, a sealed case that drops off the bus when it is hot."},
	{"lagoon-burst", "lagoon-burst", "", "", "long-small", "A provisioned volume for the recordings, until its burst credits run out."},
}

func newDemo(env *environment) *cobra.Command {
	folder := ""
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run the full example on simulated parts, with a report at the end",
		Long: `Demo measures a made-up bench: Tidewrack Field Lab chooses portable storage for
underwater sound recorders on a research boat. All parts are simulated, on a
virtual clock, so that minutes of writing take moments. No drive is touched.`,
		Example: "  opengauge demo\n  opengauge demo --out demo",
		Args:    cobra.NoArgs,
		RunE:    func(cmd *cobra.Command, _ []string) error { return env.demo(cmd.Context(), folder) },
	}
	cmd.Flags().StringVar(&folder, "out", "", "the folder for the report and the demo's logbook (default a new temporary one)")
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
	screen.Heading("Tidewrack Field Lab: portable storage for underwater sound recorders (simulated)")
	var sessions []*session.Session
	named := map[string]*session.Session{}
	for _, each := range demoCases {
		screen.Println("")
		screen.Paragraph("", each.story)
		s, err := e.demoSession(ctx, each)
		if err != nil {
			return err
		}
		if err := e.showMeasured(s, notation); err != nil {
			return err
		}
		sessions, named[each.name] = append(sessions, s), s
	}
	if err := e.demoForecast(named["barnacle-fan-on"], notation); err != nil {
		return err
	}
	report := filepath.Join(folder, "report.html")
	if err := writePage(report, "Tidewrack Field Lab: which drive for the recorders?", sessions, notation); err != nil {
		return err
	}
	trace := filepath.Join(folder, "heat-trace.png")
	if err := writePicture(trace, image.PNG, named["limpet-passive"], pictureTrace, notation); err != nil {
		return err
	}
	screen.Println("")
	screen.Heading("What to look at first")
	screen.Paragraph("  ", "The report: "+report+". Start with the heat trace of limpet-passive, then compare the two traces of the barnacle: only the fan differs. Then the ladder of dunlin-full.")
	screen.Paragraph("  ", "The same trace as a picture: "+trace)
	screen.Paragraph("  ", "In the terminal: opengauge explain limpet-passive --logbook "+e.logbookPath)
	screen.Paragraph("  ", "Your own machine: opengauge survey, then opengauge measure with a folder on the drive.")
	return nil
}

// demoForecast says what the fast case would give on deck.
func (e *environment) demoForecast(s *session.Session, notation unit.Notation) error {
	const through = "deck-barnacle"
	book, err := demoBook()
	if err != nil {
		return err
	}
	setup, err := book.Resolve(through)
	if err != nil {
		return err
	}
	screen := e.screen()
	screen.Println("")
	screen.Paragraph("", "And on deck, where the tablet has one slower port? Nobody has tried that yet; the figures from below deck tell.")
	screen.Println("")
	e.showForecast(s, forecast.New(s, setup.Chain), through, notation)
	return nil
}

// demoFolder makes the folder, without what an earlier demo left in it.
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
		if err := os.Remove(filepath.Join(folder, "demo-logbook.db"+ending)); err != nil && !errors.Is(err, os.ErrNotExist) {
			return "", fmt.Errorf("could not remove the logbook of an earlier demo: %w", err)
		}
	}
	return folder, nil
}

func (e *environment) demoSession(ctx context.Context, each demoCase) (*session.Session, error) {
	flags := &measureFlags{
		plan: each.plan, name: each.name, through: each.enclosure, seed: 1, repeat: 1, queue: target.CarrierNames[0],
		stallAfter: run.StallAfter, returnWithin: run.ReturnWithin,
	}
	if each.fan != "" {
		flags.conditions = []string{"fan=" + each.fan}
	}
	m, err := e.checkMeasure(flags)
	if err != nil {
		return nil, err
	}
	s, err := e.runMeasurement(ctx, sim.Prefix+each.target, flags, m)
	if err == nil && s.State != session.Complete {
		err = errInterrupted
	}
	return s, err
}
