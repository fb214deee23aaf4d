package cli

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/bench/survey"
	"opengauge/core/judge/finding"
	"opengauge/core/load/fileset"
	"opengauge/core/measure/byhand"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	view "opengauge/present/term"
)

// stopwatchFlags holds the flags of stopwatch.
type stopwatchFlags struct {
	set, size, from, to, fromThrough, toThrough string
	within, name                                string
	conditions, seconds                         []string
	seed                                        uint64
	repeat, files                               int
}

func newStopwatch(env *environment) *cobra.Command {
	flags := &stopwatchFlags{}
	cmd := &cobra.Command{
		Use:   "stopwatch --set SET --size SIZE --from NAME --to NAME",
		Short: "Keep a copy that was timed by hand, where the program cannot run",
		Long: `Stopwatch keeps copies that somebody times by hand, on a tablet, a camera or a
console. Space starts the clock as the copy begins and stops it as it ends; l marks a
lap, x throws a time away that went wrong, and q ends. With --seconds it enters times
that were taken before, without a terminal.

What is copied is a set that opengauge copy --lay-out made (--set, --size, --seed), or
files of your own (--files says how many). Ends are names; where the bench book has
them, or --from-through and --to-through name their chains, their parts are kept too.

The session stands beside measured ones everywhere, and is marked as timed by hand:
every time is known to within a reaction (0.2 s, or what --within says), and it ends
where a screen said so, whether all of it was on the storage or not.`,
		Example: `  opengauge stopwatch --set mixed-folder --size 26GB --from deck-tablet --to sandpiper --repeat 3
  opengauge stopwatch --set mixed-folder --size 26GB --from deck-tablet --to sandpiper --seconds 47 --seconds 48.5
  opengauge stopwatch --set footage --files 214 --size 64GB --from camera --to dunlin --seconds 5m12s --within 1s`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if cmd.Flags().Changed("seconds") && !cmd.Flags().Changed("repeat") {
				flags.repeat = len(flags.seconds)
			}
			return env.stopwatch(cmd.Context(), flags)
		},
	}
	set := cmd.Flags()
	set.StringVar(&flags.set, "set", "", "what is copied: "+strings.Join(fileset.Names(), ", ")+
		", or a name for files of your own")
	set.StringVar(&flags.size, "size", "", "how much that is")
	set.Uint64Var(&flags.seed, "seed", 1, "the seed that the set was laid out with")
	set.IntVar(&flags.files, "files", 0, "how many files of your own it is")
	set.StringVar(&flags.from, "from", "", "what it is copied from: a name")
	set.StringVar(&flags.to, "to", "", "what it is copied to: a name")
	set.StringVar(&flags.fromThrough, "from-through", "", "the chain of FROM, as in the bench book")
	set.StringVar(&flags.toThrough, "to-through", "", "the chain of TO")
	set.StringArrayVar(&flags.seconds, "seconds", nil, "enter a time that was taken before: 47, 47.5, 1m07s or 1:07; may "+
		"be repeated")
	set.StringVar(&flags.within, "within", "", "by how much a time may be off (default 0.2s, a reaction)")
	set.IntVar(&flags.repeat, "repeat", 1, "take so many times")
	set.StringVar(&flags.name, "name", "", "a name for the session")
	set.StringArrayVar(&flags.conditions, "condition", nil, "a key=value that describes the circumstances; may be "+
		"repeated")
	set.BoolVar(&env.json, "json", false, "print the session as JSON")
	env.addBenchFlag(cmd)
	_ = cmd.RegisterFlagCompletionFunc("set", cobra.FixedCompletions(fileset.Names(),
		cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

func (e *environment) stopwatch(ctx context.Context, flags *stopwatchFlags) (err error) {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	request, times, err := e.stopwatchRequest(flags)
	if err != nil {
		return usageError{err}
	}
	if len(times) == 0 && !(term.IsTerminal(int(os.Stdin.Fd())) && term.IsTerminal(int(os.Stderr.Fd()))) {
		return usageError{errors.New("a stopwatch needs a terminal with its keys; enter times that were taken before with " +
			"--seconds")}
	}
	keeper, end, err := e.keeping(flags.name)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, end()) }()
	record, err := byhand.Begin(request, keeper)
	if err != nil {
		return err
	}
	interrupted := false
	for _, seconds := range times {
		err = errors.Join(err, record.Add(seconds, nil))
	}
	if len(times) == 0 {
		interrupted, err = e.takeTimes(ctx, record, request, flags.repeat)
	}
	s, ended := record.End(interrupted)
	if err = errors.Join(err, ended); err != nil || s == nil {
		return nothingDone(ctx, err)
	}
	s.Findings = finding.Detect(s, unit.Decimal)
	if err := keeper.Finish(s); err != nil {
		return err
	}
	if shown := e.showCopies(s, notation); shown != nil {
		return shown
	}
	if s.State == session.Interrupted {
		return errInterrupted
	}
	return nil
}

