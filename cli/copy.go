package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/survey"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/outcome"
	"opengauge/core/load/fileset"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
	"opengauge/present/term"
)

// copyFlags holds the flags of copy.
type copyFlags struct {
	sets, among, conditions            []string
	size, name, failOn, sample, rest   string
	fromThrough, toThrough             string
	seed                               uint64
	repeat, parallel                   int
	bothWays, verify, keep, copiesOnly bool
	layOut, check                      string
}

func newCopy(env *environment) *cobra.Command {
	flags := &copyFlags{}
	cmd := &cobra.Command{
		Use:   "copy FROM TO | copy --among A,B,C | copy --lay-out FOLDER | copy --check FOLDER",
		Short: "Time copies of file sets, and say which end is the limit",
		Long: `Copy times copies from the first read to the last byte on stable media, without
cached data in the way. With --set it makes a set of files in FROM (the same from
the same --seed and --size everywhere) and copies that; without, it copies FROM,
a folder or a file of your own, as it is. The source is never changed, and what
was written is removed unless --keep.

After that it does the work of each end alone with the same files, so that the copy
can be held against both: the source alone, the destination alone. Between pieces
of work what was written is freed and the ends rest (--rest); every other repeat
goes backwards, so that no way is always the later one.

Where the program cannot run, --lay-out makes a set in FOLDER to be copied by hand
(the same from the same --set, --size and --seed everywhere), opengauge stopwatch keeps
how long that took, and --check says whether what arrived is whole, byte for byte.

FROM and TO are folders, or sim:NAME for simulated parts. With --among it copies
between every two of the ends, both ways, one large file and a mixed folder, and
draws the matrix.`,
		Example: `  opengauge copy /media/a /media/b --set large-file,mixed-folder --size 4GiB
  opengauge copy ~/footage /media/stick --verify --repeat 3
  opengauge copy /media/a /media/b --set mixed-folder --both-ways --parallel 4
  opengauge copy --among /media/a,/media/b,/home/me/desk
  opengauge copy --lay-out /media/stick --set mixed-folder --size 26GB
  opengauge copy --check /media/stick --set mixed-folder --size 26GB
  opengauge copy --among sim:sandpiper,sim:dunlin,sim:curlew,sim:turnstone --size 20GB`,
		Args: cobra.MaximumNArgs(2),
		RunE: func(cmd *cobra.Command, arguments []string) error {
			if flags.layOut != "" || flags.check != "" {
				return env.copyByHand(cmd.Context(), arguments, flags)
			}
			return env.copy(cmd.Context(), arguments, flags)
		},
	}
	flags.add(cmd)
	cmd.Flags().BoolVar(&env.json, "json", false, "print the session as JSON")
	env.addBenchFlag(cmd)
	_ = cmd.RegisterFlagCompletionFunc("set", cobra.FixedCompletions(fileset.Names(),
		cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("fail-on", completeSeverities)
	return cmd
}

func (f *copyFlags) add(cmd *cobra.Command) {
	set := cmd.Flags()
	set.StringSliceVar(&f.sets, "set", nil, "file sets to make and copy: "+strings.Join(fileset.Names(), ", "))
	set.StringSliceVar(&f.among, "among", nil, "copy between every two of these ends")
	set.StringVar(&f.size, "size", "", "how much each set holds (default 1GiB)")
	set.Uint64Var(&f.seed, "seed", 1, "what sizes, names and contents of the sets follow from")
	set.IntVar(&f.repeat, "repeat", 1, "copy so many times")
	set.IntVar(&f.parallel, "parallel", 1, "copy so many files at once")
	set.BoolVar(&f.bothWays, "both-ways", false, "copy from TO to FROM too")
	set.BoolVar(&f.verify, "verify", false, "compare every file with what it was copied from")
	set.BoolVar(&f.keep, "keep", false, "keep the copy")
	set.BoolVar(&f.copiesOnly, "copies-only", false, "leave out the work of each end alone: which end is the "+
		"limit is not told then")
	set.StringVar(&f.layOut, "lay-out", "", "make a set in this folder, to be copied by hand")
	set.StringVar(&f.check, "check", "", "say whether the set in this folder is whole")
	set.StringVar(&f.rest, "rest", "", "how long the ends rest before each piece of work but the first (default "+
		"as long as the work before it took, at most "+transfer.LongestRest.String()+")")
	set.StringVar(&f.sample, "sample", "", "length of a sample, 10ms to 10m (default 1s)")
	set.StringVar(&f.name, "name", "", "a name for the session")
	set.StringArrayVar(&f.conditions, "condition", nil, "a key=value that describes the circumstances; may be "+
		"repeated")
	set.StringVar(&f.fromThrough, "from-through", "", "the chain of FROM, as in the bench book; of a simulated "+
		"drive, its enclosure or chain")
	set.StringVar(&f.toThrough, "to-through", "", "the chain of TO")
	set.StringVar(&f.failOn, "fail-on", "", "exit with 3 if a finding is at least a note, caution or fault")
}

// longestRest bounds how long ends rest between copies.
const longestRest = 24 * time.Hour

// defaultSetSize is the size of a file set without --size.
const defaultSetSize = unit.GiB

// request reads the flags and arguments. Every error is one of usage.
func (f *copyFlags) request(arguments []string) (transfer.Request, error) {
	r := transfer.Request{
		ID: session.NewID(), Name: f.name, Repeat: f.repeat, Parallel: f.parallel, Verify: f.verify, Keep: f.keep,
		Alone: !f.copiesOnly,
	}
	var err error
	if r.Conditions, err = session.ParseConditions(f.conditions); err != nil {
		return r, err
	}
	if err := session.CheckName(f.name); err != nil {
		return r, err
	}
	if r.Sample, err = parseSample(f.sample); err != nil {
		return r, err
	}
	r.Rest = transfer.AsLongAsBefore
	if f.rest != "" {
		if r.Rest, err = time.ParseDuration(f.rest); err != nil || r.Rest < 0 || r.Rest > longestRest {
			return r, fmt.Errorf("--rest %q is no time from 0s to %s; write one like 30s", f.rest, longestRest)
		}
	}
	switch {
	case f.repeat < 1 || f.repeat > 1000:
		return r, fmt.Errorf("--repeat %d is not a number from 1 to 1000", f.repeat)
	case f.parallel < 1 || f.parallel > 256:
		return r, fmt.Errorf("--parallel %d is not a number from 1 to 256", f.parallel)
	case len(f.among) == 0 && len(arguments) != 2:
		return r, errors.New("name FROM and TO, or several ends with --among; see opengauge copy --help")
	case len(f.among) > 0 && len(arguments) > 0:
		return r, errors.New("--among names the ends itself; leave out FROM and TO")
	case len(f.among) == 1:
		return r, errors.New("--among needs two ends at least")
	}
	return r, f.addSets(&r, arguments)
}

func (f *copyFlags) addSets(r *transfer.Request, arguments []string) error {
	names := f.sets
	if len(names) == 0 {
		if len(f.among) == 0 && !address.IsSimulated(arguments[0]) {
			set, err := fileset.FromFolder(arguments[0])
			r.Sets, r.Own = []fileset.Set{set}, arguments[0]
			if err == nil && f.bothWays {
				err = errors.New("--both-ways goes with --set: a folder of your own is only at one end")
			}
			return err
		}
		names = []string{"large-file", "mixed-folder"}
	}
	size := defaultSetSize
	if f.size != "" {
		var err error
		if size, err = unit.ParseBytes(f.size); err != nil {
			return fmt.Errorf("--size: %w", err)
		}
	}
	for _, name := range names {
		set, err := fileset.New(name, size, f.seed)
		if err != nil {
			return fmt.Errorf("--set: %w", err)
		}
		r.Sets = append(r.Sets, set)
	}
	return nil
}

// pairs gives the ways to copy between so many ends.
func (f *copyFlags) pairs(ends int) [][2]int {
	if len(f.among) == 0 {
		if f.bothWays {
			return [][2]int{{0, 1}, {1, 0}}
		}
		return [][2]int{{0, 1}}
	}
	var pairs [][2]int
	for from := range ends {
		for to := range ends {
			if from != to {
				pairs = append(pairs, [2]int{from, to})
			}
		}
	}
	return pairs
}

func (e *environment) copy(ctx context.Context, arguments []string, flags *copyFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	failOn, err := parseFailOn(flags.failOn)
	if err != nil {
		return err
	}
	request, err := flags.request(arguments)
	if err != nil {
		return usageError{err}
	}
	stop, err := e.openEnds(&request, arguments, flags)
	if err != nil {
		return err
	}
	defer stop()
	s, err := e.runCopies(ctx, request)
	if s == nil || len(s.Copies) == 0 {
		return nothingDone(ctx, err)
	}
	if shown := e.showCopies(s, notation); shown != nil {
		return errors.Join(err, shown)
	}
	switch {
	case err != nil:
		return err
	case s.State == session.Interrupted:
		return errInterrupted
	}
	return checkFailOn(s.Findings, failOn)
}

func (e *environment) runCopies(ctx context.Context, request transfer.Request) (s *session.Session, err error) {
	keeper, end, err := e.keeping(request.Name)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, end()) }()
	for _, end := range request.Ends {
		if end.Simulated == nil {
			e.sweep(end.Path)
		}
	}
	removing := &atomic.Bool{}
	request.Removing = removing
	e.duties.add(func() string {
		if removing.Load() {
			return "what was copied is being removed"
		}
		return ""
	})
	e.announceCopies(request)
	teller := term.NewCopies(term.NewScreen(e.stderr))
	s, err = transfer.Run(ctx, request, keeper, teller.Tell)
	teller.Finish()
	if len(s.Copies) > 0 {
		s.Findings = finding.Detect(s, unit.Decimal)
		err = errors.Join(err, keeper.Finish(s))
	}
	return s, err
}

