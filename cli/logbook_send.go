package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
	"opengauge/core/unit"
	"opengauge/present/term"
)

func newLogbookSend(env *environment) *cobra.Command {
	return &cobra.Command{
		Use:   "send",
		Short: "Send what waits on this machine to the logbook",
		Long: `Send what waits on this machine to the logbook. What is measured goes to this
machine's own disk first, and from there to the logbook. While its server is away, or
others hold it, it waits; every command that opens the logbook sends it, and this one does
nothing else. What is sent twice is there once.`,
		Example: "  opengauge logbook send --logbook postgres://bench-2@logbook.tidewrack/lab",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return env.send() },
	}
}

func (e *environment) send() error {
	place, err := e.path()
	if err != nil {
		return err
	}
	waiting, err := logbook.Waiting(place)
	if err != nil {
		return err
	}
	if len(waiting) == 0 {
		e.screen().Println("Nothing waits for the logbook " + place + ".")
		return nil
	}
	book, err := logbook.Create(e.ctx, place)
	if err != nil {
		return fmt.Errorf("%s still on this machine: %w", waitFor(len(waiting)), err)
	}
	defer book.Close()
	screen, sent := e.screen(), 0
	failed := book.TakeIn(func(id string) {
		sent++
		screen.Printf("sent session %s\n", term.Clean(id))
	})
	left, err := logbook.Waiting(place)
	switch {
	case failed != nil:
		return failed
	case err != nil:
		return err
	case len(left) > 0:
		screen.Println(waitFor(len(left)) + " still: other programs are measuring them, or send them now.")
	case sent == 0:
		screen.Println("Others have sent what waited.")
	}
	return nil
}

func waitFor(count int) string {
	if count == 1 {
		return "1 session waits"
	}
	return unit.Count(count, "session") + " wait"
}
