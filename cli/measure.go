package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/finding"
	"opengauge/core/plan"
	"opengauge/core/run"
	"opengauge/core/session"
	"opengauge/core/unit"
	"opengauge/present/table"
	"opengauge/present/term"
)

// measureFlags are what measure is told besides its target.
type measureFlags struct {
	plan, hold, size, name, through, failOn string
	conditions                              []string
	seed                                    uint64
}

func newMeasure(env *environment) *cobra.Command {
	flags := &measureFlags{}
	cmd := &cobra.Command{
		Use:   "measure TARGET",
		Short: "Run a plan on a folder, a file or a simulated part, and keep the session",
		Long: `Measure runs a plan and keeps the session in the logbook.

TARGET is a folder (a test file is made in it and removed again), a file (which
is read as it is, and never written), or sim:NAME for a simulated part.

A pass runs for a moment before it counts. A pass that writes ends with a flush,
which counts. Reads and writes bypass the system's cache where the file system
allows it; where it does not, the table says so.`,
		Example: `  opengauge measure /media/stick
  opengauge measure . --plan quick-read --hold 2s
  opengauge measure /media/stick --condition fan=on --condition cable=short --name stick-fan
  opengauge measure sim:sandpiper --through barnacle --condition fan=on --plan long-write`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, arguments []string) error {
			return env.measure(cmd.Context(), arguments[0], flags)
		},
	}
	set := cmd.Flags()
	set.StringVar(&flags.plan, "plan", "quick", "a built-in plan ("+planNames()+") or a YAML file")
	set.StringVar(&flags.hold, "hold", "", "how long each pass counts (default 5s, or what the plan says)")
	set.StringVar(&flags.size, "size", "", "size of the test file (default 1 GiB or a tenth of the free space, whichever is smaller)")
	set.StringVar(&flags.name, "name", "", "a name for the session")
	set.StringArrayVar(&flags.conditions, "condition", nil, "a key=value that describes the circumstances; may be repeated")
	set.StringVar(&flags.through, "through", "", "the enclosure that a simulated drive is in (default limpet)")
	set.Uint64Var(&flags.seed, "seed", 1, "what a simulated part draws its chances from")
	set.StringVar(&flags.failOn, "fail-on", "", "exit with 3 if a finding is at least a note, caution or fault")
	set.BoolVar(&env.json, "json", false, "print the session as JSON")
	_ = cmd.RegisterFlagCompletionFunc("plan", completePlans)
	_ = cmd.RegisterFlagCompletionFunc("fail-on", completeSeverities)
	return cmd
}

// measurement is a checked measure command.
type measurement struct {
	plan       plan.Plan
	hold       time.Duration
	size       unit.Bytes
	conditions map[string]string
	failOn     session.Severity
	notation   unit.Notation
}

func (e *environment) measure(ctx context.Context, address string, flags *measureFlags) error {
	m, err := e.checkMeasure(flags)
	if err != nil {
		return err
	}
	s, err := e.runMeasurement(ctx, address, flags, m)
	if s == nil || len(s.Passes) == 0 {
		if err == nil {
			err = errors.New("interrupted before anything was measured")
		}
		return err
	}
	if shown := e.showMeasured(s, m.notation); shown != nil {
		return errors.Join(err, shown)
	}
	switch {
	case err != nil:
		return err
	case s.State == session.Interrupted:
		return errInterrupted
	}
	return checkFailOn(s.Findings, m.failOn)
}

// checkMeasure reads the flags. Every error is one of usage.
func (e *environment) checkMeasure(flags *measureFlags) (measurement, error) {
	m := measurement{hold: plan.DefaultHold}
	var err error
	if m.notation, err = e.notation(); err != nil {
		return m, err
	}
	if m.plan, err = plan.Load(flags.plan); err != nil {
		return m, usageError{err}
	}
	if flags.hold != "" {
		if m.hold, err = plan.ParseHold(flags.hold); err != nil {
			return m, usageError{fmt.Errorf("--hold: %w", err)}
		}
		m.plan = m.plan.WithHold(m.hold)
	}
	if m.size, err = parseSize(flags.size, m.plan); err != nil {
		return m, usageError{err}
	}
	if m.conditions, err = session.ParseConditions(flags.conditions); err != nil {
		return m, usageError{err}
	}
	if err := session.CheckName(flags.name); err != nil {
		return m, usageError{err}
	}
	m.failOn, err = parseFailOn(flags.failOn)
	return m, err
}

