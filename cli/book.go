package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/input"
	"opengauge/examples"
)

// bookName is where the bench book is looked for where nobody says.
const bookName = "bench.yaml"

// addBenchFlag lets a command be told where the bench book is.
func (e *environment) addBenchFlag(cmd *cobra.Command) {
	cmd.Flags().StringVar(&e.benchPath, "bench", "",
		"the bench book (default $OPENGAUGE_BENCH, or "+bookName+" in this folder, or the demo's)")
	_ = cmd.RegisterFlagCompletionFunc("through", func(*cobra.Command, []string, string) ([]string,
		cobra.ShellCompDirective) {
		parts, err := e.book()
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return parts.Names(), cobra.ShellCompDirectiveNoFileComp
	})
}

// book reads the bench book: the one that is named, the one that lies here, or
// the demo's, so that examples work anywhere.
func (e *environment) book() (book.Book, error) {
	named := e.benchPath
	if named == "" {
		named = os.Getenv("OPENGAUGE_BENCH")
	}
	if named != "" {
		return book.Load(named)
	}
	here, err := book.Load(bookName)
	if errors.Is(err, os.ErrNotExist) {
		return demoBook()
	}
	return here, err
}

// bookSource is the text of the bench book that book reads, and its name.
func (e *environment) bookSource() (name string, source []byte, err error) {
	name = cmp.Or(e.benchPath, os.Getenv("OPENGAUGE_BENCH"), bookName)
	source, err = input.ReadFile(name, input.Text)
	if errors.Is(err, os.ErrNotExist) && name == bookName {
		return examples.BenchName, examples.Bench, nil
	}
	return name, source, err
}

// setup resolves the value of --through by the bench book.
func (e *environment) setup(through string) (book.Book, book.Setup, error) {
	parts, err := e.book()
	if err != nil {
		return book.Book{}, book.Setup{}, usageError{err}
	}
	setup, err := parts.Resolve(through)
	if err != nil {
		return book.Book{}, book.Setup{}, usageError{fmt.Errorf("--through: %w", err)}
	}
	return parts, setup, nil
}
