package logbook

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"opengauge/core/record/session"
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
	return len(f.References)+len(f.Tags)+len(f.Conditions) > 0 || f.Name != "" || f.Plan != "" || !f.Since.IsZero() ||
		!f.Until.IsZero()
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
		for i, reference := range f.References {
			id, err := l.resolve(reference)
			if err != nil {
				return "", nil, err
			}
			ids[i] = id
		}
		add(`id IN (SELECT value FROM json_each(?))`, jsonList(ids))
	}
	if f.Name != "" {
		clause, value, err := l.named(f)
		if err != nil {
			return "", nil, err
		}
		add(clause, value)
	}
	if f.Plan != "" {
		add(`plan = ?`, f.Plan)
	}
	for _, tag := range f.Tags {
		add(`id IN (SELECT session FROM tags WHERE tag = ?)`, tag)
	}
	if len(f.Conditions) > 0 {
		conditions, err := l.rarestFirst(f.Conditions)
		if err != nil {
			return "", nil, err
		}
		clause, values := having(conditions, f.Limit > 0)
		add(clause, values...)
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

// named is the SQL for sessions with a part of their name. The index of names is a
// hundredth of the table, so it is looked through first, unless a few of very many
// are wanted.
func (l *Logbook) named(f Filter) (clause, pattern string, err error) {
	const matching = ` FROM sessions INDEXED BY sessions_name WHERE name LIKE ? ESCAPE '\'`
	pattern = "%" + likeEscapes.Replace(f.Name) + "%"
	if f.Limit > 0 {
		many := 0
		if err := l.database.QueryRow(`SELECT count(*)`+matching, pattern).Scan(&many); err != nil {
			return "", "", l.unusable(err)
		}
		if many > common {
			return `name LIKE ? ESCAPE '\'`, pattern, nil
		}
	}
	return `rowid IN (SELECT rowid` + matching + `)`, pattern, nil
}

// condition is a key with its value, and how many sessions have it.
type condition struct {
	key, value string
	sessions   int
}

func (l *Logbook) rarestFirst(wanted map[string]string) ([]condition, error) {
	var conditions []condition
	for _, key := range slices.Sorted(maps.Keys(wanted)) {
		each := condition{key: key, value: wanted[key]}
		if err := l.database.QueryRow(`SELECT count(*) FROM conditions WHERE key = ? AND value = ?`, each.key,
			each.value).Scan(&each.sessions); err != nil {
			return nil, l.unusable(err)
		}
		conditions = append(conditions, each)
	}
	slices.SortStableFunc(conditions, func(a, b condition) int { return cmp.Compare(a.sessions, b.sessions) })
	return conditions, nil
}

// common is how many sessions have to have something for the newest to be looked at
// for it one after the other.
var common = 5000 // a test has less

// having is the SQL for sessions that have all conditions: those of the rarest are
// looked through for the others. Where only a few of very many are wanted, it is
// quicker to look at the sessions in their order.
func having(conditions []condition, few bool) (string, []any) {
	rarest := conditions[0]
	values := []any{rarest.key, rarest.value}
	if few && len(conditions) == 1 && rarest.sessions > common {
		return `EXISTS (SELECT 1 FROM conditions WHERE key = ? AND value = ? AND session = id)`, values
	}
	clause := `id IN (SELECT session FROM conditions AS rarest WHERE key = ? AND value = ?`
	for _, other := range conditions[1:] {
		clause += ` AND EXISTS (SELECT 1 FROM conditions WHERE key = ? AND value = ? AND session = rarest.session)`
		values = append(values, other.key, other.value)
	}
	return clause + `)`, values
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
	if seeks(where) {
		return l.sought(where, arguments, f.Limit)
	}
	summaries, err := l.summaries(where, arguments, f.Limit)
	if err != nil {
		return nil, 0, l.unusable(err)
	}
	if f.Limit <= 0 || len(summaries) < f.Limit {
		return summaries, len(summaries), nil
	}
	total, err := l.count(f)
	return summaries, total, err
}

// seeks says whether sessions are found in other places than in their order, so that
// all of them are at hand before the newest are.
func seeks(where string) bool { return strings.Contains(where, `id IN `) }

// sought lists what is found in other places: going over them once gives the newest
// and how many there are.
func (l *Logbook) sought(where string, arguments []any, limit int) ([]Summary, int, error) {
	ids, err := queryTexts(l.database, `SELECT id FROM sessions`+where+newestFirst, arguments...)
	if err != nil {
		return nil, 0, l.unusable(err)
	}
	total := len(ids)
	if limit > 0 {
		ids = ids[:min(limit, total)]
	}
	summaries, err := l.summaries(` WHERE id IN (SELECT value FROM json_each(?))`, []any{jsonList(ids)}, limit)
	if err != nil {
		return nil, 0, l.unusable(err)
	}
	return summaries, total, nil
}

// count says how many sessions a filter means, beside its limit.
func (l *Logbook) count(f Filter) (int, error) {
	f.Limit = 0
	where, arguments, err := l.where(f)
	if err != nil {
		return 0, err
	}
	total := 0
	if err := l.database.QueryRow(`SELECT count(*) FROM sessions`+where, arguments...).Scan(&total); err != nil {
		return 0, l.unusable(err)
	}
	return total, nil
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
		if err := rows.Scan(&s.ID, &s.Name, &started, &s.State, &s.Simulated, &s.Plan, &s.Target, &s.Passes,
			&tags); err != nil {
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
	ids, err := queryTexts(l.database, `SELECT id FROM sessions`+where+newestFirst+` LIMIT ?`,
		append(arguments, limit)...)
	if err != nil {
		return nil, l.unusable(err)
	}
	return ids, nil
}

// AddTags adds tags to a session.
func (l *Logbook) AddTags(id string, tags []string) error {
	for _, tag := range tags {
		if _, err := l.database.Exec(`INSERT INTO tags (tag, session) SELECT ?1, id FROM sessions WHERE id = ?2
				ON CONFLICT DO NOTHING`, tag, id); err != nil {
			return fmt.Errorf("could not tag session %s: %w", id, err)
		}
	}
	held := 0
	if err := l.database.QueryRow(`SELECT count(*) FROM sessions WHERE id = ?`, id).Scan(&held); err != nil {
		return fmt.Errorf("could not tag session %s: %w", id, err)
	}
	if held == 0 {
		return fmt.Errorf("could not tag session %s: %w", id, ErrRemoved)
	}
	return nil
}

// RemoveTags takes tags off a session.
func (l *Logbook) RemoveTags(id string, tags []string) error {
	_, err := l.database.Exec(`DELETE FROM tags WHERE session = ? AND tag IN (SELECT value FROM json_each(?))`, id,
		jsonList(tags))
	return err
}

// Tags gives the tags of a session.
func (l *Logbook) Tags(id string) ([]string, error) {
	return queryTexts(l.database, `SELECT tag FROM tags WHERE session = ? ORDER BY tag`, id)
}
