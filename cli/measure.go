package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/judge/beside"
	"opengauge/core/judge/crowd"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/outcome"
	"opengauge/core/measure/run"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
	"opengauge/present/term"
)

func newMeasure(env *environment) *cobra.Command {
	flags := &measureFlags{}
	cmd := &cobra.Command{
		Use:   "measure TARGET",
		Short: "Run a plan on a folder, a file or a simulated part, and keep the session",
		Long: `Measure runs a plan and keeps the session in the logbook.

TARGET is a folder (a test file is made in it and removed again), a file (which
is read as it is, and never written), a block device (which is only read, unless
--overwrite names it), a volume on a network (nbd://HOST:PORT/EXPORT, nbds:// or
nbd+unix:///EXPORT?socket=PATH; only read, unless --overwrite EXPORT), the other end
of a network alone (wire://HOST:PORT, where opengauge standin wire runs), or sim:NAME
for a simulated part.

Of a folder that a server keeps (NFS, SMB, 9P), the way there is surveyed too: the
interface, its link and what it counts. Direct I/O passes this machine's cache by, and
not the server's memory: a test file larger than that, or a server that was restarted,
is what shows its storage.

With --together, the same command on each of several hosts measures one volume at once:
they meet in the logbook that they share, and begin each pass at the same time. One
session is made of what all of them gave. --sweep-hosts does so with one, two, four
of them and so on, and --alone-first lets each measure by itself before; at last the
first one does so again, to see that the volume is still what it was.

A pass runs for a moment before it counts. A pass that writes ends with a flush,
which counts. Reads and writes bypass the system's cache where the file system
allows it; where it does not, the table says so.`,
		Example: `  opengauge measure /media/stick
  opengauge measure . --plan quick-read --hold 2s
  opengauge measure /media/stick --condition fan=on --condition cable=short --name stick-fan
  opengauge measure /media/stick --until-within 1% --hold 5m --repeat 3
  opengauge measure nbd://10.0.0.5/lagoon --plan latency-under-load
  opengauge measure wire://10.0.0.5 --name cellar-network
  opengauge measure nbd://10.0.0.5/lagoon --plan quick-read --together lagoon-four --hosts 4
  opengauge measure sim:sandpiper --through barnacle --condition fan=on --plan long-write`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, arguments []string) error {
			if address.IsWire(arguments[0]) && !cmd.Flags().Changed("plan") {
				flags.plan = wirePlan
			}
			return env.measure(cmd.Context(), arguments[0], flags)
		},
	}
	flags.add(cmd, env)
	env.addBenchFlag(cmd)
	return cmd
}

// wirePlan is the default plan for a network alone.
const wirePlan = "wire"

func (e *environment) measure(ctx context.Context, address string, flags *measureFlags) error {
	m, err := e.checkMeasure(flags)
	if err != nil {
		return err
	}
	if flags.together.given() {
		return e.measureTogether(ctx, address, flags, m)
	}
	s, err := e.runMeasurement(ctx, address, flags, m)
	if s == nil || len(s.Passes)+len(s.Contentions) == 0 {
		return nothingDone(ctx, err)
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

// runMeasurement opens target and logbook, runs, and keeps the findings. The
// logbook comes second: a mistake in the target leaves no empty one behind.
func (e *environment) runMeasurement(ctx context.Context, named string, flags *measureFlags,
	m measurement) (s *session.Session, err error) {
	if address.IsPath(named) {
		e.sweep(named)
	}
	trust, err := authorityFrom(flags.authority)
	if err != nil {
		return nil, usageError{err}
	}
	id := session.NewID()
	base := address.Request{
		Size: m.size, Carrier: m.carrier, Seed: flags.seed, Shared: map[string]*sim.SharedHop{}, Trust: trust,
	}
	around, err := e.openMeasured(ctx, named, flags, m, base)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, closeTarget(around.Target, err)) }()
	e.duties.add(freeing(around.Target))
	others, closeOthers, err := e.openOthers(ctx, m, base)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, closeOthers()) }()
	request := runRequest(around, flags, m)
	request.ID, request.Others, request.Together, request.Gate = id, others, sim.KeepTogether, m.gate
	if err := request.Check(); err != nil {
		return nil, usageError{err}
	}
	keeper, end, err := e.keeping(flags.name)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, end()) }()
	e.announce(request)
	progress := term.NewProgress(term.NewScreen(e.stderr), m.notation)
	s, err = run.Run(ctx, request, keeper, func(p run.Progress) {
		if m.beside != nil {
			m.beside(&p)
		}
		progress.Tell(p)
	})
	progress.Finish()
	if s == nil || len(s.Passes)+len(s.Contentions) == 0 {
		return s, err
	}
	s.Findings = finding.Detect(s, unit.Decimal)
	return s, errors.Join(err, keeper.Finish(s))
}

