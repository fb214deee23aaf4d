package cli

import (
	"errors"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// compareFlags holds the flags of compare.
type compareFlags struct {
	baseline, by string
	filter       filterFlags
	amount       amountFlags
}

func newCompare(env *environment) *cobra.Command {
	flags := &compareFlags{}
	cmd := &cobra.Command{
		Use:   "compare SESSION SESSION... | compare --by KEY [SESSION...]",
		Short: "Set sessions side by side, and say whether that is fair",
		Long: `Compare sets the passes that sessions have in common side by side, against the
first of them or --baseline: the ratio, its 95 % interval from repeats, and where
there is no measurable difference, the smallest that would have been seen. A load
whose throughput goes through levels is compared by how long amounts take, and by
the amount from which on another session is ahead; copies and starts by how long
they take. It says what failed, how warm it grew and what it drew, and it
lists what else differs between them; if that is more than one thing, what made
the difference is not known, and it says which sessions would tell.

With --by it computes the effect of one condition or part (fan, host, enclosure,
cable, drive, fill, "enclosure firmware", ...) over many sessions, holding only
those against each other that differ in nothing else. Without sessions it takes
those of the logbook that the filters leave.`,
		Example: `  opengauge compare fan-off fan-on
  opengauge compare --baseline stick-old stick-new stick-newer --json
  opengauge compare stick-long dunlin-long --amount 400GB
  opengauge compare --by fan
  opengauge compare --by enclosure --plan quick --since 72h`,
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			if flags.by != "" {
				return env.compareBy(arguments, flags)
			}
			return env.compare(arguments, flags)
		},
	}
	cmd.Flags().StringVar(&flags.baseline, "baseline", "", "the session to compare with (default the first); with "+
		"--by, the value to compare with")
	cmd.Flags().StringVar(&flags.by, "by", "", "the condition or part whose effect is wanted")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the comparison as JSON")
	flags.amount.add(cmd)
	flags.filter.add(cmd)
	_ = cmd.RegisterFlagCompletionFunc("baseline", env.completeSessions)
	return cmd
}

// comparisonRecord is the document of compare --json.
type comparisonRecord struct {
	Format    string `json:"format"`
	Simulated bool   `json:"simulated"`
	compare.Comparison
}

func (e *environment) compare(references []string, flags *compareFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if flags.baseline != "" {
		references = append([]string{flags.baseline}, slices.DeleteFunc(slices.Clone(references),
			func(r string) bool { return r == flags.baseline })...)
	}
	if len(references) < 2 {
		return usageError{errors.New("compare needs two sessions at least, or --by KEY; see opengauge compare --help")}
	}
	amounts, err := flags.amount.amounts()
	if err != nil {
		return err
	}
	sessions, err := e.loadSessions(references)
	if err != nil {
		return err
	}
	if err := eachOnce(sessions); err != nil {
		return err
	}
	terms := compare.Terms{Amounts: amounts, Findings: map[string][]session.Finding{}}
	if terms.Quotes, err = e.allQuotes(); err != nil {
		return err
	}
	for _, s := range sessions {
		terms.Findings[s.ID] = finding.Detect(s, notation)
	}
	made, err := compare.New(sessions, terms)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(comparisonRecord{Format: "opengauge.comparison/1", Simulated: anySimulated(sessions),
			Comparison: made})
	}
	e.showComparison(made, anySimulated(sessions), notation)
	return nil
}

func (e *environment) showComparison(made compare.Comparison, simulated bool, notation unit.Notation) {
	screen := e.screen()
	var names []string
	for _, side := range made.Sides {
		names = append(names, side.DisplayName())
	}
	screen.Heading(table.TargetName(strings.Join(names, " and "), simulated))
	if len(made.Differences) > 0 {
		screen.Table(table.Differences(made))
	} else {
		screen.Println("They do not differ in any circumstance that is known.")
	}
	screen.Println("")
	if made.NotShared != "" {
		screen.Paragraph("", "Only what failed is compared: "+made.NotShared+".")
	} else if rows := table.Comparison(made, notation); len(rows.Rows) > 0 {
		screen.Table(rows)
	}
	if bars := figure.Comparison(made, notation); len(bars.Groups) > 0 {
		screen.Println("")
		screen.Bars(bars)
	}
	for _, each := range made.Amounts {
		screen.Println("")
		screen.Heading(each.Load.String())
		screen.Table(table.Amounts(made, each, notation))
		screen.Println("")
		screen.Figure(figure.NewMoves(sidesOf(made, each), each.Asked))
	}
	if len(made.Quantities) > 0 {
		screen.Println("")
		screen.Table(table.Quantities(made))
	}
	if pairs := table.Beside(made.Pairs, notation); len(pairs.Rows) > 0 {
		screen.Println("")
		screen.Table(pairs)
	}
	if quoted := table.Quoted(made.Quoted, notation); len(quoted.Rows) > 0 {
		screen.Println("")
		screen.Table(quoted)
	}
	screen.Println("")
	for _, verdict := range made.Verdicts {
		screen.Paragraph("→ ", verdict)
	}
	if len(made.Findings) > 0 {
		screen.Println("")
		screen.Findings(made.Findings)
	}
}

// sidesOf are the curves of a load with the names of their sessions.
func sidesOf(made compare.Comparison, a compare.Amounts) []figure.Side {
	var sides []figure.Side
	for i, curve := range a.Curves {
		if curve != nil {
			sides = append(sides, figure.Side{Name: made.Sides[i].DisplayName(), Curve: curve})
		}
	}
	return sides
}

// effectRecord is the document of compare --by --json.
type effectRecord struct {
	Format    string `json:"format"`
	Simulated bool   `json:"simulated"`
	compare.Effect
}

func (e *environment) compareBy(references []string, flags *compareFlags) error {
	filter, err := flags.filter.filter(nil)
	if err != nil {
		return err
	}
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	ids, err := meant(book, references, filter)
	if err != nil {
		return err
	}
	if len(ids) == 0 {
		return errors.New("no session is left by the filters; see opengauge logbook list")
	}
	simulated := false
	effect, err := compare.EffectOver(flags.by, flags.baseline, func(yield func(*session.Session, error) bool) {
		for s, err := range book.Digests(ids) {
			simulated = simulated || err == nil && s.Simulated
			if !yield(s, err) {
				return
			}
		}
	})
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(effectRecord{Format: "opengauge.effect/1", Simulated: simulated, Effect: effect})
	}
	screen := e.screen()
	screen.Heading(table.TargetName("The effect of "+effect.Key+", all else equal", simulated))
	screen.Table(table.Effect(effect))
	screen.Println("")
	screen.Table(table.Groups(effect))
	if len(effect.Alone) > 0 {
		screen.Println("")
		screen.Println("Left out:")
		const shown = 8
		for i, text := range effect.Alone {
			if i == shown {
				screen.Printf("  and %d more\n", len(effect.Alone)-shown)
				break
			}
			screen.Paragraph("  ", text)
		}
	}
	return nil
}

// eachOnce refuses a session that is named twice: it would be compared with itself.
func eachOnce(sessions []*session.Session) error {
	seen := map[string]bool{}
	for _, s := range sessions {
		if seen[s.ID] {
			return usageError{errors.New("session " + s.DisplayName() + " is named twice; a session is not " +
				"compared with itself")}
		}
		seen[s.ID] = true
	}
	return nil
}

func anySimulated(sessions []*session.Session) bool {
	return slices.ContainsFunc(sessions, func(s *session.Session) bool { return s.Simulated })
}
