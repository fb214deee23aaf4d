package cli

import (
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"opengauge/core/bench/sensor"
	"opengauge/core/load"
	"opengauge/core/measure/run"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// measureFlags holds the flags of measure.
type measureFlags struct {
	plan, hold, size, name, through, failOn string
	conditions, probes                      []string
	seed                                    uint64

	within, sample, queue     string
	asks                      askFlags
	stallAfter, returnWithin  time.Duration
	overwrite, authority      string
	overwriteContents, verify bool
	repeat                    int
	together                  togetherFlags
}

// probeHelp describes probes.
const probeHelp = "an external instrument: " + sensor.ProbeForms + "; a temperature, or a QUANTITY: power, " +
	"machine-power, current, voltage, fan, sound, number(UNIT,higher); may be repeated"

func (f *measureFlags) add(cmd *cobra.Command, env *environment) {
	set := cmd.Flags()
	set.StringVar(&f.plan, "plan", "quick", "a built-in plan ("+planNames()+") or a YAML file")
	set.StringVar(&f.hold, "hold", "", "how long each pass counts (default 5s, or what the plan says)")
	set.StringVar(&f.within, "until-within", "", "end each pass once its throughput is known to within this "+
		"share, like 1%")
	set.IntVar(&f.repeat, "repeat", 1, "run the whole plan this many times, in turns")
	set.StringVar(&f.size, "size", "", "size of the test file (default 1 GiB or a tenth of the free space, "+
		"whichever is smaller)")
	f.asks.add(set)
	set.StringVar(&f.sample, "sample", "", "length of a sample, 10ms to 10m (default 1s)")
	set.StringVar(&f.queue, "queue", "automatic", "what carries operations to the kernel: automatic, native or threads")
	set.DurationVar(&f.stallAfter, "stall-after", run.StallAfter, "how long an operation may be under way before "+
		"that is an event")
	set.DurationVar(&f.returnWithin, "return-within", run.ReturnWithin, "how long to wait for a device that vanished")
	set.BoolVar(&f.verify, "verify", false, "stamp what is written, check what is read, and read all of it back "+
		"at the end")
	set.StringVar(&f.overwrite, "overwrite", "", "allow this block device to be written: its serial number, or "+
		"path:bytes where it has none; of a volume, the export's name")
	set.StringVar(&f.authority, "authority", "", "trust an nbds:// server whose certificate this authority signed, "+
		"FILE.pem")
	set.BoolVar(&f.overwriteContents, "overwrite-contents", false, "allow that even if the device holds partitions, "+
		"a file system, or data of no known form")
	set.Bool("remove-leftovers", false, "")
	_ = set.MarkDeprecated("remove-leftovers", "what killed runs of yours left in a folder is removed without it")
	set.StringVar(&f.name, "name", "", "a name for the session")
	set.StringArrayVar(&f.conditions, "condition", nil, "a key=value that describes the circumstances; may be repeated")
	set.StringArrayVar(&f.probes, "probe", nil, probeHelp)
	set.StringVar(&f.through, "through", "", "the chain from the bench book: its name, or parts with commas "+
		"between; for a simulated drive, its enclosure (default limpet) or a chain of the demo's book")
	set.Uint64Var(&f.seed, "seed", 1, "what a simulated part draws its chances from")
	set.StringVar(&f.failOn, "fail-on", "", "exit with 3 if a finding is at least a note, caution or fault")
	f.together.add(set)
	set.BoolVar(&env.json, "json", false, "print the session as JSON")
	_ = cmd.RegisterFlagCompletionFunc("plan", completePlans)
	_ = cmd.RegisterFlagCompletionFunc("fail-on", completeSeverities)
	_ = cmd.RegisterFlagCompletionFunc("queue", cobra.FixedCompletions(target.CarrierNames,
		cobra.ShellCompDirectiveNoFileComp))
}

// measurement is a checked measure command.
type measurement struct {
	plan       plan.Plan
	hold       time.Duration
	sample     time.Duration
	size       unit.Bytes
	carrier    target.Carrier
	conditions map[string]string
	probes     []sensor.Source
	failOn     session.Severity
	notation   unit.Notation
	// gate and beside belong to hosts that measure together: the gate before each pass, and the
	// others' progress. Both may be nil.
	gate   run.Gate
	beside func(*run.Progress)
}

// checkMeasure reads the flags. Every error is one of usage.
func (e *environment) checkMeasure(flags *measureFlags) (measurement, error) {
	m := measurement{hold: plan.DefaultHold, sample: run.SampleLength}
	var err error
	if m.notation, err = e.notation(); err != nil {
		return m, err
	}
	if m.plan, err = plan.Load(flags.plan); err != nil {
		return m, usageError{err}
	}
	if m.plan, err = flags.apply(m.plan); err != nil {
		return m, usageError{err}
	}
	if m.sample, err = parseSample(flags.sample); err != nil {
		return m, usageError{err}
	}
	if flags.stallAfter < 0 || flags.returnWithin < 0 {
		return m, usageError{errors.New("--stall-after and --return-within cannot be negative")}
	}
	if m.carrier, err = target.ParseCarrier(flags.queue); err != nil {
		return m, usageError{err}
	}
	if m.size, err = parseSize(flags.size, m.plan); err != nil {
		return m, usageError{err}
	}
	if m.conditions, err = session.ParseConditions(flags.conditions); err != nil {
		return m, usageError{err}
	}
	if m.probes, err = sensor.ParseProbes(flags.probes); err != nil {
		return m, usageError{err}
	}
	if err := session.CheckName(flags.name); err != nil {
		return m, usageError{err}
	}
	m.failOn, err = parseFailOn(flags.failOn)
	return m, err
}

// apply lets the flags that speak of passes change a plan.
func (f *measureFlags) apply(p plan.Plan) (plan.Plan, error) {
	var changes []func(*plan.Sweep)
	var failed error
	given := func(flag, text string, read func(string) (func(*plan.Sweep), error)) {
		if text == "" || failed != nil {
			return
		}
		change, err := read(text)
		if err != nil {
			failed = fmt.Errorf("--%s: %w", flag, err)
			return
		}
		changes = append(changes, change)
	}
	given("hold", f.hold, changeBy(plan.ParseHold,
		func(s *plan.Sweep, v time.Duration) { s.HoldSeconds = v.Seconds() }))
	given("until-within", f.within, changeBy(plan.ParseWithin, func(s *plan.Sweep, v float64) { s.Within = v }))
	for _, d := range load.Askable() {
		text := f.asks.value(d)
		if text == "" || failed != nil {
			continue
		}
		if p, failed = p.Asking(d, text); failed != nil {
			failed = fmt.Errorf("--%s: %w", d.Key, failed)
		}
	}
	if failed != nil {
		return p, failed
	}
	for _, change := range changes {
		p = p.EachSweep(change)
	}
	switch {
	case f.repeat < 1 || f.repeat > plan.MostRepeats:
		return p, fmt.Errorf("--repeat %d is not a number from 1 to %d", f.repeat, plan.MostRepeats)
	case f.repeat > 1:
		p = p.WithRepeats(f.repeat)
	}
	return p, nil
}

// askFlags are the dimensions of load that are flags: each is its key, and a value or
// a switch.
type askFlags struct {
	values   map[string]*string
	switches map[string]*bool
}

func (f *askFlags) add(set *pflag.FlagSet) {
	f.values, f.switches = map[string]*string{}, map[string]*bool{}
	for _, d := range load.Askable() {
		switch {
		case d.Mixed:
		case d.Switch:
			f.switches[d.Key] = set.Bool(d.Key, false, d.About)
		default:
			f.values[d.Key] = set.String(d.Key, "", d.About)
		}
	}
}

// value returns the flag's value for a dimension, or "".
func (f *askFlags) value(d load.Dimension) string {
	if on := f.switches[d.Key]; on != nil && *on {
		return "yes"
	}
	if value := f.values[d.Key]; value != nil {
		return *value
	}
	return ""
}

// changeBy makes a change of sweeps from a parser and a setter.
func changeBy[T any](parse func(string) (T, error), set func(*plan.Sweep, T)) func(string) (func(*plan.Sweep), error) {
	return func(text string) (func(*plan.Sweep), error) {
		value, err := parse(text)
		return func(s *plan.Sweep) { set(s, value) }, err
	}
}

func parseSample(text string) (time.Duration, error) {
	if text == "" {
		return run.SampleLength, nil
	}
	length, err := time.ParseDuration(text)
	if err != nil || length < run.ShortestSample || length > run.LongestSample {
		return 0, fmt.Errorf("--sample %q is not a time between %s and %s", text, run.ShortestSample, run.LongestSample)
	}
	return length, nil
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
	if size%load.SmallestBlock != 0 {
		return 0, fmt.Errorf("--size %s is not a multiple of %s", text, load.SmallestBlock)
	}
	return size, p.CheckSpan(size, 0)
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
