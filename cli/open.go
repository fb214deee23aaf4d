package cli

import (
	"encoding/json"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
)

// path is where the logbook is, or ought to be.
func (e *environment) path() (string, error) {
	if e.logbookPath != "" {
		return e.logbookPath, nil
	}
	return logbook.DefaultPath()
}

// openLogbook opens a logbook that has to be there.
func (e *environment) openLogbook() (*logbook.Logbook, error) {
	path, err := e.path()
	if err != nil {
		return nil, err
	}
	return logbook.Open(path)
}

// createLogbook opens the logbook, or makes it.
func (e *environment) createLogbook() (*logbook.Logbook, error) {
	path, err := e.path()
	if err != nil {
		return nil, err
	}
	return logbook.Create(path)
}

// loadSessions reads the sessions that the references mean, in their order.
func (e *environment) loadSessions(references []string) ([]*session.Session, error) {
	book, err := e.openLogbook()
	if err != nil {
		return nil, err
	}
	defer book.Close()
	sessions := make([]*session.Session, len(references))
	for i, reference := range references {
		if sessions[i], err = book.Load(reference); err != nil {
			return nil, err
		}
	}
	return sessions, nil
}

// writeJSON writes one document to standard output.
func (e *environment) writeJSON(document any) error {
	encoder := json.NewEncoder(e.stdout)
	encoder.SetIndent("", "  ")
	return encoder.Encode(document)
}

// completeSessions completes a SESSION: names, ids, and the word for the newest.
func (e *environment) completeSessions(_ *cobra.Command, _ []string, begun string) ([]string,
	cobra.ShellCompDirective) {
	book, err := e.openLogbook()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	defer book.Close()
	summaries, _, err := book.List(logbook.Filter{})
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	offers := []string{session.Latest}
	for _, s := range summaries {
		offers = append(offers, s.ID)
		if s.Name != "" {
			offers = append(offers, s.Name)
		}
	}
	var fitting []string
	for _, offer := range offers {
		if strings.HasPrefix(offer, begun) {
			fitting = append(fitting, offer)
		}
	}
	return fitting, cobra.ShellCompDirectiveNoFileComp
}
