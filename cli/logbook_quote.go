package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/present/table"
)

// quoteFlags holds the flags of quote.
type quoteFlags struct {
	source, date, set string
	remove            bool
}

func newLogbookQuote(env *environment) *cobra.Command {
	flags := &quoteFlags{}
	cmd := &cobra.Command{
		Use:   "quote [PART LOAD VALUE]",
		Short: "Keep figures that others published, to stand beside what was measured",
		Long: `Quote keeps a figure that somebody else published: of which part, at which load, what,
where and when. Compare, rank and reports show it beside what was measured of the
same part, marked, with a warning where the loads differ; it takes part in no
comparison. Without arguments it lists what is kept.

PART is a name of the bench book or a device's model, LOAD a load as tables write it,
VALUE a figure with its unit: 2900MB/s, "95000 IOPS" or 84us. Figures of one source
can be given a name together (--set). The bench book may have them too ("quoted").`,
		Example: `  opengauge logbook quote sandpiper "write sequential 1 MiB, depth 8" 2900MB/s --source "Tideline Review"
  opengauge logbook quote dunlin "read random 4 KiB, depth 32" "410000 IOPS" --source "maker's sheet" --set sheets
  opengauge logbook quote
  opengauge logbook quote --remove --set sheets`,
		Args: func(_ *cobra.Command, arguments []string) error {
			if len(arguments) != 0 && len(arguments) != 3 && !(flags.remove && len(arguments) == 1) {
				return usageError{errors.New("a quoted figure is PART LOAD VALUE; see opengauge logbook quote --help")}
			}
			return nil
		},
		RunE: func(_ *cobra.Command, arguments []string) error { return env.quote(arguments, flags) },
	}
	set := cmd.Flags()
	set.StringVar(&flags.source, "source", "", "where it was published")
	set.StringVar(&flags.date, "date", "", "when, like 2026-05-01")
	set.StringVar(&flags.set, "set", "", "the collection of figures that it belongs to")
	set.BoolVar(&flags.remove, "remove", false, "forget the figures of PART, or of a --set")
	set.BoolVar(&env.json, "json", false, "print what is kept as JSON")
	return cmd
}

// quotesRecord is the document of logbook quote --json.
type quotesRecord struct {
	Format string       `json:"format"`
	Quotes []book.Quote `json:"quotes"`
}

func (e *environment) quote(arguments []string, flags *quoteFlags) error {
	if flags.remove {
		return e.forgetQuotes(arguments, flags)
	}
	if len(arguments) == 3 {
		return e.keepQuote(arguments, flags)
	}
	notation, err := e.notation()
	if err != nil {
		return err
	}
	kept, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer kept.Close()
	quotes, err := kept.Quotes()
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(quotesRecord{"opengauge.quotes/1", append([]book.Quote{}, quotes...)})
	}
	screen := e.screen()
	if len(quotes) == 0 {
		screen.Println("No quoted figures are kept.")
		return nil
	}
	screen.Table(table.Quotes(quotes, notation))
	return nil
}

func (e *environment) keepQuote(arguments []string, flags *quoteFlags) error {
	q, err := book.ParseQuote(arguments[0], arguments[1], arguments[2])
	if err != nil {
		return usageError{err}
	}
	if flags.source == "" {
		return usageError{errors.New("say where it was published with --source")}
	}
	if flags.date != "" {
		if q.Date, err = book.ParseDate(flags.date); err != nil {
			return usageError{fmt.Errorf("--date: %w", err)}
		}
	}
	q.Source, q.Set = flags.source, flags.set
	for _, text := range []string{q.Part, q.Source, q.Set} {
		if err := session.CheckPrintable("quoted figure", text); err != nil {
			return usageError{err}
		}
	}
	kept, err := e.createLogbook()
	if err != nil {
		return err
	}
	defer kept.Close()
	if err := kept.AddQuote(q); err != nil {
		return err
	}
	notation, err := e.notation()
	if err != nil {
		return err
	}
	e.screen().Paragraph("", fmt.Sprintf("%s: %s, %s, quoted from %s", q.Part, q.Load.Long(), q.Text(notation), q.Source))
	return nil
}

func (e *environment) forgetQuotes(arguments []string, flags *quoteFlags) error {
	part := ""
	if len(arguments) > 0 {
		part = arguments[0]
	}
	if part == "" && flags.set == "" {
		return usageError{errors.New("say which figures: a PART, or a --set")}
	}
	kept, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer kept.Close()
	count, err := kept.RemoveQuotes(part, flags.set)
	if count > 0 || err == nil {
		e.screen().Printf("forgot %d quoted figures\n", count)
	}
	return err
}

// quotes returns the quoted figures of the bench book and of the logbook. A bench book that cannot
// be read counts as one without quotes.
func (e *environment) quotes(kept *logbook.Logbook) ([]book.Quote, error) {
	quotes, err := kept.Quotes()
	if err != nil {
		return nil, err
	}
	if bench, err := e.book(); err == nil {
		quotes = append(quotes, bench.Quoted...)
	}
	return quotes, nil
}

// allQuotes returns the quotes of the bench book and of the command's logbook.
func (e *environment) allQuotes() ([]book.Quote, error) {
	kept, err := e.openLogbook()
	if err != nil {
		return nil, err
	}
	defer kept.Close()
	return e.quotes(kept)
}
