package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

func newLogbookMerge(env *environment) *cobra.Command {
	name, shifts, alone := "", []string{}, []string{}
	cmd := &cobra.Command{
		Use:   "merge SESSION SESSION...",
		Short: "Put sessions of several hosts together that ran at the same time",
		Long: `Merge puts sessions of several hosts on one volume together: for each load that
ran on all of them at the same time, what each got and lost, and over time the sum
and how fairly it was shared (1 where all get the same). The sessions stay as they
are. What each gave alone is taken from a pass of the same load in which the others
were idle, or from sessions of the same hosts that --alone names.

Sessions of one meeting (measure --together) are put together by the offsets of the
clocks that it measured. Of others the clocks are those of the hosts; where they
differ, --shift SESSION=+0.5s moves a session.`,
		Example: `  opengauge logbook import host-b.json
  opengauge logbook merge host-a host-b --name both
  opengauge logbook merge host-a host-b --alone host-a-alone,host-b-alone
  opengauge logbook merge host-a host-b --shift host-b=-1.5s`,
		Args:              cobra.MinimumNArgs(2),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.mergeSessions(arguments, alone, name, shifts)
		},
	}
	cmd.Flags().StringVar(&name, "name", "", "a name for the merged session")
	cmd.Flags().StringArrayVar(&shifts, "shift", nil, "move a session in time, SESSION=+1.5s; may be repeated")
	cmd.Flags().StringSliceVar(&alone, "alone", nil, "sessions in which a host was by itself, separated by commas")
	_ = cmd.RegisterFlagCompletionFunc("alone", env.completeSessions)
	cmd.Flags().BoolVar(&env.json, "json", false, "print the merged session as JSON")
	return cmd
}

// parseShifts reads how far each session is moved.
func parseShifts(texts, references []string) ([]time.Duration, error) {
	shifts := make([]time.Duration, len(references))
	for _, text := range texts {
		reference, stretch, found := strings.Cut(text, "=")
		at := slices.Index(references, reference)
		moved, err := time.ParseDuration(strings.TrimPrefix(stretch, "+"))
		if !found || at < 0 || err != nil {
			return nil, fmt.Errorf("--shift %q does not move a session; write one of those that are merged, like "+
				"%s=+1.5s", text, references[0])
		}
		shifts[at] = moved
	}
	return shifts, nil
}

// mergeOf merges sessions that ran at once, with those of their hosts alone. Sessions of one
// meeting know their rounds.
func mergeOf(name string, sessions, alone []*session.Session, shifts []time.Duration) (*session.Session, error) {
	all := slices.Concat(sessions, alone)
	others := slices.ContainsFunc(all, func(s *session.Session) bool {
		return s.Together == nil || s.Together.Host == "" || s.Together.Meeting != all[0].Together.Meeting
	})
	moved := slices.ContainsFunc(shifts, func(shift time.Duration) bool { return shift != 0 })
	if others || moved {
		return compare.Merge(session.NewID(), name, sessions, shifts, alone...)
	}
	return compare.AtOnce(session.NewID(), name, compare.Rounds(all))
}

func (e *environment) mergeSessions(references, alone []string, name string, texts []string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if err := session.CheckName(name); err != nil {
		return usageError{err}
	}
	shifts, err := parseShifts(texts, references)
	if err != nil {
		return usageError{err}
	}
	sessions, err := e.loadSessions(references)
	if err != nil {
		return err
	}
	if err := eachOnce(sessions); err != nil {
		return err
	}
	apart, err := e.loadSessions(alone)
	if err != nil {
		return err
	}
	merged, err := mergeOf(name, sessions, apart, shifts)
	if err != nil {
		return err
	}
	merged.Findings = finding.Detect(merged, unit.Decimal)
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	if _, err := book.Import(func(yield func(*session.Session, error) bool) { yield(merged, nil) }); err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(merged)
	}
	if merged.Together != nil {
		e.showTogether(merged, notation)
		e.screen().Printf("Kept as %s.\n", merged.ID)
		return nil
	}
	screen := e.screen()
	screen.Heading(table.TargetName(fmt.Sprintf("%d hosts at once · session %s", len(sessions), merged.DisplayName()),
		merged.Simulated))
	screen.Table(table.Contentions(merged, notation))
	screen.Println("")
	screen.Table(table.Shares(merged, notation))
	screen.Println("")
	became := outcome.Of(merged, merged.Findings)
	screen.Outcome(became.Says(), len(merged.Findings))
	screen.Findings(merged.Findings)
	screen.Println("")
	screen.Printf("Kept as %s.\n", merged.ID)
	return nil
}
