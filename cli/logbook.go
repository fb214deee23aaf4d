package cli

import (
	"github.com/spf13/cobra"

	"opengauge/core/judge/finding"
	"opengauge/core/record/logbook"
	"opengauge/core/unit"
	"opengauge/present/table"
)

func newLogbook(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "logbook",
		Short: "See what was measured before, exchange it, and take care of it",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(
		newLogbookList(env), newLogbookShow(env), newLogbookTag(env), newLogbookNote(env), newLogbookQuote(env),
		newLogbookExport(env), newLogbookImport(env), newLogbookSend(env), newLogbookMerge(env),
		newLogbookPrepare(env), newLogbookRetention(env),
		newLogbookRemove(env), newLogbookCheck(env), newLogbookBackup(env),
	)
	return cmd
}

// listed is how many sessions a list shows where nobody says.
const listed = 50

func newLogbookList(env *environment) *cobra.Command {
	limit, filter := listed, &filterFlags{}
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List the sessions, newest first",
		Example: `  opengauge logbook list
  opengauge logbook list --tag deck --condition fan=on --since 72h
  opengauge logbook list --limit 0 --json`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return env.listSessions(filter, limit) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the list as JSON")
	cmd.Flags().IntVar(&limit, "limit", listed, "list so many at the most; 0 is all")
	filter.add(cmd)
	return cmd
}

// sessionList is the document of logbook list --json.
type sessionList struct {
	Format  string `json:"format"`
	Logbook string `json:"logbook"`
	Total   int    `json:"total"`
	// More says that there are more than that, which were not counted.
	More     bool              `json:"more,omitempty"`
	Sessions []logbook.Summary `json:"sessions"`
}

func (e *environment) listSessions(flags *filterFlags, limit int) error {
	filter, err := flags.filter(nil)
	if err != nil {
		return err
	}
	filter.Limit = limit
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	summaries, total, err := book.List(filter)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(sessionList{Format: "opengauge.list/1", Logbook: book.Place(), Total: total.Sessions,
			More: total.More, Sessions: summaries})
	}
	screen := e.screen()
	switch {
	case total.Sessions == 0 && filter.Narrow():
		screen.Println("No session in the logbook " + book.Place() + " is like that.")
	case total.Sessions == 0:
		screen.Println("The logbook " + book.Place() + " has no sessions yet.")
	default:
		screen.Table(table.Sessions(summaries))
	}
	if more := total.Sessions - len(summaries); more > 0 || total.More {
		over := ""
		if total.More {
			over = "more than "
		}
		screen.Printf("and %s%s older ones; --limit 0 lists all, and filters leave out others\n", over,
			unit.Grouped(int64(more)))
	}
	return nil
}

func newLogbookShow(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "show SESSION",
		Short: "Show one session",
		Long: "Show one session: its passes, its circumstances, and the trace of its long " +
			"passes.\n\nSESSION is an id, the start of one, a name, or latest.",
		Example: "  opengauge logbook show latest\n  opengauge logbook show stick-fan --json > " +
			"stick-fan.json",
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
	findings := finding.Detect(s, notation)
	screen := e.screen()
	screen.Heading(table.TargetName(s.Target.Address, s.Simulated) + " · session " + s.DisplayName())
	if len(s.Copies) > 0 {
		showCopyFigures(screen, s, findings, notation)
	} else {
		showPasses(screen, s, notation)
	}
	screen.Println("")
	screen.Table(table.Circumstances(s))
	showFigures(screen, subjectOf(s, findings, notation), len(s.Copies) == 0)
	return nil
}
