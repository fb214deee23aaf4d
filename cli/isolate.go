package cli

import (
	"errors"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/judge/blame"
	"opengauge/core/unit"
	"opengauge/present/table"
)

func newIsolate(env *environment) *cobra.Command {
	load, filter := "", &filterFlags{}
	cmd := &cobra.Command{
		Use:   "isolate [SESSION...]",
		Short: "Say which part is to blame",
		Long: `Isolate looks at sessions over combinations of host, cable, enclosure, drive and
conditions, and says what the slow ones share: which part is to blame, how sure
that is, which parts are ruled out and by what, and if it cannot tell yet, the
one next combination to measure that would tell most.

Say what is on the bench when measuring, with --through and --condition. Without
sessions it takes those of the logbook that the filters leave.`,
		Example: `  opengauge isolate deck-long cabin-long deck-short
  opengauge isolate --tag slow-deck
  opengauge isolate --tag slow-deck --load "read sequential" --json`,
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.isolate(arguments, load,
				filter)
		},
	}
	cmd.Flags().StringVar(&load, "load", "", "judge by passes whose label begins so, like \"write sequential\" "+
		"(default those that most sessions have)")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the result as JSON")
	filter.add(cmd)
	return cmd
}

// isolationRecord is the document of isolate --json.
type isolationRecord struct {
	Format    string `json:"format"`
	Simulated bool   `json:"simulated"`
	blame.Isolation
}

func (e *environment) isolate(references []string, load string, flags *filterFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	filter, err := flags.filter(nil)
	if err != nil {
		return err
	}
	sessions, err := e.briefSessions(references, filter)
	if err != nil {
		return err
	}
	if len(sessions) < 2 {
		return usageError{errors.New("isolate needs two sessions at least: what one alone is slow by cannot be told")}
	}
	if err := eachOnce(sessions); err != nil {
		return err
	}
	made, err := blame.Isolate(sessions, load)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(isolationRecord{"opengauge.isolation/1", anySimulated(sessions), made})
	}
	e.showIsolation(made, anySimulated(sessions), notation)
	return nil
}

func (e *environment) showIsolation(made blame.Isolation, simulated bool, notation unit.Notation) {
	screen := e.screen()
	screen.Heading(table.TargetName("Which part is to blame, by "+made.Label, simulated))
	screen.Table(table.Combinations(made, notation))
	screen.Println("")
	screen.Paragraph("→ ", made.Verdict)
	if len(made.Suspects) > 0 {
		screen.Println("")
		screen.Table(table.Suspects(made))
	}
	if len(made.Cleared) > 0 {
		screen.Println("")
		screen.Table(table.Innocents(made, notation))
	}
	if next := made.Next; next != nil {
		screen.Println("")
		screen.Paragraph("Measure next: ", strings.Join(next.Words(), ", ")+".")
		bad, good := "if it is slow, it is ", "if it is fast, it is "
		if made.Label == blame.ByFailures {
			bad, good = "if it fails, it is ", "if it holds, it is "
		}
		screen.Paragraph("  "+bad, next.IfSlow)
		screen.Paragraph("  "+good, next.IfFast)
	}
	for _, left := range made.Others {
		screen.Paragraph("  left out: ", left)
	}
}