// closeWithin is how long storage that failed has to say that it is there, and then to be
// closed without giving anything back meanwhile.
const closeWithin = 10 * time.Second

// closeTarget closes a target, unless it failed. A server that hangs may hold whoever closes a
// file for ever, and no signal ends that; the test file stays, and the next run removes it.
func closeTarget(t target.Target, failed error) error {
	if failed == nil {
		return t.Close()
	}
	left := func(why string) error {
		return fmt.Errorf("the test file is left on %s, which does not let it be removed now (%s); the next run there "+
			"removes it", t.Description().Address, why)
	}
	if storage, ok := t.(target.Answerer); ok {
		if errors.Is(target.Within(closeWithin, storage.Answers), target.ErrHeld) {
			return left("it does not answer")
		}
	}
	closing := make(chan error, 1)
	go func() { closing <- t.Close() }()
	freed := freeing(t)
	for before := ""; ; {
		select {
		case err := <-closing:
			return err
		case <-time.After(closeWithin):
		}
		now, held := freed(), heldByKernel()
		if now == before && held != "" {
			return left(held)
		}
		before = now
	}
}

// freeing says how much of a target's space is not given back yet, once that has begun.
func freeing(t target.Target) func() string {
	freer, ok := t.(target.Freer)
	if !ok {
		return func() string { return "" }
	}
	return func() string {
		if left := freer.Freeing(); left > 0 {
			return fmt.Sprintf("the test file is being removed, and %s of it are left", left.Capacity())
		}
		return ""
	}
}

// openMeasured opens the target that is measured.
func (e *environment) openMeasured(ctx context.Context, named string, flags *measureFlags, m measurement,
	base address.Request) (address.Opened, error) {
	setup, err := e.throughSetup(named, flags.through)
	if err != nil {
		return address.Opened{}, err
	}
	base.Address, base.Through, base.Setup = named, flags.through, setup
	base.Conditions, base.Probes = m.conditions, m.probes
	base.Overwrite, base.OverwriteContents = flags.overwrite, flags.overwriteContents
	return openBench(ctx, base)
}

// runRequest returns the run of a measurement on an opened target.
func runRequest(around address.Opened, flags *measureFlags, m measurement) run.Request {
	request := run.Request{
		Name: flags.name, Plan: m.plan, Hold: m.hold, Sample: m.sample,
		StallAfter: flags.stallAfter, ReturnWithin: flags.returnWithin, Verify: flags.verify,
		Target: around.Target, Sensors: around.Sensors, Parts: around.Parts, Chain: around.Chain,
		Conditions: around.Conditions, Environment: around.Environment,
		// A simulated clock stands still while it looks.
		Follow: &explain.Follow{Beside: around.Target.Description().Kind != target.Simulated},
	}
	if around.Links != nil {
		request.Links = around.Links
	}
	return request
}

// mayBeNamed says why a new session may not have a name, or nothing.
func mayBeNamed(book *logbook.Logbook, name string) error {
	if name == "" {
		return nil
	}
	taken, err := book.HasName(name)
	if err == nil && taken {
		err = usageError{fmt.Errorf("a session named %q is in the logbook already; choose another --name", name)}
	}
	return err
}

// throughSetup resolves --through for a target that is not simulated; nil where
// it was not given.
func (e *environment) throughSetup(named, through string) (*book.Setup, error) {
	if through == "" || address.IsSimulated(named) {
		return nil, nil
	}
	_, setup, err := e.setup(through)
	return &setup, err
}