// stopwatchRequest reads the flags. Every error is one of usage.
func (e *environment) stopwatchRequest(f *stopwatchFlags) (r byhand.Request, times []float64, err error) {
	r = byhand.Request{ID: session.NewID(), Name: f.name, WithinSeconds: byhand.Within,
		Environment: survey.Environment(Version())}
	if f.set == "" || f.size == "" || f.from == "" || f.to == "" {
		return r, nil, errors.New("say what is copied, and between what: --set, --size, --from and --to")
	}
	if err := errors.Join(session.CheckName(f.name), session.CheckPrintable("set", f.set),
		session.CheckPrintable("--from", f.from), session.CheckPrintable("--to", f.to)); err != nil {
		return r, nil, err
	}
	if r.Conditions, err = session.ParseConditions(f.conditions); err != nil {
		return r, nil, err
	}
	if f.within != "" {
		if r.WithinSeconds, err = parseHandSeconds(f.within); err != nil {
			return r, nil, fmt.Errorf("--within: %w", err)
		}
	}
	if f.repeat < 1 || f.repeat > 1000 {
		return r, nil, fmt.Errorf("--repeat %d is not a number from 1 to 1000", f.repeat)
	}
	if err := f.readFiles(&r); err != nil {
		return r, nil, err
	}
	if r.From, err = e.handEnd(f.from, f.fromThrough); err != nil {
		return r, nil, err
	}
	if r.To, err = e.handEnd(f.to, f.toThrough); err != nil {
		return r, nil, err
	}
	if err := r.Check(); err != nil {
		return r, nil, err
	}
	for _, text := range f.seconds {
		seconds, err := parseHandSeconds(text)
		if err == nil {
			err = r.CheckSeconds(seconds)
		}
		if err != nil {
			return r, nil, fmt.Errorf("--seconds: %w", err)
		}
		times = append(times, seconds)
	}
	if len(times) > 0 && f.repeat != len(times) {
		return r, nil, fmt.Errorf("--repeat %d and %s by --seconds do not go together", f.repeat,
			unit.Count(len(times), "time"))
	}
	return r, times, nil
}

// readFiles reads which files are copied: those in a set, or a number of one's own.
func (f *stopwatchFlags) readFiles(r *byhand.Request) error {
	size, err := unit.ParseBytes(f.size)
	if err != nil {
		return fmt.Errorf("--size: %w", err)
	}
	r.Set = f.set
	if f.files > 0 {
		r.Spread = fileset.Spread{Files: f.files, Bytes: size}
		return nil
	}
	set, err := fileset.New(f.set, size, f.seed)
	if err != nil {
		return fmt.Errorf("--set: %w; say how many --files of your own it is if it is no such set", err)
	}
	r.Seed, r.Spread = set.Seed, set.Spread()
	return nil
}

// handEnd is an end that somebody names: with its chain where that is said, or the part of
// that name in the bench book.
func (e *environment) handEnd(name, through string) (session.End, error) {
	end := session.End{Address: name, Kind: "by hand", Chain: link.NewChain()}
	if through != "" {
		_, setup, err := e.setup(through)
		if err != nil {
			return end, err
		}
		end.Chain, end.Parts = setup.Chain, setup.Parts
		return end, nil
	}
	parts, err := e.book()
	if err != nil {
		return end, err
	}
	if part, known := parts.Part(name); known {
		end.Parts = []book.Part{part}
	}
	return end, nil
}

// parseHandSeconds reads a time as people write it: 47, 47.5, "47.5s", "1m07s", "1:07",
// "1:02:03".
func parseHandSeconds(text string) (float64, error) {
	fault := fmt.Errorf("%q is no time like 47, 47.5, 1m07s or 1:07", text)
	if length, err := time.ParseDuration(text); err == nil && length > 0 {
		return length.Seconds(), nil
	}
	seconds := 0.0
	parts := strings.Split(text, ":")
	for i, part := range parts {
		value, err := strconv.ParseFloat(part, 64)
		whole := i == len(parts)-1 || value == math.Trunc(value)
		finite := err == nil && !math.IsNaN(value) && !math.IsInf(value, 0)
		if !finite || value < 0 || i > 0 && value >= 60 || !whole || len(parts) > 3 {
			return 0, fault
		}
		seconds = seconds*60 + value
	}
	if seconds <= 0 {
		return 0, fault
	}
	return seconds, nil
}

