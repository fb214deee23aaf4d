package cli

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"opengauge/core/bench"
)

// bookName is where the bench book is looked for where nobody says.
const bookName = "bench.yaml"

// addBenchFlag lets a command be told where the bench book is.
func (e *environment) addBenchFlag(cmd *cobra.Command) {
	cmd.Flags().StringVar(&e.benchPath, "bench", "", "the bench book (default $OPENGAUGE_BENCH, or "+bookName+" in this folder, or the demo's)")
	_ = cmd.RegisterFlagCompletionFunc("through", func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
		book, err := e.book()
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return book.Names(), cobra.ShellCompDirectiveNoFileComp
	})
}

// book reads the bench book: the one that is named, the one that lies here, or
// the demo's, so that examples work anywhere.
func (e *environment) book() (bench.Book, error) {
	named := e.benchPath
	if named == "" {
		named = os.Getenv("OPENGAUGE_BENCH")
	}
	if named != "" {
		return bench.Load(named)
	}
	book, err := bench.Load(bookName)
	if errors.Is(err, os.ErrNotExist) {
		return demoBook()
	}
	return book, err
}

// setup resolves what --through names, by the bench book.
func (e *environment) setup(through string) (bench.Book, bench.Setup, error) {
	book, err := e.book()
	if err != nil {
		return bench.Book{}, bench.Setup{}, usageError{err}
	}
	setup, err := book.Resolve(through)
	if err != nil {
		return bench.Book{}, bench.Setup{}, usageError{fmt.Errorf("--through: %w", err)}
	}
	return book, setup, nil
}
