package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
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
		if err := e.confirm(fmt.Sprintf("Remove %s for good (%s)?", unit.Count(len(summaries), "session"),
			strings.Join(names, ", "))); err != nil {
			return err
		}
	}
	for _, s := range summaries {
		if err := book.Discard(s.ID); err != nil {
			return fmt.Errorf("could not remove session %s: %w", s.ID, err)
		}
	}
	e.screen().Printf("removed %s\n", unit.Count(len(summaries), "session"))
	return nil
}

// confirm asks a question that only "yes" answers; without a terminal nobody can.
func (e *environment) confirm(question string) error {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return usageError{errors.New("nobody is there to be asked; say --yes to go on without asking")}
	}
	screens.NewScreen(e.stderr).Printf("%s Type yes: ", screens.Clean(question))
	if answerTo(e.ctx) != "yes" {
		return errors.New("nothing was removed")
	}
	return nil
}

func newLogbookCheck(env *environment) *cobra.Command {
	repaired := ""
	cmd := &cobra.Command{
		Use:   "check",
		Short: "Look for damage: read every session",
		Example: "  opengauge logbook check\n" +
			"  opengauge logbook check --repair saved.db   write what can be read into a new logbook",
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if repaired != "" {
				return env.repairLogbook(repaired)
			}
			return env.checkLogbook()
		},
	}
	cmd.Flags().StringVar(&repaired, "repair", "", "write all sessions that can be read into this new logbook, and "+
		"name the others")
	return cmd
}

// repairLogbook saves every session that can be read.
func (e *environment) repairLogbook(name string) error {
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	counter := screens.NewCounter(screens.NewScreen(e.stderr), "read", 0)
	done, damaged, err := book.Repair(name, func(read, _ int) { counter.Tell(read) })
	counter.Finish()
	if err != nil {
		return err
	}
	e.screen().Printf("wrote %s to %s\n", unit.Count(done.Added, "session"), screens.Clean(name))
	return e.tellDamaged(damaged)
}

func (e *environment) checkLogbook() error {
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	counter := screens.NewCounter(screens.NewScreen(e.stderr), "read", 0)
	faults, count, err := book.Check(func(done, _ int) { counter.Tell(done) })
	counter.Finish()
	if err != nil {
		return err
	}
	screen := e.screen()
	for _, fault := range faults {
		screen.Paragraph("■ ", fault)
	}
	if len(faults) > 0 {
		return fmt.Errorf("the logbook %s has %d faults; restore a backup, or save what can be "+
			"read with --repair FILE",
			book.Place(), len(faults))
	}
	screen.Printf("%s: %s, and nothing is damaged\n", screens.Clean(book.Place()), unit.Count(count, "session"))
	return nil
}

// backup writes a copy of the logbook to a new file, or into a pipe or a device.
func (e *environment) backup(book *logbook.Logbook, name string) (err error) {
	if !streamed(name) {
		e.sweep(filepath.Dir(name))
		return book.Backup(name)
	}
	e.sweep(os.TempDir())
	home, err := scratch.In(os.TempDir())
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, home.Close()) }()
	made, err := home.Name("backup")
	if err != nil {
		return err
	}
	if err := book.Backup(made); err != nil {
		return err
	}
	return e.writeFile(name, func(w io.Writer) error {
		file, err := os.Open(made)
		if err != nil {
			return err
		}
		defer file.Close()
		_, err = io.Copy(w, file)
		return err
	})
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
			if err := env.backup(book, arguments[0]); err != nil {
				return err
			}
			env.wrote(arguments[0])
			return nil
		},
	}
}
