package logbook

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
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
	// Account kept it, where the logbook is shared.
	Account string `json:"account,omitempty"`
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
	About      *About
	Since      time.Time
	Until      time.Time
	// Limit is the most that are given, newest first; 0 is all.
	Limit int
}

// About selects the sessions that a review looks at: those of the review of a name, or of none and one of the
// storages.
type About struct {
	Review   string
	Storages []string
}

// Narrow says whether the filter leaves anything out but by its limit.
func (f Filter) Narrow() bool {
	return len(f.References)+len(f.Tags)+len(f.Conditions) > 0 || f.Name != "" || f.Plan != "" || f.About != nil ||
		!f.Since.IsZero() || !f.Until.IsZero()
}

// newestFirst is the order of lists, and defines "latest": of two sessions that started in the same
// millisecond, the one that was kept last.
const newestFirst = ` ORDER BY started_ms DESC, rowid DESC`

// clauses are the conditions of a filter in SQL, with their arguments.
type clauses struct {
	texts     []string
	arguments []any
}

// argument adds an argument, and returns its placeholder.
func (c *clauses) argument(value any) string {
	c.arguments = append(c.arguments, value)
	return "$" + strconv.Itoa(len(c.arguments))
}

func (c *clauses) add(text string) { c.texts = append(c.texts, text) }

// where returns the WHERE clause, or nothing.
func (c *clauses) where() string {
	if len(c.texts) == 0 {
		return ""
	}
	return ` WHERE ` + strings.Join(c.texts, ` AND `)
}

// limit returns the LIMIT clause; 0 is no limit.
func limit(count int) string {
	if count <= 0 {
		return ""
	}
	return ` LIMIT ` + strconv.Itoa(count)
}

// compile writes the filter as SQL.
func (l *Logbook) compile(f Filter) (*clauses, error) {
	made := &clauses{}
	if len(f.References) > 0 {
		ids := make([]string, len(f.References))
		for i, reference := range f.References {
			id, err := l.resolve(reference)
			if err != nil {
				return nil, err
			}
			ids[i] = id
		}
		made.arguments = append(made.arguments, jsonList(ids))
		made.add(`id IN (` + l.database.listQuery(len(made.arguments)) + `)`)
	}
	if f.Name != "" {
		if err := l.addName(f, made); err != nil {
			return nil, err
		}
	}
	if f.Plan != "" {
		made.add(`plan = ` + made.argument(f.Plan))
	}
	for _, tag := range f.Tags {
		made.add(`id IN (SELECT session FROM tags WHERE tag = ` + made.argument(tag) + `)`)
	}
	if len(f.Conditions) > 0 {
		conditions, err := l.rarestFirst(f.Conditions)
		if err != nil {
			return nil, err
		}
		made.having(conditions, f.Limit > 0)
	}
	if f.About != nil {
		l.about(f.About, made)
	}
	if !f.Since.IsZero() {
		made.add(`started_ms >= ` + made.argument(f.Since.UnixMilli()))
	}
	if !f.Until.IsZero() {
		made.add(`started_ms < ` + made.argument(f.Until.UnixMilli()))
	}
	return made, nil
}

// about asks for the sessions that a review looks at.
func (l *Logbook) about(a *About, made *clauses) {
	has := func(key, values string) string {
		return `SELECT session FROM conditions WHERE key = ` + made.argument(key) + ` AND value ` + values
	}
	of := has(ofReview, `= `+made.argument(clip(a.Review)))
	storages := make([]string, len(a.Storages))
	for i, storage := range a.Storages {
		storages[i] = clip(storage)
	}
	made.arguments = append(made.arguments, jsonList(storages))
	made.add(`id IN (` + of + ` UNION ALL ` + has(ofStorage, `IN (`+l.database.listQuery(len(made.arguments))+`)`) + `)`)
}

