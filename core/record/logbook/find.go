package logbook

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"

	fastjson "github.com/go-json-experiment/json"
	"github.com/pressly/goose/v3"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Layouts from which on sessions are found by their conditions and ranked by their
// figures, from which on rankings name what they rank by its fields, and from which on
// by its amount too, with an entry for each set of parts.
const (
	findable = 3
	byFields = 4
	byEntry  = 6
)

// fillFinding are the migrations that put the sessions of an older logbook into the
// tables by which they are found. Only the last does it, for rankings of today's form:
// those before it would do what it does anew.
func fillFinding() []*goose.Migration {
	done := &goose.GoFunc{RunTx: func(context.Context, *sql.Tx) error { return nil }}
	return []*goose.Migration{
		goose.NewGoMigration(findable, done, nil),
		goose.NewGoMigration(byFields, done, nil),
		goose.NewGoMigration(byEntry, &goose.GoFunc{RunTx: func(ctx context.Context, tx *sql.Tx) error {
			for _, table := range []string{"conditions", "figures", "rankings"} {
				if _, err := tx.ExecContext(ctx, `DELETE FROM `+table); err != nil {
					return err
				}
			}
			return indexAll(ctx, tx)
		}}, nil),
	}
}

// indexAll notes all sessions of a logbook by what they are found.
func indexAll(ctx context.Context, tx *sql.Tx) error {
	ids, err := queryTexts(tx, `SELECT id FROM sessions`)
	if err != nil {
		return err
	}
	found, err := newIndex(tx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		s, err := brief(tx, id)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE sessions SET passes = ? WHERE id = ?`, len(s.Passes), id); err != nil {
			return err
		}
		if err := found.add(s); err != nil {
			return err
		}
	}
	return nil
}

// index notes by what sessions are found, within a transaction.
type index struct {
	condition, ranking, figure *sql.Stmt
	rankings                   map[ranking]int64
}

// ranking is a load among sessions of a class.
type ranking struct{ class, load string }

func newIndex(tx *sql.Tx) (*index, error) {
	made := &index{rankings: map[ranking]int64{}}
	for _, each := range []struct {
		statement **sql.Stmt
		text      string
	}{
		{&made.condition, `INSERT INTO conditions (key, value, session) VALUES (?, ?, ?)`},
		{&made.ranking, `INSERT INTO rankings (class, load) VALUES (?, ?)
			ON CONFLICT DO UPDATE SET load = load RETURNING id`},
		{&made.figure, `INSERT INTO figures (ranking, value, session, entry) VALUES (?, ?, ?, ?)`},
	} {
		var err error
		if *each.statement, err = tx.Prepare(each.text); err != nil { // ends with the transaction
			return nil, err
		}
	}
	return made, nil
}

// add notes the conditions and figures of a session that is not noted yet.
func (x *index) add(s *session.Session) error {
	for key, value := range s.Conditions {
		if _, err := x.condition.Exec(key, value, s.ID); err != nil {
			return err
		}
	}
	class := s.Class()
	for key, value := range Figures(s) {
		name, err := rankingName(key)
		if err != nil {
			return err
		}
		id, err := x.rankingOf(ranking{class, name})
		if err != nil {
			return err
		}
		if _, err := x.figure.Exec(id, value, s.ID, entryOf(s)); err != nil {
			return err
		}
	}
	return nil
}

// entryOf is what runs of the same parts share; a session of which no part is known is one
// by itself.
func entryOf(s *session.Session) string { return cmp.Or(s.SetUp(), s.ID) }

func (x *index) rankingOf(r ranking) (id int64, err error) {
	id, ok := x.rankings[r]
	if ok {
		return id, nil
	}
	if err := x.ranking.QueryRow(r.class, r.load).Scan(&id); err != nil {
		return 0, err
	}
	x.rankings[r] = id
	return id, nil
}

// noteAnew notes the conditions and figures of a session in the place of those that
// were noted before.
func noteAnew(tx *sql.Tx, s *session.Session) error {
	for _, table := range []string{"conditions", "figures"} {
		if _, err := tx.Exec(`DELETE FROM `+table+` WHERE session = ?`, s.ID); err != nil {
			return err
		}
	}
	found, err := newIndex(tx)
	if err != nil {
		return err
	}
	return found.add(s)
}

// Figures gives what a session is ranked by: the median throughput of each load, in
// bytes a second. Loads whose operations arrive on a schedule give none.
func Figures(s *session.Session) map[session.Key]float64 {
	figures := map[session.Key]float64{}
	for _, group := range s.Alike(nil) {
		if group.Key.Load.Scheduled() {
			continue
		}
		var rates []float64
		for _, pass := range group.Passes {
			rates = append(rates, float64(pass.BytesPerSecond))
		}
		figures[group.Key] = stat.Median(rates)
	}
	return figures
}

// rankingForm is the version of the form in which rankings name what they rank. It
// changes whenever [session.Key] does, and the rankings of a logbook are made anew.
const rankingForm = 2

// rankingName is how a key is stored: its version and its fields, and no words.
func rankingName(key session.Key) (string, error) {
	text, err := json.Marshal(struct {
		Form   int        `json:"form"`
		Load   load.Load  `json:"load"`
		Fill   float64    `json:"fill_share,omitempty"`
		Amount unit.Bytes `json:"amount_bytes,omitempty"`
	}{rankingForm, key.Load, key.Fill, key.Amount})
	return string(text), err
}

// querier is a database or a transaction on it.
type querier interface {
	Query(query string, arguments ...any) (*sql.Rows, error)
	QueryRow(query string, arguments ...any) *sql.Row
}

func queryTexts(from querier, query string, arguments ...any) ([]string, error) {
	rows, err := from.Query(query, arguments...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var found []string
	for rows.Next() {
		var text string
		if err := rows.Scan(&text); err != nil {
			return nil, err
		}
		found = append(found, text)
	}
	return found, rows.Err()
}

// brief reads a session without its samples.
func brief(from querier, id string) (*session.Session, error) {
	var document string
	if err := from.QueryRow(`SELECT document FROM sessions WHERE id = ?`, id).Scan(&document); err != nil {
		return nil, err
	}
	s := &session.Session{}
	if err := fastjson.Unmarshal([]byte(document), s); err != nil {
		return nil, err
	}
	documents, err := queryTexts(from, `SELECT document FROM passes WHERE session = ? ORDER BY position`, id)
	if err != nil {
		return nil, err
	}
	s.Passes = make([]session.Pass, len(documents))
	for i, text := range documents {
		if err := fastjson.Unmarshal([]byte(text), &s.Passes[i]); err != nil {
			return nil, err
		}
	}
	return s, nil
}
