package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"

	fastjson "github.com/go-json-experiment/json"

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
	s, err := brief(l.database, id)
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
	return count > 0, err
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
	var document, account string
	err := l.database.QueryRow(`SELECT document, recorder FROM sessions WHERE id = $1`, id).Scan(&document, &account)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrRemoved
	}
	if err != nil {
		return nil, err
	}
	s := &session.Session{}
	if err := fastjson.Unmarshal([]byte(document), s); err != nil {
		return nil, err
	}
	s.Recorded(account)
	s.Passes, err = l.passes(id)
	return s, err
}

func (l *Logbook) passes(id string) ([]session.Pass, error) {
	rows, err := l.database.Query(`SELECT document, samples FROM passes WHERE session = $1 ORDER BY position`, id)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	passes := []session.Pass{}
	for rows.Next() {
		var document string
		var packed []byte
		if err := rows.Scan(&document, &packed); err != nil {
			return nil, err
		}
		var pass session.Pass
		if err := fastjson.Unmarshal([]byte(document), &pass); err != nil {
			return nil, err
		}
		if pass.Samples, err = l.unpackSamples(packed); err != nil {
			return nil, fmt.Errorf("samples of pass %d: %w", pass.Index, err)
		}
		passes = append(passes, pass)
	}
	return passes, rows.Err()
}
