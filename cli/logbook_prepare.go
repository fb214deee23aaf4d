package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
)

func newLogbookPrepare(env *environment) *cobra.Command {
	return &cobra.Command{
		Use:   "prepare",
		Short: "Make the logbook, or bring its layout up to date",
		Long: `Make the logbook, or bring its layout up to date. Measurements do it by themselves where
they may; in a database that a lab shares, only its keepers can (docs/lab.md).`,
		Example: "  opengauge logbook prepare --logbook postgres://ada@logbook.tidewrack/lab",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return env.prepareLogbook() },
	}
}

func (e *environment) prepareLogbook() error {
	place, err := e.path()
	if err != nil {
		return err
	}
	book, err := logbook.Create(e.ctx, place)
	if err != nil {
		return err
	}
	defer book.Close()
	e.screen().Println("The logbook " + book.Place() + " is ready.")
	return nil
}