// redrawEvery is how often the clock is drawn.
const redrawEvery = 100 * time.Millisecond

// Keys of the stopwatch besides letters.
const (
	keyInterrupt, keyEnter, keyLine = 3, '\r', '\n'
)

// takeTimes lets somebody start and stop the clock until all times are taken, or they end.
func (e *environment) takeTimes(ctx context.Context, record *byhand.Record, r byhand.Request,
	repeat int) (interrupted bool, err error) {
	before, err := term.MakeRaw(int(os.Stdin.Fd()))
	if err != nil {
		return true, fmt.Errorf("the terminal does not give its keys one by one: %w; use --seconds", err)
	}
	defer func() { err = errors.Join(err, term.Restore(int(os.Stdin.Fd()), before)) }()
	hand := &handClock{record: record, repeat: repeat, screen: view.NewScreen(e.stderr), shows: view.Stopwatch{
		Title: fmt.Sprintf("%s of %s in %s, from %s to %s", r.Set, r.Spread.Bytes.Decimal(),
			unit.Count(r.Spread.Files, "file"), r.From.Address, r.To.Address),
		Planned: repeat, Within: r.WithinSeconds,
	}}
	keys := keysPressed()
	ticks := time.NewTicker(redrawEvery)
	defer ticks.Stop()
	for record.Taken() < repeat {
		hand.draw(time.Now())
		select {
		case <-ctx.Done():
			return true, hand.end(time.Now())
		case <-ticks.C:
		case key, open := <-keys:
			over, err := hand.press(key.sign, key.at)
			if err != nil {
				return true, err
			}
			if over || !open {
				return true, hand.end(time.Now())
			}
		}
	}
	hand.draw(time.Now())
	return false, nil
}

// pressed is a key, and when.
type pressed struct {
	sign byte
	at   time.Time
}

// keysPressed returns a channel of the keys typed until the terminal is gone.
func keysPressed() <-chan pressed {
	keys := make(chan pressed)
	go func() {
		defer close(keys)
		var sign [1]byte
		for {
			if read, err := os.Stdin.Read(sign[:]); err != nil || read == 0 {
				return
			}
			keys <- pressed{sign[0], time.Now()}
		}
	}()
	return keys
}

// handClock is a stopwatch in a terminal.
type handClock struct {
	record *byhand.Record
	repeat int
	watch  byhand.Watch
	screen *view.Screen
	shows  view.Stopwatch
	lines  int
	said   string
}

func (h *handClock) draw(now time.Time) {
	h.shows.Seconds, h.shows.Running, h.shows.Laps = h.watch.Seconds(now), h.watch.Running(), h.watch.Laps()
	h.shows.Repeat, h.shows.Taken = min(h.record.Taken()+1, h.repeat), nil
	for _, c := range h.record.Session().Copies {
		if c.Counts() {
			h.shows.Taken = append(h.shows.Taken, c.ElapsedSeconds)
		}
	}
	if h.screen.Interactive {
		h.lines = h.screen.Stopwatch(h.shows, h.lines)
		return
	}
	// A terminal that cannot be steered gets a line where something changed.
	if state := fmt.Sprint(h.shows.Running, len(h.shows.Laps), len(h.shows.Taken), h.shows.Says); state != h.said {
		h.said = state
		h.screen.Printf("%s: %.1f s%s\r\n", h.shows.Keys(), h.shows.Seconds, h.shows.Says)
	}
}

// press obeys a key; over reports that the user wants to end.
func (h *handClock) press(key byte, at time.Time) (over bool, err error) {
	switch key {
	case ' ', keyEnter, keyLine:
		if !h.watch.Running() {
			h.watch.Start(at)
			h.shows.Says = ""
			return false, nil
		}
		seconds, laps := h.watch.Stop(at)
		if err := h.record.Add(seconds, laps); err != nil {
			h.shows.Says = "not kept: " + err.Error()
		}
	case 'l', 'L':
		h.watch.Lap(at)
	case 'x', 'X':
		if h.watch.Running() {
			h.watch.Clear()
			h.shows.Says = "thrown away"
		}
	case 'q', 'Q', keyInterrupt:
		return true, nil
	}
	return false, nil
}

// end keeps a copy of which the end was not seen, as one that does not count.
func (h *handClock) end(now time.Time) error {
	if !h.watch.Running() {
		return nil
	}
	seconds, laps := h.watch.Stop(now)
	return h.record.Abandon(seconds, laps)
}
