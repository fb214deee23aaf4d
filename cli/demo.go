package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"opengauge/core/judge/blame"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/predict"
	"opengauge/core/judge/stream"
	"opengauge/core/judge/value"
	"opengauge/core/measure/run"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/image"
	"opengauge/present/page"
	"opengauge/present/table"
)

// demoCase is one session of the demo. through is an enclosure, or a chain.
type demoCase struct {
	name, target, through, fan, plan, story string
	repeat                                  int
}

var demoCases = []demoCase{
	{"limpet-quick", "sandpiper", "limpet", "passive", "quick", "A first figure of the sandpiper in its passive " +
		"case, the limpet.", 1},
	{"limpet-depth-map", "sandpiper", "limpet", "passive", "depth-map", "Which block sizes and queue depths fill " +
		"the limpet's link?", 1},
	{"limpet-passive", "sandpiper", "limpet", "passive", "long-write", "The same case, written to for five " +
		"minutes: does the first figure last?", 1},
	{"curlew-passive", "curlew", "limpet", "passive", "long-write", "The slower curlew in the same passive case: " +
		"it never gets hot enough to mind.", 1},
	{"barnacle-automatic", "sandpiper", "barnacle", "automatic", "cool-repeats", "The sandpiper in the barnacle, " +
		"whose fan starts when it thinks it must: three times, each from a cool start.", 1},
	{"barnacle-fan-on", "sandpiper", "barnacle", "on", "cool-repeats", "Once more, with the fan always on. Nothing " +
		"else is changed.", 1},
	{"dunlin-long", "dunlin", "barnacle", "on", "long-write", "The larger dunlin with the fan on: fast, until its " +
		"write area is full. It was not heat.", 1},
	{"dunlin-full", "dunlin", "barnacle", "on", "fill-ladder", "And when it is full? It reads more slowly, too.", 1},
	{"whelk", "sandpiper", "whelk", "passive", "long-write", "The sandpiper in the whelk, a sealed case that drops " +
		"off the bus when it is hot.", 1},
	{"lagoon-burst", "lagoon-burst", "", "", "long-small", "A provisioned volume for the recordings, until its " +
		"burst credits run out.", 1},
	{"deck-long-cable", "sandpiper", "deck-tablet,deck-cable,limpet", "passive", "quick",
		"On deck the same drive is slow. Tablet, cable or case?", 3},
	{"cabin-long-cable", "sandpiper", "cabin-desk.front,deck-cable,barnacle", "", "quick",
		"The deck's cable carried below, to the other case.", 3},
	{"deck-short-cable", "sandpiper", "deck-tablet,short-cable,limpet", "passive", "quick",
		"The short cable carried up on deck.", 3},
	{"cabin-short-cable", "sandpiper", "cabin-desk.back,short-cable,limpet", "passive", "quick",
		"And the short cable below, with the first case.", 3},
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
	cmd.Flags().StringVar(&folder, "out", "", "the folder for the report and the demo's logbook (default a new "+
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
	if err := e.demoVerdicts(named, notation); err != nil {
		return err
	}
	copied, err := e.demoCopies(ctx, notation)
	if err != nil {
		return err
	}
	if err := e.demoStreams(named["dunlin-long"], notation); err != nil {
		return err
	}
	sessions = append(sessions, copied)
	flags := &reportFlags{title: "Tidewrack Field Lab: which drive for the recorders?", author: "Tidewrack Field Lab"}
	made := article.New(e.reportOf(sessions, nil, flags, notation))
	report := filepath.Join(folder, "report.html")
	if err := e.writeFile(report, func(w io.Writer) error { return page.Write(w, made) }); err != nil {
		return err
	}
	trace := filepath.Join(folder, "heat-trace.png")
	if err := e.writePicture(&reportFlags{picture: trace, drawn: "heat-trace"}, image.PNG,
		subjectOf(named["limpet-passive"], finding.Detect(named["limpet-passive"], notation), notation)); err != nil {
		return err
	}
	screen.Println("")
	screen.Heading("What to look at first")
	screen.Paragraph("  ", "The report: "+report+". Start with the heat trace of limpet-passive, then compare the "+
		"two traces of the barnacle: only the fan differs. Then the ladder of dunlin-full.")
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
	screen.Paragraph("", "And on deck, where the tablet has one slower port? Nobody has tried that yet; the "+
		"figures from below deck tell.")
	screen.Println("")
	e.showForecast(s, predict.New(s, setup.Chain), through, notation)
	return nil
}

// demoVerdicts says what the sessions amount to together.
func (e *environment) demoVerdicts(named map[string]*session.Session, notation unit.Notation) error {
	screen := e.screen()
	pick := func(names ...string) []*session.Session {
		var picked []*session.Session
		for _, name := range names {
			picked = append(picked, named[name])
		}
		return picked
	}
	compared, err := compare.New(pick("barnacle-automatic", "barnacle-fan-on"), compare.Terms{})
	if err != nil {
		return err
	}
	screen.Println("")
	screen.Paragraph("", "Does the fan help? Only it differs between these two.")
	screen.Println("")
	e.showComparison(compared, true, notation)
	isolated, err := blame.Isolate(pick("deck-long-cable", "cabin-long-cable", "deck-short-cable",
		"cabin-short-cable"), "")
	if err != nil {
		return err
	}
	screen.Println("")
	screen.Paragraph("", "What makes it slow on deck?")
	screen.Println("")
	e.showIsolation(isolated, true, notation)
	book, err := demoBook()
	if err != nil {
		return err
	}
	worth, err := value.Of(pick("limpet-passive", "barnacle-fan-on", "dunlin-long", "dunlin-full", "curlew-passive"),
		value.Terms{Book: book}, notation)
	if err != nil {
		return err
	}
	screen.Println("")
	screen.Paragraph("", "And what does the money buy?")
	screen.Println("")
	e.showValue(worth, notation)
	return nil
}

// demoCopies copies the recordings between all drives.
func (e *environment) demoCopies(ctx context.Context, notation unit.Notation) (*session.Session, error) {
	screen := e.screen()
	screen.Println("")
	screen.Paragraph("", "The recordings have to be carried from drive to drive: one large file, and a folder of "+
		"mixed ones.")
	flags := &copyFlags{among: []string{"sim:sandpiper", "sim:dunlin", "sim:curlew", "sim:turnstone"}, size: "20GB",
		seed: 1, repeat: 1, parallel: 1, name: "copies"}
	request, err := flags.request(nil)
	if err != nil {
		return nil, err
	}
	stop, err := e.openEnds(&request, nil, flags)
	if err != nil {
		return nil, err
	}
	defer stop()
	s, err := e.runCopies(ctx, request)
	if err == nil && s.State != session.Complete {
		err = errInterrupted
	}
	if err != nil {
		return nil, err
	}
	screen.Println("")
	return s, e.showCopies(s, notation)
}

// demoStreams says which recorders a drive can take.
func (e *environment) demoStreams(s *session.Session, notation unit.Notation) error {
	streams, err := stream.Set("recorders")
	if err != nil {
		return err
	}
	answers, err := stream.Answers(s, finding.Detect(s, notation), streams)
	if err != nil {
		return err
	}
	screen := e.screen()
	screen.Println("")
	screen.Paragraph("", "And can the recorders write to the dunlin? Its average would say so.")
	screen.Println("")
	e.showStreams(table.Marked(s.Target.Address, s.Simulated)+" · session "+s.DisplayName(), answers, notation)
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
		if err := os.Remove(filepath.Join(folder, "demo-logbook.db"+ending)); err != nil &&
			!errors.Is(err, os.ErrNotExist) {
			return "", fmt.Errorf("could not remove the logbook of an earlier demo: %w", err)
		}
	}
	return folder, nil
}

func (e *environment) demoSession(ctx context.Context, each demoCase) (*session.Session, error) {
	flags := &measureFlags{
		plan: each.plan, name: each.name, through: each.through, seed: 1, repeat: each.repeat,
		queue:      target.CarrierNames[0],
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
