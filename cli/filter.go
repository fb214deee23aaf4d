package cli

import (
	"fmt"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
)

// filterFlags say which sessions of the logbook are meant.
type filterFlags struct {
	name, plan, since, until string
	tags, conditions         []string
}

func (f *filterFlags) add(cmd *cobra.Command) {
	set := cmd.Flags()
	set.StringVar(&f.name, "name", "", "only sessions whose name holds this")
	set.StringVar(&f.plan, "plan", "", "only sessions of this plan")
	set.StringArrayVar(&f.tags, "tag", nil, "only sessions with this tag; may be repeated")
	set.StringArrayVar(&f.conditions, "condition", nil, "only sessions with this key=value; may be repeated")
	set.StringVar(&f.since, "since", "", "only sessions from this day on, or from so long ago: 2026-05-01, "+
		"2026-05-01T12:00:00Z, 72h")
	set.StringVar(&f.until, "until", "", "only sessions before this day, or before so long ago")
	_ = cmd.RegisterFlagCompletionFunc("plan", completePlans)
}

// filter reads the flags. Every error is one of usage.
func (f *filterFlags) filter(references []string) (logbook.Filter, error) {
	made := logbook.Filter{References: references, Name: f.name, Plan: f.plan, Tags: f.tags}
	var err error
	if made.Conditions, err = session.ParseConditions(f.conditions); err != nil {
		return made, usageError{err}
	}
	if made.Since, err = parseMoment("since", f.since); err != nil {
		return made, err
	}
	made.Until, err = parseMoment("until", f.until)
	return made, err
}

// parseMoment reads a day, a time, or how long ago.
func parseMoment(flag, text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04", "2006-01-02"} {
		if moment, err := time.ParseInLocation(layout, text, time.Local); err == nil {
			return moment, nil
		}
	}
	if ago, err := time.ParseDuration(text); err == nil && ago >= 0 {
		return time.Now().Add(-ago), nil
	}
	return time.Time{}, usageError{fmt.Errorf("--%s %q is no day, no time and no duration; write 2026-05-01, "+
		"2026-05-01T12:00:00Z or 72h", flag, text)}
}

// briefSessions reads the sessions that are named, or else those that the filter
// means, the oldest first, without their samples.
func (e *environment) briefSessions(references []string, filter logbook.Filter) ([]*session.Session, error) {
	book, err := e.openLogbook()
	if err != nil {
		return nil, err
	}
	defer book.Close()
	ids, err := meant(book, references, filter)
	if err != nil {
		return nil, err
	}
	sessions := make([]*session.Session, 0, len(ids))
	for s, err := range book.Briefs(ids) {
		if err != nil {
			return nil, err
		}
		sessions = append(sessions, s)
	}
	return sessions, nil
}

// meant are the ids of the sessions that are named, or else those that the filter means, the
// oldest first.
func meant(book *logbook.Logbook, references []string, filter logbook.Filter) (ids []string, err error) {
	filter.References = nil
	if len(references) == 0 {
		ids, err = book.IDs(filter)
		slices.Reverse(ids)
		return ids, err
	}
	ids = make([]string, len(references))
	for i, reference := range references {
		if ids[i], err = book.Resolve(reference); err != nil {
			return nil, err
		}
	}
	return ids, nil
}
