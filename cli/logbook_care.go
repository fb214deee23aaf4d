package cli

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"opengauge/core/record/session"
	screens "opengauge/present/term"
)

func newLogbookTag(env *environment) *cobra.Command {
	remove := false
	cmd := &cobra.Command{
		Use:   "tag SESSION TAG...",
		Short: "Tag a session, so that filters find it",
		Example: "  opengauge logbook tag latest deck article\n  opengauge logbook tag stick-fan article " +
			"--remove",
		Args:              cobra.MinimumNArgs(2),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.tag(arguments[0],
				arguments[1:], remove)
		},
	}
	cmd.Flags().BoolVar(&remove, "remove", false, "take the tags off")
	return cmd
}

func (e *environment) tag(reference string, tags []string, remove bool) error {
	for _, tag := range tags {
		if err := session.CheckTag(tag); err != nil {
			return usageError{err}
		}
	}
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	id, err := book.Resolve(reference)
	if err != nil {
		return err
	}
	change := book.AddTags
	if remove {
		change = book.RemoveTags
	}
	if err := change(id, tags); err != nil {
		return err
	}
	left, err := book.Tags(id)
	if err != nil {
		return err
	}
	text := "no tags"
	if len(left) > 0 {
		text = strings.Join(left, ", ")
	}
	e.screen().Println("session " + id + ": " + text)
	return nil
}

func newLogbookRemove(env *environment) *cobra.Command {
	yes, filter := false, &filterFlags{}
	cmd := &cobra.Command{
		Use:               "remove [SESSION...]",
		Short:             "Remove sessions for good, after asking",
		Example:           "  opengauge logbook remove k3f9\n  opengauge logbook remove --tag trash --yes",
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.removeSessions(arguments,
				filter, yes)
		},
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	filter.add(cmd)
	return cmd
}

func (e *environment) removeSessions(references []string, flags *filterFlags, yes bool) error {
	filter, err := flags.filter(references)
	if err != nil {
		return err
	}
	if !filter.Narrow() {
		return usageError{errors.New("say which sessions to remove: by id or name, or with a filter")}
	}
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	summaries, _, err := book.List(filter)
	if err != nil {
		return err
	}
	if len(summaries) == 0 {
		return errors.New("no session is left by the filters; see opengauge logbook list")
	}
	var names []string
	for i, s := range summaries {
		if i == 10 {
			names = append(names, fmt.Sprintf("and %d more", len(summaries)-i))
			break
		}
		names = append(names, strings.TrimSpace(s.ID+" "+s.Name))
	}
	if !yes {
		if err := e.confirm(fmt.Sprintf("Remove %d sessions for good (%s)?", len(summaries),
			strings.Join(names, ", "))); err != nil {
			return err
		}
	}
	for _, s := range summaries {
		if err := book.Discard(s.ID); err != nil {
			return fmt.Errorf("could not remove session %s: %w", s.ID, err)
		}
	}
	e.screen().Printf("removed %d sessions\n", len(summaries))
	return nil
}

// confirm asks a question that only "yes" answers; without a terminal nobody can.
func (e *environment) confirm(question string) error {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return usageError{errors.New("nobody is there to be asked; say --yes to go on without asking")}
	}
	screens.NewScreen(e.stderr).Printf("%s Type yes: ", screens.Clean(question))
	answer, _ := bufio.NewReader(os.Stdin).ReadString('\n')
	if strings.TrimSpace(answer) != "yes" {
		return errors.New("nothing was removed")
	}
	return nil
}

func newLogbookCheck(env *environment) *cobra.Command {
	return &cobra.Command{
		Use:     "check",
		Short:   "Look for damage: read every session",
		Example: "  opengauge logbook check",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return env.checkLogbook() },
	}
}

func (e *environment) checkLogbook() error {
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	counter := screens.NewCounter(screens.NewScreen(e.stderr), "read", 0)
	faults, count, err := book.Check(func(done, _ int) { counter.Tell(done) })
	counter.Done()
	if err != nil {
		return err
	}
	screen := e.screen()
	for _, fault := range faults {
		screen.Paragraph("■ ", fault)
	}
	if len(faults) > 0 {
		return fmt.Errorf("the logbook %s has %d faults; restore a backup, or export what can be read into a new one",
			book.Path(), len(faults))
	}
	screen.Printf("%s: %d sessions, all of them can be read\n", screens.Clean(book.Path()), count)
	return nil
}

func newLogbookBackup(env *environment) *cobra.Command {
	return &cobra.Command{
		Use:     "backup FILE",
		Short:   "Write a copy of the logbook, also while it is used",
		Example: "  opengauge logbook backup logbook-may.db",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, arguments []string) error {
			book, err := env.openLogbook()
			if err != nil {
				return err
			}
			defer book.Close()
			if err := book.Backup(arguments[0]); err != nil {
				return err
			}
			env.screen().Println("wrote " + arguments[0])
			return nil
		},
	}
}