// announce describes the work before it begins.
func (e *environment) announce(request run.Request) {
	d := request.Target.Description()
	estimate := request.Plan.Estimate(request.Hold)
	passes := unit.Count(estimate.Passes, "pass", "passes")
	if estimate.FilledIn > 0 {
		passes += fmt.Sprintf(" at the most, and %d combinations filled in from those", estimate.FilledIn)
	}
	if others := len(request.Others); others > 0 {
		passes += fmt.Sprintf(", and loads on %d targets at once", others+1)
	}
	text := fmt.Sprintf("measuring %s with plan %s: %s, about %s", d.Address, request.Plan.Name, passes,
		unit.Span(max(estimate.Elapsed, time.Second)))
	if estimate.Open {
		text += ", and as long as it takes to move the bytes that the plan asks for"
	}
	if d.Unfilled {
		text += fmt.Sprintf(" and the time to fill a test file of %s", d.Span.Capacity())
	}
	if d.Kind == "simulated" {
		text += " of simulated time"
	}
	screen := term.NewScreen(e.stderr)
	screen.Line(text)
	for _, contradiction := range request.Chain.Contradictions {
		screen.Println("contradiction: " + contradiction)
	}
}

func (e *environment) showMeasured(s *session.Session, notation unit.Notation) error {
	s.Findings = finding.Detect(s, notation)
	if e.json {
		return e.writeJSON(s)
	}
	screen := e.screen()
	screen.Heading(table.TargetName(s.Target.Address, s.Simulated) + " · session " + s.DisplayName())
	showPasses(screen, s, notation)
	showFigures(screen, subjectOf(s, s.Findings, notation), false)
	if text := table.Verification(s); text != "" {
		screen.Println("")
		screen.Paragraph("", text)
	}
	screen.Println("")
	became := outcome.Of(s, s.Findings)
	screen.Outcome(became.Says(), len(s.Findings))
	screen.Findings(s.Findings)
	screen.Println("")
	screen.Line(nextSteps(s))
	return nil
}

// nextSteps says where a session is kept, and names commands to go on with.
func nextSteps(s *session.Session) string {
	return fmt.Sprintf("Kept as %s. Next: opengauge explain %[1]s, or opengauge report %[1]s --out report.html", s.ID)
}

// showPasses writes the passes, and the summary of their repeats.
func showPasses(screen *term.Screen, s *session.Session, notation unit.Notation) {
	if passes := table.Passes(s, notation); len(passes.Rows) > 0 {
		screen.Table(passes)
	}
	if starts := table.Starts(s); len(starts.Rows) > 0 {
		screen.Println("")
		screen.Table(starts)
	}
	if sweeps := crowd.Of(s); len(sweeps) > 0 {
		showCrowd(screen, sweeps, notation)
	} else if contentions := table.Contentions(s, notation); len(contentions.Rows) > 0 {
		screen.Println("")
		screen.Table(contentions)
	}
	if shares := table.Shares(s, notation); len(shares.Rows) > 0 && s.Together == nil {
		screen.Println("")
		screen.Table(shares)
	}
	if repeats := table.Repeats(s, notation); len(repeats.Rows) > 0 {
		screen.Println("")
		screen.Table(repeats)
	}
	showInstruments(screen, s, notation)
}

// showInstruments writes the meters' figures of the passes, the cooling down in rests, and the
// mutual cost of another load and the storage.
func showInstruments(screen *term.Screen, s *session.Session, notation unit.Notation) {
	for _, each := range []table.Table{table.RoundTrips(s), table.Power(s, notation), table.Rests(s),
		table.Beside(beside.Of([]*session.Session{s}), notation)} {
		if len(each.Rows) > 0 {
			screen.Println("")
			screen.Table(each)
		}
	}
}

// subjectOf is one session as figures are made of it.
func subjectOf(s *session.Session, findings []session.Finding, notation unit.Notation) figure.Subject {
	return figure.Subject{
		Sessions: []*session.Session{s}, Notation: notation, Brief: true,
		Findings: map[string][]session.Finding{s.ID: findings},
	}
}

// showFigures draws the figures of a session that do not stand within others: how
// throughput depends on fill level, block size and depth, as far as it has several,
// and its long passes over time, if that is asked.
func showFigures(screen *term.Screen, about figure.Subject, overTime bool) {
	for _, kind := range figure.Forms {
		if kind.Within || kind.OverTime && !overTime {
			continue
		}
		for _, f := range kind.Of(about) {
			screen.Println("")
			screen.Figure(f)
		}
	}
}

// checkFailOn says whether findings reached the severity asked for.
func checkFailOn(findings []session.Finding, failOn session.Severity) error {
	worst, any := finding.Worst(findings)
	if failOn != "" && any && worst.Reaches(failOn) {
		return errFound
	}
	return nil
}
