package cli

import (
	"context"
	"encoding/json"
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/bench/host"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/present/term"
)

// path is where the logbook is, or ought to be.
func (e *environment) path() (string, error) {
	place := e.logbookPath
	if place == "" {
		var err error
		if place, err = logbook.DefaultPlace(); err != nil {
			return "", err
		}
	}
	if err := logbook.CheckPlace(place); err != nil {
		return "", usageError{err}
	}
	return place, nil
}

// openLogbook opens a logbook that has to be there.
func (e *environment) openLogbook() (*logbook.Logbook, error) { return e.openWith(logbook.Open) }

// createLogbook opens the logbook, or makes it.
func (e *environment) createLogbook() (*logbook.Logbook, error) { return e.openWith(logbook.Create) }

// openWith opens the logbook by a function, removes the leftovers of killed runs beside it, and
// takes in the sessions that wait there.
func (e *environment) openWith(open func(context.Context, string) (*logbook.Logbook, error)) (*logbook.Logbook, error) {
	path, err := e.path()
	if err != nil {
		return nil, err
	}
	if !logbook.Shared(path) {
		e.sweep(filepath.Dir(path))
	}
	book, err := open(e.ctx, path)
	if err == nil {
		book.OnDamage(e.tellDamage())
		e.tellLeft(errors.Join(e.takeIn(book), e.warnOfExcess(book)))
	}
	return book, err
}

// tellDamage returns a function that names rows of a logbook that cannot be used, each once.
func (e *environment) tellDamage() func(row string, why error) {
	named := map[string]bool{}
	return func(row string, why error) {
		if !named[row] {
			term.NewScreen(e.stderr).Paragraph("", term.Clean(row+" is damaged and was left out: "+oneLine(why)))
		}
		named[row] = true
	}
}

// tellDamaged names sessions that could not be read. Its error says that there may be others, which were not
// even found.
func (e *environment) tellDamaged(damaged *logbook.Damaged) error {
	tell := e.tellDamage()
	for i, id := range damaged.Sessions {
		tell("session "+id, errors.New(damaged.Reasons[i]))
	}
	return damaged.Unfound()
}

// warnOfExcess says which privileges of a server are wider than a lab needs, with the statements that take
// them away.
func (e *environment) warnOfExcess(book *logbook.Logbook) error {
	wide, err := book.Excess()
	for _, each := range wide {
		term.NewScreen(e.stderr).Paragraph("", term.Clean("the server of the logbook allows more than a lab needs: "+each))
	}
	return err
}

// takeIn stores the sessions of measurements that died, or found the logbook busy, and says so.
// Its error names those that still wait.
func (e *environment) takeIn(book *logbook.Logbook) error {
	screen := term.NewScreen(e.stderr)
	return book.TakeIn(func(id string) { screen.Printf("took in session %s, which was waiting\n", id) })
}

// tellLeft names the sessions that still wait.
func (e *environment) tellLeft(err error) {
	if err != nil {
		term.NewScreen(e.stderr).Printf("%s\n", term.Clean(oneLine(err)))
	}
}

// keeping opens the logbook for a new session and returns its keeper and a function that ends the
// keeping. A busy logbook is no hindrance.
func (e *environment) keeping(name string) (keeper *logbook.Keeper, end func() error, err error) {
	path, err := e.path()
	if err != nil {
		return nil, nil, err
	}
	book, err := e.createLogbook()
	switch {
	case err == nil:
		if err := mayBeNamed(book, name); err != nil && !logbook.Waits(err) {
			return nil, nil, errors.Join(err, book.Close())
		}
		if warning, err := book.Enlist(host.BenchName(), host.Machine()); err == nil && warning != "" {
			term.NewScreen(e.stderr).Paragraph("", warning)
		}
	case !logbook.Waits(err):
		return nil, nil, err
	}
	if err != nil {
		term.NewScreen(e.stderr).Paragraph("", term.Clean(oneLine(err))+"; what is measured waits on this machine")
	}
	keeper = logbook.Keep(path, book)
	return keeper, func() error {
		waits, err := keeper.Close()
		if waits != "" {
			term.NewScreen(e.stderr).Printf("%s\n", term.Clean(waits))
		}
		if book != nil {
			err = errors.Join(err, book.Close())
		}
		return err
	}, nil
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
	// The newest sessions, and those of that name: of very many nobody wants all.
	const offered = 200
	summaries, _, err := book.List(logbook.Filter{Limit: offered})
	if err == nil && begun != "" {
		var named []logbook.Summary
		named, _, err = book.List(logbook.Filter{Name: begun, Limit: offered})
		summaries = append(summaries, named...)
	}
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
		if strings.HasPrefix(offer, begun) && !slices.Contains(fitting, offer) {
			fitting = append(fitting, offer)
		}
	}
	return fitting, cobra.ShellCompDirectiveNoFileComp
}