// openEnds opens the ends. The caller calls stop to end the reading of their sensors.
func (e *environment) openEnds(r *transfer.Request, arguments []string, flags *copyFlags) (stop func(), err error) {
	addresses := flags.among
	if len(addresses) == 0 {
		addresses = arguments
	}
	r.Pairs = flags.pairs(len(addresses))
	r.Environment = survey.Environment(Version())
	shared := map[string]*sim.SharedHop{}
	var stops []func()
	stop = func() {
		for _, each := range stops {
			each()
		}
	}
	simulated := 0
	for number, named := range addresses {
		through := ""
		if len(flags.among) == 0 {
			through = []string{flags.fromThrough, flags.toThrough}[number]
		}
		var end transfer.Endpoint
		if address.IsSimulated(named) {
			simulated++
			end, err = openSimulatedEnd(named, through, flags.seed+uint64(number), shared)
		} else {
			var ended func()
			end, ended, err = e.openFolderEnd(named, through, r.Own)
			if ended != nil {
				stops = append(stops, ended)
			}
		}
		if err != nil {
			stop()
			return nil, err
		}
		r.Ends = append(r.Ends, end)
	}
	if simulated > 0 && simulated < len(addresses) {
		stop()
		return nil, usageError{errors.New("a simulated part and a real folder have different clocks; copy between " +
			"parts, or between folders")}
	}
	if simulated > 0 {
		r.Environment = host.Environment{System: "simulated", ProgramVersion: Version()}
	}
	return stop, nil
}

