package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"opengauge/core/judge/value"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

func newValue(env *environment) *cobra.Command {
	flags := &valueFlags{}
	cmd := &cobra.Command{
		Use:   "value [SESSION...]",
		Short: "Say what the money buys",
		Long: `Value takes the prices of the bench book (drive, enclosure and cable; the host is
there already) and what sessions measured, and says what a terabyte and a MB/s
cost, for reads, writes, steady writes and reads of a full drive, and what each
moves for a joule where power was recorded. From the cheaper to the dearer it
says how much more money is how much more speed, and where it buys nothing.

With --through it judges in another chain: what its narrowest hop does not carry
is not bought. With --amount it says how long amounts take; copies and starts are
held against each other by their time.

With --candidates it judges what nobody measured yet, from ratings and prices of the
bench book and what the chain lets through.`,
		Example: `  opengauge value stick-long dunlin-long
  opengauge value --tag candidates --through deck-tablet
  opengauge value stick-long dunlin-long --amount 400GB --daily 50GB
  opengauge value --candidates curlew+limpet,sandpiper+limpet,dunlin+barnacle --through deck-tablet
  opengauge value stick-long dunlin-long --json`,
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.value(arguments, flags)
		},
	}
	set := cmd.Flags()
	set.StringVar(&flags.through, "through", "", "judge in this chain: a name from the bench book, or parts with "+
		"commas between")
	set.StringSliceVar(&flags.candidates, "candidates", nil, "judge parts that nobody measured, from ratings: names of "+
		"the bench book, with a plus between those that belong together")
	set.BoolVar(&flags.withHost, "with-host", false, "count the host's price too")
	set.StringVar(&flags.daily, "daily", "", "say for how many years the endurance lasts at so much a day, like 50GB")
	flags.amount.add(cmd)
	cmd.Flags().BoolVar(&env.json, "json", false, "print the result as JSON")
	env.addBenchFlag(cmd)
	flags.filter.add(cmd)
	return cmd
}

// valueFlags holds the flags of value.
type valueFlags struct {
	through, daily string
	candidates     []string
	withHost       bool
	amount         amountFlags
	filter         filterFlags
}

// terms reads the flags. Every error is one of usage.
func (f *valueFlags) terms() (value.Terms, error) {
	terms := value.Terms{Through: f.through, WithHost: f.withHost}
	var err error
	if terms.Amounts, err = f.amount.amounts(); err != nil {
		return terms, err
	}
	if f.daily != "" {
		if terms.Daily, err = unit.ParseBytes(f.daily); err != nil {
			return terms, usageError{fmt.Errorf("--daily: %w", err)}
		}
	}
	return terms, nil
}

// valueRecord is the document of value --json.
type valueRecord struct {
	Format string `json:"format"`
	value.Value
}

func (e *environment) value(references []string, flags *valueFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	filter, err := flags.filter.filter(nil)
	if err != nil {
		return err
	}
	terms, err := flags.terms()
	if err != nil {
		return err
	}
	if terms.Book, err = e.book(); err != nil {
		return usageError{err}
	}
	if terms.Through != "" {
		if _, err := terms.Book.Resolve(terms.Through); err != nil {
			return usageError{err}
		}
	}
	made, err := e.judgeValue(references, filter, flags.candidates, terms, notation)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(valueRecord{"opengauge.value/1", made})
	}
	e.showValue(made, notation)
	return nil
}

// judgeValue judges the named sessions, or candidates that nobody measured yet.
func (e *environment) judgeValue(references []string, filter logbook.Filter, candidates []string, terms value.Terms,
	notation unit.Notation) (value.Value, error) {
	if len(candidates) > 0 {
		if len(references) > 0 {
			return value.Value{}, usageError{errors.New("--candidates are judged from ratings; leave out sessions")}
		}
		made, err := value.Candidates(candidates, terms, notation)
		if err != nil {
			err = usageError{err}
		}
		return made, err
	}
	sessions, err := e.wholeSessions(references, filter)
	if err != nil {
		return value.Value{}, err
	}
	return value.Of(sessions, terms, notation)
}

func (e *environment) showValue(made value.Value, notation unit.Notation) {
	screen := e.screen()
	title := "What the money buys"
	if made.Through != "" {
		title += " through " + made.Through
	}
	screen.Heading(table.TargetName(title, made.Simulated))
	screen.Table(table.Offers(made, notation))
	if times := table.OfferTimes(made); len(times.Rows) > 0 {
		screen.Println("")
		screen.Table(times)
	}
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
