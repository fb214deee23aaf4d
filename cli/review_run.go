package cli

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/bench/sensor"
	"opengauge/core/measure/run"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/conduct"
	"opengauge/core/review/design"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/present/term"
)

// reviewRunFlags holds the flags of review run.
type reviewRunFlags struct {
	host, overwrite  string
	targets          []string
	next, unattended bool
	seed             uint64
	wait             time.Duration
	visits           int
	probes           []string
}

func newReviewRun(env *environment) *cobra.Command {
	flags := &reviewRunFlags{}
	cmd := &cobra.Command{
		Use:   "run FILE",
		Short: "Lead through a review: what to put where, check, wait, measure, go on",
		Long: `Run says what to put together, checks by the survey that it is (the drive's serial, the
bridge of its case, the link that was negotiated), asks for what cannot be seen, waits
until the storage is as warm and as free as at its first visit, measures, keeps the
session, and goes on, until the answer is as sure as was asked or the budget is spent.

It can be stopped anywhere, and goes on with the same command, on another day or host:
what was measured is in the logbook. --next prints the next step and does nothing.

In a logbook that a lab shares, several people run the same review at several benches:
each takes a cell whose parts nobody else has, and what is taken is given back where
nothing is heard of it for ten minutes.

On the simulated parts of the demo it runs with --unattended: simulated hands put them
together, never twice the same, and sometimes take the wrong one.`,
		Example: `  opengauge review run review.yaml --target /media/stick
  opengauge review run review.yaml --next
  opengauge review run examples/reviews/cases.yaml --unattended`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, arguments []string) error {
			return env.reviewRun(cmd.Context(), arguments[0], flags)
		},
	}
	set := cmd.Flags()
	set.StringArrayVar(&flags.targets, "target", nil, "the folder, or nbd:// address, at which the storage is reached "+
		"(default where the drive with that serial is mounted); NAME=DIR for one drive or volume; may be repeated")
	set.StringVar(&flags.overwrite, "overwrite", "", "allow a volume on a network to be written: its export's name")
	set.StringVar(&flags.host, "host", "", "what the bench book calls this machine, so that only cells at it are visited")
	set.BoolVar(&flags.next, "next", false, "print the next step only")
	set.BoolVar(&flags.unattended, "unattended", false, "let simulated hands put simulated parts together")
	set.Uint64Var(&flags.seed, "seed", 1, "what simulated hands draw their chances from")
	set.DurationVar(&flags.wait, "wait", time.Hour, "how long a part is waited for")
	set.IntVar(&flags.visits, "visits", 0, "stop after so many visits (default none)")
	set.StringArrayVar(&flags.probes, "probe", nil, "an external thermometer or meter, as of measure; may be repeated")
	set.BoolVar(&env.json, "json", false, "with --next print the step, else the answer, as JSON")
	env.addBenchFlag(cmd)
	return cmd
}

// stepRecord is the document of review run --next --json.
type stepRecord struct {
	Format string `json:"format"`
	Review string `json:"review"`
	design.Visit
	Parts        []string          `json:"parts"`
	Conditions   map[string]string `json:"conditions"`
	Instructions []string          `json:"instructions"`
	Hours        float64           `json:"hours"`
	// Ends is why no step comes, or empty.
	Ends string `json:"ends,omitempty"`
}

func (e *environment) reviewRun(ctx context.Context, file string, flags *reviewRunFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	r, err := e.loadReview(file)
	if err != nil {
		return err
	}
	d := design.New(r.Review)
	check := d.Check()
	if len(check.TooSmall) > 0 {
		return tooSmall(check)
	}
	if !flags.next {
		end, err := e.reviewTurn(&r)
		if err != nil {
			return err
		}
		defer end()
	}
	sessions, err := e.reviewSessions(&r)
	if err != nil {
		return err
	}
	bench, err := e.reviewBench(&r, sessions, flags, notation)
	if err != nil {
		return err
	}
	guide := &conduct.Guide{Design: d, Bench: bench, Sessions: sessions, Most: flags.visits,
		Tell: e.tellStep(r.Name, check)}
	if flags.next {
		return e.showStep(guide)
	}
	return e.lead(ctx, &r, guide, flags.unattended)
}

