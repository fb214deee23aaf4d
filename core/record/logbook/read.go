package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"opengauge/core/record/session"
)

// Load gives the session that a reference means: an id, a name, "latest", or
// the start of an id. A reference that means several is an error that lists
// them.
func (l *Logbook) Load(reference string) (*session.Session, error) {
	id, err := l.resolve(reference)
	if err != nil {
		return nil, err
	}
	s, err := l.load(id)
	if err != nil {
		return nil, fmt.Errorf("reading session %s from the logbook %s: %w", id, l.place, err)
	}
	return s, nil
}

// LoadBrief gives the session that a reference means, without its samples.
func (l *Logbook) LoadBrief(reference string) (*session.Session, error) {
	id, err := l.resolve(reference)
	if err != nil {
		return nil, err
	}
	s, err := l.brief(l.database, id)
	if err != nil {
		return nil, fmt.Errorf("reading session %s from the logbook %s: %w", id, l.place, err)
	}
	return s, nil
}

// Resolve gives the id of the session that a reference means.
func (l *Logbook) Resolve(reference string) (string, error) { return l.resolve(reference) }

// HasName says whether a session of that name is kept.
func (l *Logbook) HasName(name string) (bool, error) {
	var count int
	err := l.database.QueryRow(`SELECT count(*) FROM sessions WHERE name = $1`, name).Scan(&count)
	return count > 0, l.unusable(err)
}

func (l *Logbook) resolve(reference string) (string, error) {
	if reference == session.Latest {
		found, err := l.ids(`SELECT id FROM sessions` + newestFirst + ` LIMIT 1`)
		if err == nil && len(found) == 0 {
			err = fmt.Errorf("the logbook %s has no sessions yet; measure something first", l.place)
		}
		return first(found), err
	}
	ways := []struct{ query, argument string }{
		{`SELECT id FROM sessions WHERE id = $1`, reference},
		{`SELECT id FROM sessions WHERE name = $1`, reference},
		{`SELECT id FROM sessions WHERE id >= $1 AND id < $1 || '~' AND $1 <> ''`, reference},
	}
	for _, way := range ways {
		found, err := l.ids(way.query, way.argument)
		switch {
		case err != nil:
			return "", err
		case len(found) == 1:
			return found[0], nil
		case len(found) > 1:
			return "", fmt.Errorf("%q means several sessions: %s; give one of these ids", reference,
				strings.Join(found, ", "))
		}
	}
	return "", fmt.Errorf("no session %q in the logbook %s; see opengauge logbook list", reference, l.place)
}

func first(found []string) string {
	if len(found) == 0 {
		return ""
	}
	return found[0]
}

func (l *Logbook) ids(query string, arguments ...any) ([]string, error) {
	found, err := queryTexts(l.database, query, arguments...)
	if err != nil {
		return nil, l.unusable(err)
	}
	return found, nil
}

// ErrRemoved says that a session was removed by somebody else.
var ErrRemoved = errors.New("it was removed meanwhile")

func (l *Logbook) load(id string) (*session.Session, error) {
	s, err := l.outline(l.database, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrRemoved
	}
	if err != nil {
		return nil, err
	}
	if err := l.addSamples(s); err != nil {
		return nil, err
	}
	return s, checkRow(s, id)
}

// addSamples adds the samples of a session's passes.
func (l *Logbook) addSamples(s *session.Session) error {
	packed, err := l.packedSamples(s.ID)
	if err != nil {
		return err
	}
	for i := range s.Passes {
		pass := &s.Passes[i]
		if len(pass.Samples) == 0 {
			continue
		}
		found, ok := packed[i]
		if !ok {
			return fmt.Errorf("samples of pass %d are missing", pass.Index)
		}
		if pass.Samples, err = l.unpackSamples(found); err != nil {
			return fmt.Errorf("samples of pass %d: %w", pass.Index, err)
		}
	}
	return nil
}

// packedSamples returns the packed samples of a session's passes, by their place.
func (l *Logbook) packedSamples(id string) (map[int][]byte, error) {
	rows, err := l.database.Query(`SELECT position, samples FROM passes WHERE session = $1`, id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	packed := map[int][]byte{}
	for rows.Next() {
		var position int
		var samples []byte
		if err := rows.Scan(&position, &samples); err != nil {
			return nil, err
		}
		packed[position] = samples
	}
	return packed, rows.Err()
}
