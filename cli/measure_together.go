package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/pflag"
	terminal "golang.org/x/term"

	"opengauge/core/bench/host"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/crowd"
	"opengauge/core/judge/finding"
	"opengauge/core/measure/run"
	"opengauge/core/measure/together"
	"opengauge/core/plan"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/storage/address"
	"opengauge/core/unit"
	"opengauge/present/table"
	"opengauge/present/term"
)

// togetherFlags are of hosts that measure one volume at once.
type togetherFlags struct {
	name              string
	accounts          []string
	hosts             int
	sweep, aloneFirst bool
	wait              time.Duration
}

func (f *togetherFlags) add(set *pflag.FlagSet) {
	set.StringVar(&f.name, "together", "", "measure at once with other hosts that give the same NAME; they meet in the "+
		"logbook that they share")
	set.IntVar(&f.hosts, "hosts", 0, "with --together: how many hosts there are")
	set.StringSliceVar(&f.accounts, "accounts", nil, "with --together: the accounts of the logbook that may take "+
		"part besides this one, where hosts have several")
	set.BoolVar(&f.sweep, "sweep-hosts", false, "with --together: measure with 1, 2, 4 hosts and so on, up to all, "+
		"and at last with the first alone again")
	set.BoolVar(&f.aloneFirst, "alone-first", false, "with --together: let each host measure by itself before, in turns, "+
		"and the first one again at last")
	set.DurationVar(&f.wait, "wait", together.Usual.Join, "with --together: how long to wait for the others to come; "+
		"then those that are there begin")
}

func (f *togetherFlags) given() bool {
	return f.name != "" || f.hosts != 0 || len(f.accounts) > 0 || f.sweep || f.aloneFirst
}

func (f *togetherFlags) check(p plan.Plan) error {
	switch {
	case f.name == "":
		return errors.New("--hosts, --accounts, --sweep-hosts and --alone-first need --together NAME, the same on each host")
	case f.hosts < 2:
		return errors.New("--together needs --hosts N, how many hosts there are, two at least")
	case f.wait <= 0:
		return errors.New("--wait has to be longer than nothing")
	case len(p.Others()) > 0:
		return fmt.Errorf("the plan %s loads several targets of one host at once; hosts that measure together load one each",
			p.Name)
	}
	adaptive := false
	p.EachSweep(func(s *plan.Sweep) { adaptive = adaptive || s.Adaptive })
	if adaptive {
		return fmt.Errorf("the plan %s chooses its passes by what it measures, so that hosts would measure different ones; "+
			"leave out adaptive", p.Name)
	}
	return session.CheckName(f.name)
}

// crew is this host among those that measure together.
type crew struct {
	*environment
	*together.Host
	book    *logbook.Logbook
	meeting string
	// ids holds the sessions of each round, as far as they are known.
	ids [][]string
}

func (e *environment) measureTogether(ctx context.Context, named string, flags *measureFlags, m measurement) error {
	if err := flags.together.check(m.plan); err != nil {
		return usageError{err}
	}
	if flags.name != "" {
		return usageError{errors.New("--together names the sessions; leave out --name")}
	}
	book, err := e.createLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	if err := mayBeNamed(book, flags.together.name); err != nil {
		return err
	}
	if err := e.canBeMeasured(ctx, named, flags, m); err != nil {
		return err
	}
	board, err := book.Meet(ctx, flags.together.name, host.BenchName(), flags.together.accounts)
	if err != nil {
		return err
	}
	defer board.Close()
	screen := term.NewScreen(e.stderr)
	patience := together.Patience{Join: flags.together.wait}
	h, err := together.Join(ctx, board, together.Asks{Name: host.BenchName(), ID: session.NewID(),
		Terms: termsOf(flags, m), Patience: patience, Tell: func(text string) { screen.Println(term.Clean(text)) }})
	if err != nil {
		return nothingDone(ctx, err)
	}
	c := &crew{environment: e, Host: h, book: book, meeting: flags.together.name}
	screen.Paragraph("", fmt.Sprintf("%d hosts measure %s together: %s; clock of this host %s", len(h.Members), named,
		strings.Join(h.Members, ", "), offsetWords(h.Offset)))
	err = c.measure(ctx, named, flags, m)
	why := ""
	if err != nil {
		why = oneLine(err)
	}
	leaving, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if left := c.Leave(leaving, why); left != nil && err == nil {
		screen.Println(term.Clean(oneLine(left)))
	}
	return err
}

// canBeMeasured opens the target and closes it again: a mistake of one host is found before the
// others wait for it.
func (e *environment) canBeMeasured(ctx context.Context, named string, flags *measureFlags, m measurement) error {
	trust, err := authorityFrom(flags.authority)
	if err != nil {
		return usageError{err}
	}
	around, err := e.openMeasured(ctx, named, flags, m, address.Request{Size: m.size, Carrier: m.carrier,
		Seed: flags.seed, Trust: trust})
	if err != nil {
		return err
	}
	checked := runRequest(around, flags, m).Check()
	if err := errors.Join(checked, closeTarget(around.Target, checked)); err != nil {
		return usageError{err}
	}
	return nil
}

