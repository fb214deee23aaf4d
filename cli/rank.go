package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
	"opengauge/present/table"
)

func newRank(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "rank SESSION",
		Short: "Say where a session stands in the logbook",
		Long: `Rank holds each load of a session against those of the logbook's other sessions
of the same class: the same kind of storage through the same narrowest hop. The
percentile is the share of the others that gave less; those that gave as much
count half.`,
		Example:           "  opengauge rank latest\n  opengauge rank stick-fan --json",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE:              func(_ *cobra.Command, arguments []string) error { return env.rank(arguments[0]) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the ranking as JSON")
	return cmd
}

// rankRecord is what rank --json prints.
type rankRecord struct {
	Format    string           `json:"format"`
	Session   string           `json:"session"`
	Name      string           `json:"name"`
	Simulated bool             `json:"simulated"`
	Class     string           `json:"class"`
	Standings []standingRecord `json:"loads"`
}

type standingRecord struct {
	logbook.Standing
	Percentile float64 `json:"percentile"`
}

func (e *environment) rank(reference string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	s, err := book.LoadBrief(reference)
	if err != nil {
		return err
	}
	standings, err := book.Standings(s)
	if err != nil {
		return err
	}
	if e.json {
		record := rankRecord{Format: "opengauge.ranking/1", Session: s.ID, Name: s.Name, Simulated: s.Simulated,
			Class: s.Class(), Standings: []standingRecord{}}
		for _, standing := range standings {
			record.Standings = append(record.Standings, standingRecord{standing, standing.Percentile()})
		}
		return e.writeJSON(record)
	}
	screen := e.screen()
	screen.Heading("Where " + s.DisplayName() + " stands among " + s.Class())
	screen.Table(table.Standings(standings, notation))
	if len(standings) == 0 {
		screen.Println("It has no whole pass to be ranked by.")
	}
	return nil
}
