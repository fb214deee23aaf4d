package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/plan"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/present/table"
)

func newPlan(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "plan",
		Short: "See what a plan would do, how long it takes, and what it writes",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(newPlanList(env), newPlanShow(env), newPlanCheck(env))
	return cmd
}

func newPlanList(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List the built-in plans",
		Example: "  opengauge plan list",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			plans, err := plan.BuiltIn()
			if err != nil {
				return err
			}
			if env.json {
				return env.writeJSON(plans)
			}
			env.screen().Table(table.Plans(plans))
			return nil
		},
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the plans as JSON")
	return cmd
}

func newPlanShow(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:               "show PLAN",
		Short:             "Show the passes of a plan",
		Long:              "Show the passes of a plan. PLAN is a built-in name or a YAML file.",
		Example:           "  opengauge plan show quick\n  opengauge plan show porthole.yaml",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: completePlans,
		RunE: func(_ *cobra.Command, arguments []string) error {
			p, err := plan.Load(arguments[0])
			if err != nil {
				return usageError{err}
			}
			if env.json {
				return env.writeJSON(p)
			}
			screen := env.screen()
			screen.Heading(p.Name)
			if p.About != "" {
				screen.Paragraph("", p.About)
			}
			if filledIn := p.Estimate(plan.DefaultHold).FilledIn; filledIn > 0 {
				screen.Paragraph("", fmt.Sprintf("The sweep is adaptive: at least %d of these are filled in from "+
					"the others, not measured.", filledIn))
			}
			screen.Table(table.PlannedPasses(p.Passes(plan.DefaultHold)))
			return nil
		},
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the plan as JSON")
	return cmd
}

// planFlags holds the flags of plan check.
type planFlags struct {
	hold, size, target, through, rate, endurance string
}

func newPlanCheck(env *environment) *cobra.Command {
	flags := &planFlags{}
	cmd := &cobra.Command{
		Use:   "check PLAN",
		Short: "Say what a plan would take: time, bytes written, wear, space",
		Long: `Check a plan without running it: whether it is well-formed, how long it takes,
what it writes at the most, what share of the drive's rated endurance that is,
and whether it fits the free space of a folder. What passes write that end after
a time depends on how fast the storage is; say how fast with --rate.`,
		Example: `  opengauge plan check quick
  opengauge plan check long-write --rate 2.8GB/s --endurance 600TB
  opengauge plan check porthole.yaml --target /media/stick --size 8GiB`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: completePlans,
		RunE: func(_ *cobra.Command, arguments []string) error {
			checked, err := env.checkPlan(arguments[0], flags)
			if err != nil {
				return err
			}
			if env.json {
				return env.writeJSON(checked)
			}
			env.showCheck(checked, flags)
			return nil
		},
	}
	cmd.Flags().StringVar(&flags.hold, "hold", "", "how long each pass counts (default 5s, or what the plan says)")
	cmd.Flags().StringVar(&flags.size, "size", "", "size of the test file (default as measure chooses it)")
	cmd.Flags().StringVar(&flags.target, "target", "", "the folder whose free space it has to fit, or sim:NAME")
	cmd.Flags().StringVar(&flags.through, "through", "", "the chain that it is measured through: no more is written "+
		"than that carries")
	cmd.Flags().StringVar(&flags.rate, "rate", "1GB/s", "how fast the storage takes writes")
	cmd.Flags().StringVar(&flags.endurance, "endurance", "", "how much may be written to the drive by its rating, "+
		"like 600TB (default as the bench book rates the drive of --target or --through)")
	env.addBenchFlag(cmd)
	cmd.Flags().BoolVar(&env.json, "json", false, "print the check as JSON")
	return cmd
}

// planCheck is the document of plan check --json.
type planCheck struct {
	Format         string     `json:"format"`
	Plan           string     `json:"plan"`
	Passes         int        `json:"passes"`
	FilledIn       int        `json:"filled_in,omitempty"`
	WritePasses    int        `json:"write_passes"`
	ElapsedSeconds float64    `json:"elapsed_seconds"`
	TestFileBytes  unit.Bytes `json:"test_file_bytes"`
	// FillShare is how full the target is brought besides.
	FillShare    float64    `json:"fill_share,omitempty"`
	WrittenBytes unit.Bytes `json:"written_bytes"`
	// WriteRate is how fast the storage is taken to take writes.
	WriteRate unit.BytesPerSecond `json:"write_bytes_per_second"`
	// EnduranceShare is of the rated endurance, where that is known.
	EnduranceShare *float64   `json:"endurance_share,omitempty"`
	Endurance      unit.Bytes `json:"endurance_bytes,omitempty"`
	// Fits says whether the test file fits, where a folder was given.
	Fits *bool `json:"fits,omitempty"`
}