func offsetWords(o together.Offset) string {
	word := "behind"
	ahead := o.Ahead
	if ahead < 0 {
		word, ahead = "ahead of", -ahead
	}
	return fmt.Sprintf("%s %s that of the logbook, to within %s", unit.Latency(ahead.Seconds()), word,
		unit.Latency(o.Within.Seconds()))
}

// termsOf returns the terms that hosts have to agree on: everything that decides which passes
// there are.
func termsOf(flags *measureFlags, m measurement) together.Terms {
	text, _ := json.Marshal(map[string]any{"plan": m.plan, "hold": m.hold, "size": m.size, "sample": m.sample,
		"verify": flags.verify}) // plans are always JSON
	return together.Terms{Version: Version(), Plan: string(text), PlanName: m.plan.Name, Hosts: flags.together.hosts,
		Sweep: flags.together.sweep, AloneFirst: flags.together.aloneFirst}
}

// measure runs the rounds and merges their sessions.
func (c *crew) measure(ctx context.Context, named string, flags *measureFlags, m measurement) error {
	until, cancel := c.Until(ctx)
	defer cancel()
	screen := term.NewScreen(c.stderr)
	rounds, estimate := c.Rounds(), m.plan.Estimate(m.hold).Elapsed
	if len(rounds) > 1 {
		screen.Paragraph("", fmt.Sprintf("%d rounds of about %s each, about %s in all", len(rounds),
			unit.Span(max(estimate, time.Second)), unit.Span(estimate*time.Duration(len(rounds)))))
	}
	var failed error
	for _, round := range rounds {
		if len(rounds) > 1 {
			screen.Paragraph("", c.roundWords(round, len(rounds), estimate))
		}
		if slices.Contains(round.Members, c.Name) && failed == nil {
			failed = c.round(until, named, flags, m, round)
		}
		if until.Err() != nil {
			break
		}
		ends, err := c.Await(until, round, patienceOf(m).Ready)
		if err != nil && until.Err() == nil {
			return errors.Join(failed, err, errors.New("what was measured is kept; put it together later with opengauge "+
				"logbook merge"))
		}
		c.ids = append(c.ids, c.endsOf(round, ends))
	}
	if by := c.Stopped(); by != "" && ctx.Err() == nil {
		screen.Println(term.Clean(by) + " asked all hosts to stop")
	}
	if ctx.Err() != nil {
		c.mayStopAll(screen)
		return errInterrupted
	}
	if until.Err() != nil {
		return errInterrupted
	}
	return errors.Join(failed, c.merge(ctx, m))
}

func (c *crew) roundWords(round together.Round, of int, estimate time.Duration) string {
	text := fmt.Sprintf("round %d of %d: %s", round.Number+1, of, strings.Join(round.Members, ", "))
	if round.Again {
		text += " again, to see whether the volume is still what it was"
	}
	if !slices.Contains(round.Members, c.Name) {
		text += fmt.Sprintf("; this host waits, for about %s", unit.Span(max(estimate, time.Second)))
	}
	return text
}

// endsOf says how the others ended a round, and gives their sessions.
func (c *crew) endsOf(round together.Round, ends map[string]together.End) []string {
	var ids []string
	screen := term.NewScreen(c.stderr)
	for _, name := range round.Members {
		if ends[name].Failed != "" {
			screen.Println(term.Clean(name + ": " + ends[name].Failed))
		}
		if ends[name].Session != "" {
			ids = append(ids, ends[name].Session)
		}
	}
	return ids
}

// round is this host's part of one.
func (c *crew) round(ctx context.Context, named string, flags *measureFlags, m measurement,
	round together.Round) error {
	m.gate = c.NewGate(c.meeting, round, patienceOf(m))
	m.beside = c.beside(ctx, len(round.Members))
	own := *flags
	own.name = c.freeName(round.Name(c.meeting, c.Name))
	s, err := c.runMeasurement(ctx, named, &own, m)
	ended, failed := "", ""
	if s != nil && len(s.Passes) > 0 {
		ended = s.ID
	}
	if err != nil {
		failed = oneLine(err)
	}
	telling, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	return errors.Join(err, c.Ended(telling, round, ended, failed))
}

// freeName is a name that no session has: an earlier meeting of the name may have ended early.
func (c *crew) freeName(name string) string {
	made := name
	for number := 2; ; number++ {
		if taken, err := c.book.HasName(made); err != nil || !taken {
			return made
		}
		made = fmt.Sprintf("%s, time %d", name, number)
	}
}

// patienceOf returns how long hosts wait for each other in a plan: as long as its longest pass,
// beside the usual.
func patienceOf(m measurement) together.Patience {
	patience := together.Usual
	for _, pass := range m.plan.Passes(m.hold) {
		patience.Ready = max(patience.Ready, together.Usual.Ready+pass.Time())
	}
	return patience
}