// addName asks for sessions with a part of their name. Where names are kept apart, they are
// looked through first, unless a few of very many are wanted.
func (l *Logbook) addName(f Filter, made *clauses) error {
	matches := func(argument string) string { return `name ` + l.database.like + ` ` + argument + ` ESCAPE '\'` }
	pattern := "%" + likeEscapes.Replace(f.Name) + "%"
	if f.Limit > 0 {
		many := 0
		// As many as it takes to know; the rest need not be counted.
		if err := l.database.QueryRow(`SELECT count(*) FROM (SELECT 1 FROM `+l.database.named+` WHERE `+matches("$1")+
			limit(common+1)+`) AS counted`, pattern).Scan(&many); err != nil {
			return l.unusable(err)
		}
		if many > common {
			made.add(matches(made.argument(pattern)))
			return nil
		}
	}
	made.add(`id IN (SELECT id FROM ` + l.database.named + ` WHERE ` + matches(made.argument(pattern)) + `)`)
	return nil
}

// condition is a key with its value, and how many sessions have it, up to one more than are
// common.
type condition struct {
	key, value string
	sessions   int
}

func (l *Logbook) rarestFirst(wanted map[string]string) ([]condition, error) {
	var conditions []condition
	for _, key := range slices.Sorted(maps.Keys(wanted)) {
		each := condition{key: clip(key), value: clip(wanted[key])}
		if err := l.database.QueryRow(`SELECT count(*) FROM (SELECT 1 FROM conditions WHERE key = $1 AND value = $2`+
			limit(largest)+`) AS counted`, each.key, each.value).Scan(&each.sessions); err != nil {
			return nil, l.unusable(err)
		}
		conditions = append(conditions, each)
	}
	slices.SortStableFunc(conditions, func(a, b condition) int { return cmp.Compare(a.sessions, b.sessions) })
	return conditions, nil
}

// Tests have less.
var (
	// common is how many sessions have to have a part of a name for the newest to be looked at
	// for it one after the other.
	common = 5000
	// largest is that for conditions; beyond it they are as common as each other.
	largest = 100_000
)

// having asks for sessions that have all conditions: those with the rarest one are searched for the others.
// Where only a few of very many are wanted, it is quicker to look at the sessions in their order.
func (c *clauses) having(conditions []condition, few bool) {
	rarest := conditions[0]
	is := func(each condition) string {
		return `key = ` + c.argument(each.key) + ` AND value = ` + c.argument(each.value)
	}
	if few && rarest.sessions >= largest {
		for _, each := range conditions {
			c.add(`EXISTS (SELECT 1 FROM conditions WHERE ` + is(each) + ` AND session = id)`)
		}
		return
	}
	text := `id IN (SELECT session FROM conditions AS rarest WHERE ` + is(rarest)
	for _, other := range conditions[1:] {
		text += ` AND EXISTS (SELECT 1 FROM conditions WHERE ` + is(other) + ` AND session = rarest.session)`
	}
	c.add(text + `)`)
}

// likeEscapes keep a text from being a pattern.
var likeEscapes = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

func jsonList(texts []string) string {
	if texts == nil {
		texts = []string{}
	}
	document, _ := json.Marshal(texts) // a list of texts is always JSON
	return string(document)
}

// Total is how many sessions a filter means, beside its limit.
type Total struct {
	Sessions int
	// More says that there are more: they are counted so far.
	More bool
}

// countedTo is up to where sessions are counted: nobody reads on that far.
var countedTo = 10_000 // a test has less

// List gives the sessions that a filter means, newest first, and how many there are
// beside its limit.
func (l *Logbook) List(f Filter) ([]Summary, Total, error) {
	asked, err := l.compile(f)
	if err != nil {
		return nil, Total{}, err
	}
	summaries, err := l.summaries(asked, f.Limit)
	if err != nil {
		return nil, Total{}, l.unusable(err)
	}
	if f.Limit <= 0 || len(summaries) < f.Limit {
		return summaries, Total{Sessions: len(summaries)}, nil
	}
	total, err := l.count(asked, f.Limit)
	return summaries, total, err
}

