package logbook

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"opengauge/core/session"
)

// Summary is a session in a list.
type Summary struct {
	ID        string        `json:"id"`
	Name      string        `json:"name"`
	Started   time.Time     `json:"started"`
	State     session.State `json:"state"`
	Simulated bool          `json:"simulated"`
	Plan      string        `json:"plan"`
	Target    string        `json:"target"`
	Passes    int           `json:"passes"`
	Tags      []string      `json:"tags"`
}

// Filter says which sessions are meant; the zero value means all of them.
type Filter struct {
	// References are ids, starts of ids, names, or the word for the newest.
	References []string
	// Name is a part of the name.
	Name string
	Tags []string
	// Conditions that a session must have.
	Conditions map[string]string
	Plan       string
	Since      time.Time
	Until      time.Time
	// Limit is the most that are given, newest first; 0 is all.
	Limit int
}

// Narrow says whether the filter leaves anything out but by its limit.
func (f Filter) Narrow() bool {
	return len(f.References)+len(f.Tags)+len(f.Conditions) > 0 || f.Name != "" || f.Plan != "" || !f.Since.IsZero() || !f.Until.IsZero()
}

// newestFirst is the order of lists, and what "latest" means: of two sessions
// that started in the same millisecond, the one that was kept last.
const newestFirst = ` ORDER BY started_ms DESC, rowid DESC`

// where writes the filter as SQL.
func (l *Logbook) where(f Filter) (string, []any, error) {
	var clauses []string
	var arguments []any
	add := func(clause string, values ...any) {
		clauses, arguments = append(clauses, clause), append(arguments, values...)
	}
	if len(f.References) > 0 {
		ids := make([]string, len(f.References))
		for at, reference := range f.References {
			id, err := l.resolve(reference)
			if err != nil {
				return "", nil, err
			}
			ids[at] = id
		}
		add(`id IN (SELECT value FROM json_each(?))`, jsonList(ids))
	}
	if f.Name != "" {
		// The index of names is a hundredth of the table.
		add(`rowid IN (SELECT rowid FROM sessions INDEXED BY sessions_name WHERE name LIKE ? ESCAPE '\')`, "%"+likeEscapes.Replace(f.Name)+"%")
	}
	if f.Plan != "" {
		add(`plan = ?`, f.Plan)
	}
	for _, tag := range f.Tags {
		add(`id IN (SELECT session FROM tags WHERE tag = ?)`, tag)
	}
	for _, key := range slices.Sorted(maps.Keys(f.Conditions)) {
		add(`id IN (SELECT session FROM conditions WHERE key = ? AND value = ?)`, key, f.Conditions[key])
	}
	if !f.Since.IsZero() {
		add(`started_ms >= ?`, f.Since.UnixMilli())
	}
	if !f.Until.IsZero() {
		add(`started_ms < ?`, f.Until.UnixMilli())
	}
	if len(clauses) == 0 {
		return "", nil, nil
	}
	return ` WHERE ` + strings.Join(clauses, ` AND `), arguments, nil
}

// likeEscapes keep a text from being a pattern.
var likeEscapes = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

func jsonList(texts []string) string {
	document, _ := json.Marshal(texts) // a list of texts is always JSON
	return string(document)
}

// List gives the sessions that a filter means, newest first, and how many there are
// beside its limit.
func (l *Logbook) List(f Filter) ([]Summary, int, error) {
	where, arguments, err := l.where(f)
	if err != nil {
		return nil, 0, err
	}
	total := 0
	if where == "" {
		err = l.database.QueryRow(`SELECT count(*) FROM sessions`).Scan(&total)
	} else { // going over them once gives both
		var ids []string
		ids, err = queryTexts(l.database, `SELECT id FROM sessions`+where+newestFirst, arguments...)
		total = len(ids)
		if f.Limit > 0 {
			ids = ids[:min(f.Limit, len(ids))]
		}
		where, arguments = ` WHERE id IN (SELECT value FROM json_each(?))`, []any{jsonList(ids)}
	}
	if err != nil {
		return nil, 0, l.unusable(err)
	}
	summaries, err := l.summaries(where, arguments, f.Limit)
	if err != nil {
		return nil, 0, l.unusable(err)
	}
	return summaries, total, nil
}

func (l *Logbook) summaries(where string, arguments []any, limit int) ([]Summary, error) {
	if limit <= 0 {
		limit = -1
	}
	rows, err := l.database.Query(
		`SELECT id, name, started_ms, state, simulated, plan, target, passes,
		        (SELECT json_group_array(tag) FROM tags WHERE session = id)
		 FROM sessions`+where+newestFirst+` LIMIT ?`, append(arguments, limit)...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	summaries := []Summary{}
	for rows.Next() {
		var s Summary
		var started int64
		var tags string
		if err := rows.Scan(&s.ID, &s.Name, &started, &s.State, &s.Simulated, &s.Plan, &s.Target, &s.Passes, &tags); err != nil {
			return nil, err
		}
		if err := json.Unmarshal([]byte(tags), &s.Tags); err != nil {
			return nil, err
		}
		s.Started = time.UnixMilli(started).UTC()
		summaries = append(summaries, s)
	}
	return summaries, rows.Err()
}

// IDs gives the ids of the sessions that a filter means, newest first.
func (l *Logbook) IDs(f Filter) ([]string, error) {
	where, arguments, err := l.where(f)
	if err != nil {
		return nil, err
	}
	limit := f.Limit
	if limit <= 0 {
		limit = -1
	}
	ids, err := queryTexts(l.database, `SELECT id FROM sessions`+where+newestFirst+` LIMIT ?`, append(arguments, limit)...)
	if err != nil {
		return nil, l.unusable(err)
	}
	return ids, nil
}

// AddTags adds tags to a session.
func (l *Logbook) AddTags(id string, tags []string) error {
	for _, tag := range tags {
		if _, err := l.database.Exec(`INSERT INTO tags (tag, session) VALUES (?, ?) ON CONFLICT DO NOTHING`, tag, id); err != nil {
			return fmt.Errorf("could not tag session %s: %w", id, err)
		}
	}
	return nil
}

// RemoveTags takes tags off a session.
func (l *Logbook) RemoveTags(id string, tags []string) error {
	_, err := l.database.Exec(`DELETE FROM tags WHERE session = ? AND tag IN (SELECT value FROM json_each(?))`, id, jsonList(tags))
	return err
}

// Tags gives the tags of a session.
func (l *Logbook) Tags(id string) ([]string, error) {
	return queryTexts(l.database, `SELECT tag FROM tags WHERE session = ? ORDER BY tag`, id)
}
