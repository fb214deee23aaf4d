package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/judge/value"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

func newValue(env *environment) *cobra.Command {
	through, filter := "", &filterFlags{}
	cmd := &cobra.Command{
		Use:   "value [SESSION...]",
		Short: "Say what the money buys",
		Long: `Value takes the prices of the bench book (drive, enclosure and cable; the host is
there already) and what sessions measured, and says what a terabyte and a MB/s
cost, for reads, writes, steady writes and reads of a full drive, and what each
moves for a joule where power was recorded. From the cheaper to the dearer it
says how much more money is how much more speed, and where it buys nothing.

With --through it judges in another chain: what its narrowest hop does not carry
is not bought.`,
		Example: `  opengauge value stick-long dunlin-long
  opengauge value --tag candidates --through deck-tablet
  opengauge value stick-long dunlin-long --json`,
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.value(arguments, through,
				filter)
		},
	}
	cmd.Flags().StringVar(&through, "through", "", "judge in this chain: a name from the bench book, or parts with "+
		"commas between")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the result as JSON")
	env.addBenchFlag(cmd)
	filter.add(cmd)
	return cmd
}

// valueRecord is what value --json prints.
type valueRecord struct {
	Format string `json:"format"`
	value.Value
}

func (e *environment) value(references []string, through string, flags *filterFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	filter, err := flags.filter(nil)
	if err != nil {
		return err
	}
	terms := value.Terms{Through: through}
	if terms.Book, err = e.book(); err != nil {
		return usageError{err}
	}
	sessions, err := e.wholeSessions(references, filter)
	if err != nil {
		return err
	}
	if through != "" {
		if _, err := terms.Book.Resolve(through); err != nil {
			return usageError{err}
		}
	}
	made, err := value.Of(sessions, terms, notation)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(valueRecord{"opengauge.value/1", made})
	}
	e.showValue(made, notation)
	return nil
}

func (e *environment) showValue(made value.Value, notation unit.Notation) {
	screen := e.screen()
	title := "What the money buys"
	if made.Through != "" {
		title += " through " + made.Through
	}
	screen.Heading(table.Marked(title, made.Simulated))
	screen.Table(table.Offers(made, notation))
	if bars, drawn := figure.Money(made, notation); drawn {
		screen.Println("")
		screen.Bars(bars)
	}
	if len(made.Steps) > 0 {
		screen.Println("")
	}
	for _, step := range made.Steps {
		screen.Paragraph("→ ", step.Verdict)
	}
}

// wholeSessions reads the sessions that are named, or else those that the filter
// means, oldest first.
func (e *environment) wholeSessions(references []string, filter logbook.Filter) ([]*session.Session, error) {
	brief, err := e.briefSessions(references, filter)
	if err != nil {
		return nil, err
	}
	ids := make([]string, len(brief))
	for i, s := range brief {
		ids[i] = s.ID
	}
	return e.loadSessions(ids)
}