// beside tells the others this host's rate, once a second, and shows the sum of all.
func (c *crew) beside(ctx context.Context, hosts int) func(*run.Progress) {
	var told time.Time
	telling := make(chan together.Rate, 1)
	if hosts > 1 {
		go func() {
			for {
				select {
				case <-ctx.Done():
					return
				case rate := <-telling:
					_ = c.Says(ctx, rate) // the next one may come through
				}
			}
		}()
	}
	return func(p *run.Progress) {
		if hosts < 2 {
			return
		}
		if now := time.Now(); now.Sub(told) >= time.Second && p.Rate > 0 {
			told = now
			select {
			case telling <- together.Rate{Pass: p.Pass, Rate: p.Rate}:
			default:
			}
		}
		if sum, heard := c.Sum(); heard > 1 {
			p.Others = fmt.Sprintf("%d of %d hosts together %s", heard, hosts, unit.Decimal.Rate(sum))
		}
	}
}

// mayStopAll asks whether the other hosts are to stop too, where somebody is there to be asked.
func (c *crew) mayStopAll(screen *term.Screen) {
	if !terminal.IsTerminal(int(os.Stdin.Fd())) {
		return
	}
	const within = 20 * time.Second
	asked, cancel := context.WithTimeout(context.Background(), within)
	defer cancel()
	c.duties.add(func() string {
		if asked.Err() == nil {
			return "whether the other hosts are to stop"
		}
		return ""
	})
	screen.Printf("Only this host stops, and the others go on. Type all within %s to stop all: ", within)
	if answerTo(asked) != "all" {
		return
	}
	if err := c.StopAll(asked); err != nil {
		screen.Println(term.Clean(oneLine(err)))
	}
}

// mergeWithin is how long a host waits for the one that puts the sessions together.
const mergeWithin = 2 * time.Minute

// merge makes one session of all, or waits until another host has.
func (c *crew) merge(ctx context.Context, m measurement) error {
	mine, err := c.Merges(ctx)
	if err != nil {
		return err
	}
	if mine {
		merged, err := c.mergedHere()
		end := together.End{}
		if err != nil {
			end.Failed = oneLine(err)
		} else {
			end.Session = merged.ID
		}
		if err := errors.Join(err, c.Merged(ctx, end)); err != nil {
			return err
		}
		return c.showTogether(merged, m.notation)
	}
	end, err := c.AwaitMerged(ctx, mergeWithin)
	switch {
	case err != nil:
		return err
	case end.Failed != "":
		return errors.New(end.Failed)
	}
	merged, err := c.book.Load(end.Session)
	if err != nil {
		return err
	}
	return c.showTogether(merged, m.notation)
}

// mergedHere puts the sessions together and keeps that.
func (c *crew) mergedHere() (*session.Session, error) {
	rounds := make([][]*session.Session, len(c.ids))
	for i, ids := range c.ids {
		for _, id := range ids {
			s, err := c.book.Load(id)
			if err != nil {
				return nil, fmt.Errorf("a session is not in the logbook: %w; put them together later with opengauge logbook "+
					"merge", err)
			}
			rounds[i] = append(rounds[i], s)
		}
	}
	merged, err := compare.AtOnce(session.NewID(), c.meeting, rounds)
	if err != nil {
		return nil, err
	}
	merged.RecordedBy = &session.Recorder{Bench: host.BenchName()}
	merged.Findings = finding.Detect(merged, unit.Decimal)
	_, err = c.book.Import(func(yield func(*session.Session, error) bool) { yield(merged, nil) })
	return merged, err
}

func (c *crew) showTogether(s *session.Session, notation unit.Notation) error {
	if c.json {
		return c.writeJSON(s)
	}
	c.environment.showTogether(s, notation)
	c.screen().Line(nextSteps(s))
	return nil
}

// showTogether shows the sum of hosts that ran at once.
func (e *environment) showTogether(s *session.Session, notation unit.Notation) {
	screen := e.screen()
	sweeps := crowd.Of(s)
	screen.Heading(table.TargetName(fmt.Sprintf("%s on %s at once · session %s", s.Target.Address,
		unit.Count(len(s.Together.Hosts), "host"), s.DisplayName()), s.Simulated))
	showCrowd(screen, sweeps, notation)
	for _, each := range s.Events {
		screen.Paragraph("■ ", each.Detail)
	}
	screen.Println("")
}

// showCrowd shows the shares of hosts on one volume, and whose limit holds them.
func showCrowd(screen *term.Screen, sweeps []crowd.Sweep, notation unit.Notation) {
	screen.Table(table.Crowd(sweeps, notation))
	screen.Println("")
	screen.Table(table.CrowdShares(sweeps, notation))
	screen.Println("")
	for i := range sweeps {
		screen.Paragraph("→ ", sweeps[i].Verdict(notation))
	}
}