// count says how many sessions a filter means, beside its limit.
func (l *Logbook) count(asked *clauses, most int) (Total, error) {
	bound := max(countedTo, most)
	total := 0
	if err := l.database.QueryRow(`SELECT count(*) FROM (SELECT 1 FROM sessions`+asked.where()+limit(bound+1)+
		`) AS counted`, asked.arguments...).Scan(&total); err != nil {
		return Total{}, l.unusable(err)
	}
	return Total{min(total, bound), total > bound}, nil
}

func (l *Logbook) summaries(asked *clauses, most int) ([]Summary, error) {
	rows, err := l.database.Query(
		`SELECT id, name, started_ms, state, simulated, plan, target, passes, recorder
		 FROM sessions`+asked.where()+newestFirst+limit(most), asked.arguments...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	summaries := []Summary{}
	for rows.Next() {
		s := Summary{Tags: []string{}}
		var started int64
		if err := rows.Scan(&s.ID, &s.Name, &started, &s.State, &s.Simulated, &s.Plan, &s.Target, &s.Passes,
			&s.Account); err != nil {
			return nil, err
		}
		if !isDate(started) {
			why := fmt.Errorf("it began %d ms after 1970, which is no date", started)
			if err := l.leaveOut("session "+s.ID, why); err != nil {
				return nil, err
			}
			continue
		}
		s.Started = time.UnixMilli(started).UTC()
		summaries = append(summaries, s)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	return summaries, l.addTags(summaries)
}

// isDate reports whether milliseconds since 1970 are within the years 1 to 9999, which JSON has dates for
// (RFC 3339, 5.6).
func isDate(ms int64) bool { return ms >= -62_135_596_800_000 && ms < 253_402_300_800_000 }

// addTags adds the tags of the sessions of a list.
func (l *Logbook) addTags(summaries []Summary) error {
	const together = 1000
	for some := range slices.Chunk(summaries, together) {
		at := make(map[string]*Summary, len(some))
		for i := range some {
			at[some[i].ID] = &some[i]
		}
		rows, err := l.database.Query(`SELECT session, tag FROM tags WHERE session IN (`+l.database.listQuery(1)+
			`) ORDER BY tag`, jsonList(slices.Collect(maps.Keys(at))))
		if err != nil {
			return err
		}
		for rows.Next() {
			var id, tag string
			if err := rows.Scan(&id, &tag); err != nil {
				return errors.Join(err, rows.Close())
			}
			at[id].Tags = append(at[id].Tags, tag)
		}
		if err := errors.Join(rows.Err(), rows.Close()); err != nil {
			return err
		}
	}
	return nil
}

// IDs gives the ids of the sessions that a filter means, newest first.
func (l *Logbook) IDs(f Filter) ([]string, error) {
	asked, err := l.compile(f)
	if err != nil {
		return nil, err
	}
	ids, err := queryTexts(l.database, `SELECT id FROM sessions`+asked.where()+newestFirst+limit(f.Limit),
		asked.arguments...)
	if err != nil {
		return nil, l.unusable(err)
	}
	return ids, nil
}

// AddTags adds tags to a session.
func (l *Logbook) AddTags(id string, tags []string) error {
	err := l.database.change(func(tx transaction) error {
		if err := tx.own(id); err != nil {
			return err
		}
		held := 0
		if err := tx.QueryRow(`SELECT count(*) FROM sessions WHERE id = $1`, id).Scan(&held); err != nil {
			return err
		}
		if held == 0 {
			return ErrRemoved
		}
		for _, tag := range tags {
			if _, err := tx.Exec(tx.addTag, tag, id); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("could not tag session %s: %w", id, err)
	}
	return nil
}

// RemoveTags takes tags off a session.
func (l *Logbook) RemoveTags(id string, tags []string) error {
	return l.database.change(func(tx transaction) error {
		if err := tx.own(id); err != nil {
			return err
		}
		_, err := tx.Exec(tx.removeTags, id, jsonList(tags))
		return err
	})
}

// Tags gives the tags of a session.
func (l *Logbook) Tags(id string) ([]string, error) {
	return queryTexts(l.database, `SELECT tag FROM tags WHERE session = $1 ORDER BY tag`, id)
}