// lead leads through a review, and gives its answer.
func (e *environment) lead(ctx context.Context, r *reviewed, guide *conduct.Guide, unattended bool) error {
	place, err := e.path()
	if err != nil {
		return err
	}
	book, err := e.createLogbook()
	switch {
	case err == nil:
		defer book.Close()
		guide.Desk = e.deskOf(r, book, guide.Sessions)
	case !logbook.Waits(err):
		return err
	case logbook.Shared(place):
		term.NewScreen(e.stderr).Paragraph("", term.Clean(oneLine(err))+"; nothing can be claimed there, so that another "+
			"bench may make the same visits")
	}
	before := len(guide.Sessions)
	a, ends, err := guide.Run(ctx)
	switch {
	case ctx.Err() != nil && len(guide.Sessions) > before:
		return errInterrupted
	case ctx.Err() != nil:
		return errStopped
	case err != nil:
		return err
	}
	if !e.json {
		term.NewScreen(e.stderr).Paragraph("", "It ends here: "+ends+".")
	}
	return e.giveAnswer(r, &a, unattended)
}

// reviewBench is where a review is made: here, or simulated.
func (e *environment) reviewBench(r *reviewed, sessions []*session.Session, flags *reviewRunFlags,
	notation unit.Notation) (conduct.Bench, error) {
	keeping := func() (run.Keeper, func() error, error) {
		keeper, end, err := e.keeping("")
		return keeper, end, err
	}
	screen := term.NewScreen(e.stderr)
	if flags.unattended {
		if err := needsHands(r); err != nil {
			return nil, usageError{err}
		}
		bench := conduct.NewSimulated(r.book, keeping, flags.seed, sessions)
		bench.Cells, bench.Version = r.Cells(), Version()
		return bench, nil
	}
	if flags.host != "" {
		part, known := r.book.Part(flags.host)
		if !known || part.Kind != book.Host {
			return nil, usageError{fmt.Errorf("--host: the bench book has no host %q", flags.host)}
		}
	}
	probes, err := sensor.ParseProbes(flags.probes)
	if err != nil {
		return nil, usageError{err}
	}
	at, err := reachedAt(r, flags.targets)
	if err != nil {
		return nil, usageError{err}
	}
	progress, copies := term.NewProgress(screen, notation), term.NewCopies(screen)
	return &conduct.Real{
		Book: r.book, At: at, Overwrite: flags.overwrite, Host: flags.host, Asker: &terminalAsker{screen: screen},
		Keeping: keeping,
		Watch:   conduct.Watch{Pass: progress.Tell, Copy: copies.Tell},
		Probes:  probes, Version: Version(), Patience: flags.wait,
	}, nil
}

// reachedAt reads --target: a place, or a drive or volume and its place.
func reachedAt(r *reviewed, targets []string) (map[string]string, error) {
	at := map[string]string{}
	for _, text := range targets {
		name, place, named := strings.Cut(text, "=")
		if !named || address.IsVolume(text) {
			name, place = "", text
		}
		if named && name != "" && !slices.ContainsFunc(r.Cells(), func(c review.Cell) bool { return c.Storage() == name }) {
			return nil, fmt.Errorf("--target %s: no cell of the review is on %q", text, name)
		}
		if at[name] != "" {
			return nil, fmt.Errorf("--target says twice where %s is reached", cmp.Or(name, "the storage"))
		}
		at[name] = place
	}
	return at, nil
}

// needsHands says why a review cannot run unattended.
func needsHands(r *reviewed) error {
	simulated, err := sim.DemoBench()
	if err != nil {
		return err
	}
	for _, c := range r.Cells() {
		_, drive := simulated.Drives[c.Storage()]
		_, volume := simulated.Volumes[c.Storage()]
		if !drive && !volume {
			return fmt.Errorf("--unattended needs simulated parts, and %s is none; without it run says what hands have to do",
				c.Storage())
		}
		for _, part := range c.Setup.Parts {
			if part.Serial != "" {
				return fmt.Errorf("--unattended needs simulated parts, and %s is a real one with the serial %s; without it run "+
					"says what hands have to do", part.Name, part.Serial)
			}
		}
		if enclosure := c.Of(string(book.Enclosure)); enclosure != "" {
			if _, known := simulated.Enclosures[enclosure]; !known {
				return fmt.Errorf("--unattended needs simulated parts, and the enclosure %s is none", enclosure)
			}
		}
	}
	return nil
}