// parseSize reads --size; 0 means that it was not given.
func parseSize(text string, p plan.Plan) (unit.Bytes, error) {
	if text == "" {
		return 0, nil
	}
	size, err := unit.ParseBytes(text)
	if err != nil {
		return 0, fmt.Errorf("--size: %w", err)
	}
	if size%plan.SmallestBlock != 0 {
		return 0, fmt.Errorf("--size %s is not a multiple of %s", text, plan.SmallestBlock)
	}
	return size, p.CheckSpan(size)
}

// runMeasurement opens target and logbook, runs, and keeps the findings. The
// logbook comes second: a mistake in the target leaves no empty one behind.
func (e *environment) runMeasurement(ctx context.Context, address string, flags *measureFlags, m measurement) (s *session.Session, err error) {
	id := session.NewID()
	around, err := openBench(benchRequest{
		address: address, through: flags.through, size: m.size, seed: flags.seed, conditions: m.conditions, tag: id,
	})
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, around.target.Close()) }()

	request := run.Request{
		ID: id, Name: flags.name, Plan: m.plan, Hold: m.hold, Target: around.target, Sensors: around.sensors,
		Chain: around.chain, Conditions: around.conditions, Environment: around.environment,
	}
	if err := request.Check(); err != nil {
		return nil, usageError{err}
	}
	book, err := e.createLogbook()
	if err != nil {
		return nil, err
	}
	defer book.Close()
	if flags.name != "" {
		if taken, err := book.HasName(flags.name); err != nil || taken {
			return nil, errors.Join(err, usageError{fmt.Errorf("a session named %q is in the logbook already; choose another --name", flags.name)})
		}
	}
	e.announce(request)
	progress := term.NewProgress(term.NewScreen(e.stderr), m.notation)
	s, err = run.Run(ctx, request, book, progress.Tell)
	progress.Done()
	if s == nil || len(s.Passes) == 0 {
		return s, err
	}
	s.Findings = finding.Detect(s)
	return s, errors.Join(err, book.Finish(s))
}

// announce says before the work what it will be.
func (e *environment) announce(request run.Request) {
	d := request.Target.Description()
	estimate := request.Plan.Estimate(request.Hold)
	passes := "1 pass"
	if estimate.Passes != 1 {
		passes = fmt.Sprintf("%d passes", estimate.Passes)
	}
	text := fmt.Sprintf("measuring %s with plan %s: %s, about %s", d.Address, request.Plan.Name, passes, unit.Span(max(estimate.Elapsed, time.Second)))
	if d.Unfilled {
		text += fmt.Sprintf(" and the time to fill a test file of %s", d.Span.Capacity())
	}
	if d.Kind == "simulated" {
		text += " of simulated time"
	}
	term.NewScreen(e.stderr).Println(text)
}

func (e *environment) showMeasured(s *session.Session, notation unit.Notation) error {
	if e.json {
		return e.writeJSON(s)
	}
	screen := e.screen()
	screen.Heading(table.Marked(s.Target.Address, s.Simulated) + " · session " + s.DisplayName())
	screen.Table(table.Passes(s, notation))
	screen.Println("")
	screen.Findings(s.Findings)
	screen.Println("")
	screen.Printf("Kept as %s. Next: opengauge explain %s, or opengauge report %s --out report.html\n", s.ID, s.ID, s.ID)
	return nil
}

func parseFailOn(text string) (session.Severity, error) {
	if text == "" {
		return "", nil
	}
	severity, err := session.ParseSeverity(text)
	if err != nil {
		return "", usageError{fmt.Errorf("--fail-on: %w", err)}
	}
	return severity, nil
}

// checkFailOn says whether findings reached the severity asked for.
func checkFailOn(findings []session.Finding, failOn session.Severity) error {
	worst, any := finding.Worst(findings)
	if failOn != "" && any && worst.Reaches(failOn) {
		return errFound
	}
	return nil
}