func openSimulatedEnd(named, through string, seed uint64, shared map[string]*sim.SharedHop) (transfer.Endpoint, error) {
	around, err := openBench(context.Background(), address.Request{
		Address: named, Through: through, Seed: seed, Conditions: map[string]string{}, Shared: shared,
	})
	if err != nil {
		return transfer.Endpoint{}, err
	}
	return transfer.SimulatedEnd(named, around)
}

// openFolderEnd opens a folder as an end, in the chain that the bench book says.
func (e *environment) openFolderEnd(named, through, own string) (transfer.Endpoint, func(), error) {
	var chain *book.Setup
	if through != "" {
		_, setup, err := e.setup(through)
		if err != nil {
			return transfer.Endpoint{}, nil, err
		}
		chain = &setup
	}
	end, stop, err := transfer.FolderEnd(named, own, chain)
	if misused := (address.Misused{}); errors.As(err, &misused) {
		err = usageError{err}
	}
	return end, stop, err
}

// announceCopies describes the work before it begins.
func (e *environment) announceCopies(r transfer.Request) {
	screen := term.NewScreen(e.stderr)
	estimate := r.Estimate()
	for _, set := range r.Sets {
		spread := set.Spread()
		if spread.Files == 1 {
			screen.Printf("set %s: %s in one file\n", set.Name, set.Bytes().Decimal())
			continue
		}
		screen.Paragraph("", fmt.Sprintf("set %s: %s in %s files, median %s, half of the bytes in files from %s on", set.Name,
			set.Bytes().Decimal(), unit.Grouped(int64(spread.Files)), spread.Median.Decimal(),
			spread.HalfOfBytesIn.Decimal()))
	}
	text := fmt.Sprintf("copying %s in all", estimate.Moved.Decimal())
	if len(r.Pairs) > 1 {
		text += fmt.Sprintf(", over %d ways", len(r.Pairs))
	}
	if estimate.Made > 0 {
		text += fmt.Sprintf("; %s of file sets are made first", estimate.Made.Decimal())
	}
	if r.Alone {
		text += "; each end alone besides"
	}
	screen.Printf("%s; at %s about %s\n", text, unit.Decimal.Rate(transfer.GuessedRate), unit.Span(estimate.Elapsed))
}

