package cli

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
	"opengauge/core/unit"
	"opengauge/present/term"
)

func newLogbookRetention(env *environment) *cobra.Command {
	samples, sessions, apply, yes := "", "", false, false
	cmd := &cobra.Command{
		Use:   "retention",
		Short: "Say, or agree on, how long sessions and their samples are kept",
		Long: `Say how long a logbook keeps sessions, and what is older. With --samples or --sessions it is
agreed on: samples take most of the room, and the figures of passes stay without them.
Nothing is removed by itself: --apply does it, after asking. Sessions tagged keep stay.
In a logbook that a lab shares, its keepers agree on it.`,
		Example: `  opengauge logbook retention
  opengauge logbook retention --samples 180d --sessions 5y
  opengauge logbook retention --apply`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error { return env.retention(samples, sessions, apply, yes) },
	}
	cmd.Flags().StringVar(&samples, "samples", "", "keep samples for so long: 180d, 5y, or forever")
	cmd.Flags().StringVar(&sessions, "sessions", "", "keep sessions for so long: 180d, 5y, or forever")
	cmd.Flags().BoolVar(&apply, "apply", false, "remove what is older")
	cmd.Flags().BoolVar(&yes, "yes", false, "with --apply: do not ask")
	cmd.Flags().BoolVar(&env.json, "json", false, "print it as JSON")
	return cmd
}

// retentionRecord is the document of logbook retention --json.
type retentionRecord struct {
	Format string `json:"format"`
	logbook.Retention
	Expired logbook.Expired `json:"expired"`
}

// forever is how long things are kept where nobody says.
const forever = "forever"

// parseDays reads for how many days something is kept; 0 is for ever.
func parseDays(text string) (int, error) {
	if text == forever {
		return 0, nil
	}
	for ending, days := range map[string]int{"d": 1, "w": 7, "y": 365} {
		if number, ok := strings.CutSuffix(text, ending); ok {
			count, err := strconv.Atoi(number)
			if err == nil && count > 0 && count <= 100_000/days {
				return count * days, nil
			}
		}
	}
	return 0, fmt.Errorf("%q is no time to keep something for; write days, weeks or years like 180d, 26w or 5y, or "+
		"forever", text)
}

func (e *environment) retention(samples, sessions string, apply, yes bool) error {
	book, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer book.Close()
	agreed, err := e.agree(book, samples, sessions)
	if err != nil {
		return err
	}
	found, err := book.Expired(agreed, time.Now())
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(retentionRecord{"opengauge.retention/1", agreed, logbook.Expired{
			Sessions: append([]string{}, found.Sessions...), Samples: append([]string{}, found.Samples...)}})
	}
	screen := e.screen()
	screen.Println("samples are kept " + forWords(agreed.SampleDays) + "; " + unit.Count(len(found.Samples),
		"session has older ones", "sessions have older ones"))
	screen.Println("sessions are kept " + forWords(agreed.SessionDays) + "; " + unit.Count(len(found.Sessions), "is older",
		"are older"))
	if !apply || len(found.Samples)+len(found.Sessions) == 0 {
		return nil
	}
	if !yes {
		if err := e.confirm(fmt.Sprintf("Remove %s and the samples of %s for good?", unit.Count(len(found.Sessions),
			"session"), unit.Count(len(found.Samples), "session"))); err != nil {
			return err
		}
	}
	counter := term.NewCounter(term.NewScreen(e.stderr), "removed", len(found.Samples)+len(found.Sessions))
	err = book.Expire(found, counter.Tell)
	counter.Finish()
	if err == nil {
		screen.Printf("removed %s, and the samples of %s\n", unit.Count(len(found.Sessions), "session"),
			unit.Count(len(found.Samples), "session"))
	}
	return err
}

func forWords(days int) string {
	if days == 0 {
		return "for ever"
	}
	return "for " + unit.Count(days, "day")
}

// agree changes the retention as asked, and returns the one then in force.
func (e *environment) agree(book *logbook.Logbook, samples, sessions string) (logbook.Retention, error) {
	agreed, err := book.Retention()
	if err != nil || samples == "" && sessions == "" {
		return agreed, err
	}
	var errs error
	if samples != "" {
		agreed.SampleDays, err = parseDays(samples)
		errs = errors.Join(errs, err)
	}
	if sessions != "" {
		agreed.SessionDays, err = parseDays(sessions)
		errs = errors.Join(errs, err)
	}
	if errs != nil {
		return agreed, usageError{errs}
	}
	return agreed, book.SetRetention(agreed)
}