// tellStep returns a function that reports steps on stderr.
func (e *environment) tellStep(name string, check design.Check) func(conduct.Event) {
	screen := term.NewScreen(e.stderr)
	began := false
	return func(event conduct.Event) {
		switch {
		case event.Waits != "":
			screen.Println(event.Waits)
		case event.Ends != "":
		case event.Answer == nil:
			if !began {
				began = true
				screen.Paragraph("", fmt.Sprintf("review %s: %s, %d to %d visits, %s to %s in all; it stops as soon as the "+
					"answer is sure", name, unit.Count(check.Cells, "cell"), check.Least.Visits, check.Most.Visits,
					design.Hours(check.Least.Hours), design.Hours(check.Most.Hours)))
			}
			again := ""
			if event.Step.Control {
				again = ", the first cell again"
			}
			screen.Println(fmt.Sprintf("visit %d, %s: %s%s", event.Step.Order, event.Step.Day, event.Step.Cell.Name, again))
		default:
			screen.Println("  " + visitWords(event))
		}
	}
}

// visitWords describes the end of a visit, without a figure: who swaps parts need not know.
func visitWords(event conduct.Event) string {
	if event.Void != "" {
		return "does not count, because " + event.Void + "; it is kept, and made again"
	}
	sure := 0.0
	for i, v := range event.Answer.Verdicts {
		if i == 0 || v.Sure < sure {
			sure = v.Sure
		}
	}
	if sure == 0 {
		return "kept"
	}
	return fmt.Sprintf("kept; the answer is %s sure", unit.Sure(sure))
}

// showStep prints the next step of a review.
func (e *environment) showStep(guide *conduct.Guide) error {
	_, _, step, ends := guide.Look()
	record := stepRecord{Format: "opengauge.review-step/1", Review: guide.Design.Review.Name, Visit: step.Visit,
		Ends: ends, Parts: []string{}, Instructions: []string{}, Conditions: map[string]string{}}
	if ends == "" {
		record.Parts, record.Conditions = step.Cell.Parts(), step.Cell.Conditions()
		record.Instructions, record.Hours = step.Instructions, guide.Design.HoursOf(&step.Cell)
	}
	if e.json {
		return e.writeJSON(record)
	}
	screen := e.screen()
	if ends != "" {
		screen.Paragraph("", "No step comes: "+ends+".")
		return nil
	}
	screen.Printf("Visit %d: %s, for the %s time, about %s\n", step.Order, step.Cell.Name, ordinal(step.Number),
		design.Hours(record.Hours))
	for _, line := range step.Instructions {
		screen.Paragraph("  ", line)
	}
	return nil
}

func ordinal(number int) string {
	switch {
	case number%100/10 != 1 && number%10 == 1:
		return fmt.Sprintf("%dst", number)
	case number%100/10 != 1 && number%10 == 2:
		return fmt.Sprintf("%dnd", number)
	case number%100/10 != 1 && number%10 == 3:
		return fmt.Sprintf("%drd", number)
	}
	return fmt.Sprintf("%dth", number)
}

// terminalAsker asks a person at a terminal.
type terminalAsker struct {
	screen *term.Screen
	lines  chan string
}

// Show prints instructions.
func (t *terminalAsker) Show(lines []string) {
	for _, line := range lines {
		t.screen.Paragraph("  ", line)
	}
}

// errNobody says that nobody answers.
var errNobody = errors.New("nobody answers here; run it in a terminal, where somebody can say what no survey sees")

// Confirm asks until something is so.
func (t *terminalAsker) Confirm(ctx context.Context, question string) (string, error) {
	if t.lines == nil {
		t.lines = make(chan string)
		go func() {
			defer close(t.lines)
			for in := bufio.NewScanner(os.Stdin); in.Scan(); {
				t.lines <- in.Text()
			}
		}()
	}
	for {
		t.screen.Paragraph("  ? ", question+" [yes, or stop]")
		select {
		case <-ctx.Done():
			return "", context.Cause(ctx)
		case line, open := <-t.lines:
			switch answer := strings.ToLower(strings.TrimSpace(line)); {
			case !open:
				return "", errNobody
			case slices.Contains([]string{"y", "yes"}, answer):
				return "yes", nil
			case slices.Contains([]string{"s", "stop", "q", "quit"}, answer):
				return "", errors.New("stopped; go on with the same command")
			}
		}
	}
}

var _ conduct.Asker = (*terminalAsker)(nil)
