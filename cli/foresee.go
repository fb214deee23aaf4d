package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/predict"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

func newForesee(env *environment) *cobra.Command {
	through, amount := "", &amountFlags{}
	cmd := &cobra.Command{
		Use:   "foresee SESSION",
		Short: "Say what to expect of a drive in a chain not tried yet",
		Long: `Foresee takes what a drive did in one chain and says what to expect of it in
another: which hop will bind, and how fast each pass will be. Where the old chain
was the limit, the drive may do more than it could show; its rating from the
bench book then bounds what to hope for. It says how long amounts of data will
take (--amount): a fast write area holds as many bytes behind any link.

Of a drive of the bench book that was never measured it says what the chain lets
through of its maker's ratings, and marks that as such.

--through names a chain of the bench book, or parts of it with commas between.`,
		Example: `  opengauge foresee latest --through deck-tablet,barnacle
  opengauge foresee stick-long --through deck-tablet,barnacle --amount 400GB
  opengauge foresee stick-fan --through cabin-barnacle --json`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.foresee(arguments[0], through, amount)
		},
	}
	cmd.Flags().StringVar(&through, "through", "", "the chain: a name from the bench book, or parts with "+
		"commas between")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the forecast as JSON")
	env.addBenchFlag(cmd)
	amount.add(cmd)
	return cmd
}

// forecastRecord is the document of foresee --json.
type forecastRecord struct {
	Format string `json:"format"`
	predict.Forecast
	// Amounts are how long amounts took, and are expected to take.
	Amounts   []predict.Amount `json:"moves"`
	Simulated bool             `json:"simulated"`
}

func (e *environment) foresee(reference, through string, amount *amountFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	asked, err := amount.amounts()
	if err != nil {
		return err
	}
	if through == "" {
		return usageError{errors.New("say which chain with --through: a name from the bench book, or parts with " +
			"commas between")}
	}
	parts, setup, err := e.setup(through)
	if err != nil {
		return err
	}
	sessions, err := e.loadSessions([]string{reference})
	if drive, known := parts.Part(reference); err != nil && known && drive.Kind == book.Drive {
		return e.foreseeRated(drive, parts, through, notation) // nobody measured it yet
	}
	if err != nil {
		return err
	}
	if drive, ok := sessions[0].Part(book.Drive); ok {
		if setup, err = parts.ResolveWith(through, drive.Name); err != nil {
			return err
		}
	}
	made := predict.New(sessions[0], setup.Chain)
	amounts := predict.Amounts(sessions[0], setup.Chain, asked)
	if e.json {
		return e.writeJSON(forecastRecord{Format: "opengauge.forecast/1", Forecast: made,
			Amounts: amounts, Simulated: sessions[0].Simulated})
	}
	e.showForecast(sessions[0], made, through, notation)
	if len(amounts) > 0 {
		screen := e.screen()
		screen.Println("")
		screen.Table(table.ForecastAmounts(amounts))
	}
	return nil
}

// ratedRecord is the document of foresee --json for a part that was never measured.
type ratedRecord struct {
	Format      string          `json:"format"`
	Part        string          `json:"part"`
	FromRatings bool            `json:"from_ratings"`
	Chain       link.Chain      `json:"chain"`
	Ratings     []predict.Rated `json:"ratings"`
}

// foreseeRated shows how much of a drive's ratings a chain lets through.
func (e *environment) foreseeRated(drive book.Part, parts book.Book, through string, notation unit.Notation) error {
	setup, err := parts.ResolveWith(through, drive.Name)
	if err != nil {
		return usageError{err}
	}
	rated := predict.FromRatings(drive, setup.Chain)
	if len(rated) == 0 {
		return fmt.Errorf("no session %q is kept, and the bench book has no ratings of the drive %s; measure it, or add "+
			"what its maker states", drive.Name, drive.Name)
	}
	if e.json {
		return e.writeJSON(ratedRecord{Format: "opengauge.rated/1", Part: drive.Name, FromRatings: true,
			Chain: setup.Chain, Ratings: rated})
	}
	screen := e.screen()
	screen.Heading(drive.Name + " through " + through + ", from ratings: nothing was measured")
	screen.Println("")
	screen.ChainStrip(figure.NewChainStrip(setup.Chain, notation))
	screen.Println("")
	screen.Table(table.RatingsThrough(rated, notation))
	return nil
}

func (e *environment) showForecast(s *session.Session, made predict.Forecast, through string, notation unit.Notation) {
	screen := e.screen()
	screen.Heading(table.TargetName(s.Target.Address, s.Simulated) + " · session " + s.DisplayName() + ", through " +
		through)
	screen.Println("")
	screen.ChainStrip(figure.NewChainStrip(made.Chain, notation))
	screen.Println("")
	screen.Paragraph("", bindingSentence(made.Chain, notation))
	screen.Println("")
	if len(made.Passes) > 0 {
		screen.Table(table.Forecast(made, notation))
	}
}