func (e *environment) showCopies(s *session.Session, notation unit.Notation) error {
	s.Findings = finding.Detect(s, notation)
	if e.json {
		return e.writeJSON(s)
	}
	screen := e.screen()
	var addresses []string
	for _, end := range s.Ends {
		addresses = append(addresses, end.Address)
	}
	screen.Heading(table.TargetName("copies between "+strings.Join(addresses, " and "), s.Simulated) + " · session " +
		s.DisplayName())
	for _, note := range table.CopyNotes(s) {
		screen.Paragraph("● ", note)
	}
	showCopyFigures(screen, s, s.Findings, notation)
	screen.Println("")
	const many = 6
	if notes := len(s.Findings); notes > many &&
		!slices.ContainsFunc(s.Findings, func(f session.Finding) bool { return f.Severity != session.Note }) {
		screen.Paragraph("", fmt.Sprintf("%d findings say which end holds each copy: in a word in the matrix, and "+
			"with the arithmetic in opengauge explain %s.", notes, s.ID))
	} else {
		became := outcome.Of(s, s.Findings)
		screen.Outcome(became.Says(), len(s.Findings))
		screen.Findings(s.Findings)
	}
	screen.Println("")
	screen.Line(nextSteps(s))
	return nil
}

// showCopyFigures writes the copies of a session, and draws its matrices.
func showCopyFigures(screen *term.Screen, s *session.Session, findings []session.Finding, notation unit.Notation) {
	screen.Table(table.Copies(s, notation))
	if len(s.Ends) > 2 || slices.ContainsFunc(s.Copies, func(c session.Copy) bool { return c.From == 1 && c.To == 0 }) {
		for _, m := range figure.CopyMatrices(s, findings, notation) {
			screen.Println("")
			screen.CopyMatrix(m)
		}
	}
}