func (e *environment) checkPlan(name string, flags *planFlags) (planCheck, error) {
	p, err := plan.Load(name)
	if err != nil {
		return planCheck{}, usageError{err}
	}
	if p, err = (&measureFlags{hold: flags.hold, repeat: 1}).apply(p); err != nil {
		return planCheck{}, usageError{err}
	}
	size, err := parseSize(flags.size, p)
	if err != nil {
		return planCheck{}, usageError{err}
	}
	rate, err := unit.ParseRate(flags.rate)
	if err != nil {
		return planCheck{}, usageError{fmt.Errorf("--rate: %w", err)}
	}
	planned, err := e.plannedOn(flags, rate)
	if err != nil {
		return planCheck{}, err
	}
	rate = planned.rate
	estimate := p.Estimate(plan.DefaultHold)
	checked := planCheck{
		Format: "opengauge.plan-check/1", Plan: p.Name, Passes: estimate.Passes, FilledIn: estimate.FilledIn,
		WritePasses:    estimate.WritePasses,
		ElapsedSeconds: estimate.Elapsed.Seconds(), TestFileBytes: size, FillShare: estimate.FillShare,
	}
	checked.WriteRate = rate
	if planned.span > 0 {
		fits := size <= planned.span
		checked.TestFileBytes, checked.Fits = planned.span, &fits // a part is measured whole
	} else if flags.target != "" {
		if checked.TestFileBytes, err = target.PlannedSize(flags.target, size); err != nil {
			return planCheck{}, err
		}
		fits := true
		checked.Fits = &fits
	}
	checked.WrittenBytes = estimate.Written(rate, checked.TestFileBytes)
	if planned.span == 0 {
		checked.WrittenBytes += checked.TestFileBytes // the test file is made first
	}
	endurance := planned.endurance
	if flags.endurance != "" {
		if endurance, err = unit.ParseBytes(flags.endurance); err != nil || endurance == 0 {
			return planCheck{}, usageError{fmt.Errorf("--endurance %q is not how much may be written, like 600TB",
				flags.endurance)}
		}
	}
	if endurance > 0 {
		share := float64(checked.WrittenBytes) / float64(endurance)
		checked.EnduranceShare, checked.Endurance = &share, endurance
	}
	return checked, nil
}

// planned describes the place where a plan would run.
type planned struct {
	// rate is how fast it takes writes at the most.
	rate unit.BytesPerSecond
	// span is the part of a simulated part that is used, or 0; endurance is its rating, or 0.
	span, endurance unit.Bytes
}

// plannedOn looks at the target and the chain of a plan.
func (e *environment) plannedOn(flags *planFlags, rate unit.BytesPerSecond) (planned, error) {
	known := planned{rate: rate}
	chain, parts := link.Chain{BindingHop: -1}, []book.Part(nil)
	switch {
	case address.IsSimulated(flags.target):
		opened, err := openBench(context.Background(), address.Request{Address: flags.target, Through: flags.through,
			Conditions: map[string]string{}, Shared: map[string]*sim.SharedHop{}})
		if err != nil {
			return known, err
		}
		defer func() { _ = opened.Target.Close() }() // it leaves nothing
		chain, parts, known.span = opened.Chain, opened.Parts, opened.Target.Description().Span
	case flags.through != "":
		_, setup, err := e.setup(flags.through)
		if err != nil {
			return known, err
		}
		chain, parts = setup.Chain, setup.Parts
	}
	if usable, ok := chain.Usable(); ok {
		known.rate = min(rate, usable.High)
	}
	for _, part := range parts {
		known.endurance = max(known.endurance, part.Ratings.Endurance)
	}
	return known, nil
}

func (e *environment) showCheck(c planCheck, flags *planFlags) {
	screen := e.screen()
	screen.Heading(c.Plan)
	screen.Printf("  passes     %d, of which %d write\n", c.Passes, c.WritePasses)
	if c.FilledIn > 0 {
		screen.Paragraph("  filled in  ", unit.Count(c.FilledIn, "combination")+" at the least, from the passes: the "+
			"sweep is adaptive")
	}
	screen.Printf("  time       %s at the most, filling and flushing aside\n",
		unit.Span(unit.Duration(c.ElapsedSeconds)))
	screen.Printf("  writes     %s at the most, if the storage takes %s\n", c.WrittenBytes.Capacity(),
		unit.Decimal.Rate(c.WriteRate))
	if c.FillShare > 0 {
		screen.Printf("  fills      the target to %.0f %%, which comes on top, and frees it again\n", c.FillShare*100)
	}
	if c.EnduranceShare != nil {
		screen.Printf("  wear       %s %% of %s\n", unit.Digits(*c.EnduranceShare*100, 3), c.Endurance.Decimal())
	}
	switch {
	case c.Fits == nil:
	case !*c.Fits:
		screen.Printf("  test file  does not fit %s, which holds %s\n", flags.target, c.TestFileBytes.Decimal())
	default:
		screen.Printf("  test file  %s, which fits %s\n", c.TestFileBytes.Capacity(), flags.target)
	}
}
