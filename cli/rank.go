package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/move"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

func newRank(env *environment) *cobra.Command {
	amount := &amountFlags{}
	cmd := &cobra.Command{
		Use:   "rank SESSION",
		Short: "Say where a session stands in the logbook",
		Long: `Rank holds each load of a session against those of the logbook's other sessions
of the same class: the same kind of storage through the same narrowest hop. Runs of
the same parts are one entry, by their mean. The percentile is the share of the
others that gave less; those that gave as much, to within 2 %, count half.

With --amount it ranks by how long an amount takes, as far as that is known.`,
		Example: `  opengauge rank latest
  opengauge rank stick-fan --json
  opengauge rank stick-long --amount 400GB`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE:              func(_ *cobra.Command, arguments []string) error { return env.rank(arguments[0], amount) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the ranking as JSON")
	amount.add(cmd)
	return cmd
}

// rankRecord is the document of rank --json.
type rankRecord struct {
	Format    string           `json:"format"`
	Session   string           `json:"session"`
	Name      string           `json:"name"`
	Simulated bool             `json:"simulated"`
	Class     string           `json:"class"`
	Standings []standingRecord `json:"loads"`
	// Moves are how long amounts take, where that was asked.
	Moves []move.Standing `json:"moves"`
	// Failures lists the failures of the session; a rate shows none of them.
	Failures string `json:"failures,omitempty"`
	// Quoted are figures that others published of the same parts.
	Quoted []compare.Quoted `json:"quoted"`
}

type standingRecord struct {
	logbook.Standing
	Percentile float64 `json:"percentile"`
}

func (e *environment) rank(reference string, amount *amountFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	amounts, err := amount.amounts()
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
	moves, err := moveStandings(book, reference, amounts)
	if err != nil {
		return err
	}
	quotes, err := e.quotes(book)
	if err != nil {
		return err
	}
	quoted := compare.QuotedOf([]*session.Session{s}, quotes)
	became := outcome.Of(s, s.Findings)
	if e.json {
		record := rankRecord{Format: "opengauge.ranking/1", Session: s.ID, Name: s.Name, Simulated: s.Simulated,
			Class: s.Class(), Standings: []standingRecord{}, Moves: moves, Failures: became.Failures(),
			Quoted: quoted}
		for _, standing := range standings {
			record.Standings = append(record.Standings, standingRecord{standing, standing.Percentile()})
		}
		return e.writeJSON(record)
	}
	screen := e.screen()
	screen.Heading("Where " + s.DisplayName() + " stands among " + s.Class())
	if failures := became.Failures(); failures != "" {
		screen.Paragraph("", "In this session it "+failures+": no rate makes up for that.")
	}
	screen.Table(table.Standings(standings, notation))
	if len(moves) > 0 {
		screen.Println("")
		screen.Table(table.MoveStandings(moves))
	}
	if published := table.Quoted(quoted, notation); len(published.Rows) > 0 {
		screen.Println("")
		screen.Table(published)
	}
	if len(standings) == 0 {
		screen.Println("It has no whole pass to be ranked by.")
	}
	return nil
}

// mostPeers is how many other set-ups are read to rank by amounts.
const mostPeers = 100

// moveStandings ranks the times of amounts among the class's other set-ups.
func moveStandings(book *logbook.Logbook, reference string, amounts []unit.Bytes) ([]move.Standing, error) {
	standings := []move.Standing{}
	if len(amounts) == 0 {
		return standings, nil
	}
	s, err := book.Load(reference)
	if err != nil {
		return nil, err
	}
	for _, curve := range move.Told(move.Of(s)) {
		ids, err := book.Peers(s, curve.Key, mostPeers)
		if err != nil {
			return nil, err
		}
		var others []*session.Session
		for _, id := range ids {
			other, err := book.Load(id)
			if err != nil {
				return nil, err
			}
			others = append(others, other)
		}
		for _, amount := range amounts {
			standings = append(standings, move.Stand(curve, amount, others))
		}
	}
	return standings, nil
}
