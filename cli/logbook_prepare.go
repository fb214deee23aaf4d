package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
)

func newLogbookPrepare(env *environment) *cobra.Command {
	var readers, benches []string
	command := &cobra.Command{
		Use:   "prepare",
		Short: "Make the logbook, or bring its layout up to date",
		Long: `Make the logbook, or bring its layout up to date. Measurements do it by themselves where
they may; in a database that a lab shares, only its keepers can (docs/lab.md). Keepers also say
which roles of the server read the logbook, and which are benches.`,
		Example: "  opengauge logbook prepare --logbook postgres://ada@logbook.tidewrack/lab\n" +
			"  opengauge logbook prepare --readers lab_reader --benches lab_bench",
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return env.prepareLogbook(readers, benches) },
	}
	command.Flags().StringSliceVar(&readers, "readers", nil, "roles of the server that may read the logbook")
	command.Flags().StringSliceVar(&benches, "benches", nil, "roles of the server that may keep sessions of "+
		"their own in it")
	return command
}

func (e *environment) prepareLogbook(readers, benches []string) error {
	place, err := e.path()
	if err != nil {
		return err
	}
	book, err := logbook.Create(e.ctx, place)
	if err != nil {
		return err
	}
	defer book.Close()
	if len(readers)+len(benches) > 0 {
		if err := book.Grant(readers, benches); err != nil {
			return err
		}
	}
	if err := e.warnOfExcess(book); err != nil {
		return err
	}
	e.screen().Println("The logbook " + book.Place() + " is ready.")
	return nil
}
