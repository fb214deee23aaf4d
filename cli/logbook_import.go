package cli

import (
	"errors"
	"fmt"
	"iter"
	"slices"

	"github.com/spf13/cobra"

	"opengauge/core/record/exchange"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/term"
)

func newLogbookImport(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "import FILE...",
		Short: "Add sessions from files, or another logbook whole",
		Long: `Import adds the sessions of files that export wrote (JSON, CSV or Parquet; tables
of samples go with the tables of passes in the same command), those that a report's
page carries, or all of another lab's logbook. A session that is there already is left as it is, so that importing
twice changes nothing; one that has the same id and differs is told.`,
		Example: `  opengauge logbook import deck.json.gz
  opengauge logbook import passes.parquet samples.parquet
  opengauge logbook import report.html
  opengauge logbook import ../other-lab/logbook.db`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, arguments []string) error { return env.importSessions(arguments) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print what was done as JSON")
	return cmd
}

// importRecord is the document of logbook import --json.
type importRecord struct {
	Format string `json:"format"`
	logbook.Imported
}

func (e *environment) importSessions(names []string) (err error) {
	book, err := e.createLogbook()
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	done := logbook.Imported{Conflicting: []string{}}
	add := func(more logbook.Imported) {
		done.Added, done.Known = done.Added+more.Added, done.Known+more.Known
		done.Conflicting = append(done.Conflicting, more.Conflicting...)
	}
	var files []string
	var lost error
	for _, name := range names {
		if !logbook.IsLogbook(name) {
			files = append(files, name)
			continue
		}
		counter := term.NewCounter(term.NewScreen(e.stderr), "read", 0)
		merged, damaged, err := book.MergeFrom(name, func(read, _ int) { counter.Tell(read) })
		counter.Finish()
		if add(merged); err != nil {
			return e.importFailed(done, err)
		}
		lost = errors.Join(lost, e.tellDamaged(damaged))
	}
	counter := term.NewCounter(term.NewScreen(e.stderr), "read", 0)
	imported, err := book.Import(counted(exchange.Read(files), counter.Tell))
	counter.Finish()
	if add(imported); err != nil {
		return e.importFailed(done, err)
	}
	if slices.ContainsFunc(files, exchange.IsPage) {
		term.NewScreen(e.stderr).Paragraph("", "A page's checksum finds what was damaged on the way. It proves nothing of "+
			"who wrote the page, or that its figures are true.")
	}
	return errors.Join(e.showImported(done), lost)
}

// counted tells how far a sequence is.
func counted(sessions iter.Seq2[*session.Session, error], tell func(int)) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		count := 0
		for s, err := range sessions {
			if !yield(s, err) {
				return
			}
			count++
			tell(count)
		}
	}
}

// importFailed is the error of an import that failed, with the number of sessions kept.
func (e *environment) importFailed(done logbook.Imported, err error) error {
	if done.Added == 0 {
		return err
	}
	return fmt.Errorf("%w; what was read before that was added and kept: %s", err, unit.Count(done.Added, "session"))
}

func (e *environment) showImported(done logbook.Imported) error {
	if e.json {
		return e.writeJSON(importRecord{"opengauge.import/1", done})
	}
	screen := e.screen()
	screen.Printf("added %s; %d already there\n", unit.Count(done.Added, "session"), done.Known)
	for _, id := range done.Conflicting {
		screen.Paragraph("  ", "session "+id+" is there already and differs; the logbook's own was kept")
	}
	return nil
}
