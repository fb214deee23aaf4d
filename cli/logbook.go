package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/logbook"
	"opengauge/present/table"
)

func newLogbook(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "logbook",
		Short: "See what was measured before",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(newLogbookList(env), newLogbookShow(env))
	return cmd
}

func newLogbookList(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List the sessions, newest first",
		Example: "  opengauge logbook list\n  opengauge logbook list --json",
		Args:    cobra.NoArgs,
		RunE:    func(*cobra.Command, []string) error { return env.listSessions() },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the list as JSON")
	return cmd
}

// sessionList is what logbook list --json prints.
type sessionList struct {
	Format   string            `json:"format"`
	Logbook  string            `json:"logbook"`
	Sessions []logbook.Summary `json:"sessions"`
}

func (e *environment) listSessions() error {
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	summaries, err := book.List()
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(sessionList{Format: "opengauge.list/1", Logbook: book.Path(), Sessions: summaries})
	}
	if len(summaries) == 0 {
		e.screen().Println("The logbook " + book.Path() + " has no sessions yet.")
		return nil
	}
	e.screen().Table(table.Sessions(summaries))
	return nil
}

func newLogbookShow(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:               "show SESSION",
		Short:             "Show one session",
		Long:              "Show one session: its passes, its circumstances, and the trace of its long passes.\n\nSESSION is an id, the start of one, a name, or latest.",
		Example:           "  opengauge logbook show latest\n  opengauge logbook show stick-fan --json > stick-fan.json",
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE:              func(_ *cobra.Command, arguments []string) error { return env.showSession(arguments[0]) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the session as JSON")
	return cmd
}

func (e *environment) showSession(reference string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	sessions, err := e.loadSessions([]string{reference})
	if err != nil {
		return err
	}
	s := sessions[0]
	if e.json {
		return e.writeJSON(s)
	}
	screen := e.screen()
	screen.Heading(table.Marked(s.Target.Address, s.Simulated) + " · session " + s.DisplayName())
	showPasses(screen, s, notation)
	screen.Println("")
	screen.Table(table.Circumstances(s))
	showShapes(screen, s, notation)
	showTraces(screen, s, s.Findings, notation)
	return nil
}
