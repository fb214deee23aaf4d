package logbook

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/pressly/goose/v3"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Layouts of files. From findable on, sessions are found by their conditions and ranked by their figures;
// from byFields on, rankings are named by fields, and from byAmount on by amounts too; from byEntries on,
// each set of parts has one entry, and the passes of a session are together.
const (
	findable  = 3
	byFields  = 4
	byAmount  = 6
	byEntries = 9
)

// fillFinding returns the migrations that put the sessions of an older logbook into the tables by which they
// are found. Only the last one does it, for rankings of today's form: earlier ones would have to be redone by
// it.
func (l *Logbook) fillFinding() []*goose.Migration {
	done := &goose.GoFunc{RunTx: func(context.Context, *sql.Tx) error { return nil }}
	return []*goose.Migration{
		goose.NewGoMigration(findable, done, nil),
		goose.NewGoMigration(byFields, done, nil),
		goose.NewGoMigration(byAmount, done, nil),
		goose.NewGoMigration(byEntries, &goose.GoFunc{RunTx: func(ctx context.Context, tx *sql.Tx) error {
			within := transaction{tx, ctx, inFile}
			for _, table := range []string{"conditions", "figures", "rankings", "pass_lists"} {
				if _, err := within.Exec(`DELETE FROM ` + table); err != nil {
					return err
				}
			}
			return l.indexAll(within)
		}}, nil),
	}
}

// indexAll indexes all sessions of a logbook.
func (l *Logbook) indexAll(tx transaction) error {
	ids, err := queryTexts(tx, `SELECT id FROM sessions`)
	if err != nil {
		return err
	}
	found := l.newIndex(tx)
	for _, id := range ids {
		s, err := l.outline(tx, id)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(`UPDATE sessions SET passes = $1 WHERE id = $2`, len(s.Passes), id); err != nil {
			return err
		}
		noted, err := l.noted(s)
		if err != nil {
			return err
		}
		if err := found.add(noted); err != nil {
			return err
		}
		if err := l.onlySamples(tx, id); err != nil {
			return err
		}
	}
	return nil
}

// noted holds everything by which a session is found, ready to be put into rows.
type noted struct {
	id         string
	conditions map[string]string
	marks      [][2]string
	class      string
	setup      string
	figures    map[string]float64 // by the name of the load
	passes     []byte             // packed together
	digest     []byte
}

func (l *Logbook) noted(s *session.Session) (noted, error) {
	made := noted{id: s.ID, conditions: s.Conditions, marks: marksOf(s),
		class: clip(s.Class()), setup: clip(entryOf(s)), figures: map[string]float64{}}
	for key, value := range Figures(s) {
		name, err := rankingName(key)
		if err != nil {
			return made, err
		}
		made.figures[name] = value
	}
	var err error
	if made.passes, err = l.packPasses(s.Passes); err != nil {
		return made, err
	}
	made.digest, err = l.packDigest(s)
	return made, err
}

// Keys of marks, which are stored among conditions. Keys of conditions have no equals sign.
const (
	ofReview  = "=review"
	ofStorage = "=storage"
)

// marksOf say, beside conditions, for which review a session was measured, or else on which storage.
func marksOf(s *session.Session) [][2]string {
	if s.Review != nil {
		return [][2]string{{ofReview, s.Review.Name}}
	}
	var marks [][2]string
	for _, storage := range s.Storages() {
		marks = append(marks, [2]string{ofStorage, storage})
	}
	return marks
}

// longestKey is the most bytes of a text that is searched for: no index takes everything.
const longestKey = 1000

// clip returns a text in the form in which it is searched for: a long one as its beginning and its digest.
func clip(text string) string {
	if len(text) <= longestKey {
		return text
	}
	sum := sha256.Sum256([]byte(text))
	return strings.ToValidUTF8(text[:longestKey-65], "") + " " + hex.EncodeToString(sum[:])
}

// index makes sessions findable, within a transaction.
type index struct {
	tx  transaction
	ids map[[2]string]int64 // of rankings, and of set-ups, whose second text is empty
}

func (l *Logbook) newIndex(tx transaction) *index { return &index{tx, map[[2]string]int64{}} }

// add notes the conditions and figures of sessions that are not noted yet.
func (x *index) add(sessions ...noted) error {
	var conditions, lists rows
	for _, s := range sessions {
		for _, key := range slices.Sorted(maps.Keys(s.conditions)) {
			if strings.HasPrefix(key, "=") { // it would be a mark
				continue
			}
			conditions.add(clip(key), clip(s.conditions[key]), s.id)
		}
		for _, mark := range s.marks {
			conditions.add(mark[0], clip(mark[1]), s.id)
		}
		lists.add(s.id, s.passes, s.digest)
	}
	figures, err := x.figures(sessions)
	if err != nil {
		return err
	}
	return errors.Join(x.tx.add(x.tx, x.tx.addConditions, &conditions), x.tx.add(x.tx, x.tx.addPassLists, &lists),
		x.tx.add(x.tx, x.tx.addFigures, &figures))
}

// figures returns the rows by which sessions are ranked, in one order for everybody who adds some, so that no
// two wait for each other.
func (x *index) figures(sessions []noted) (rows, error) {
	var wanted [][2]string
	for _, s := range sessions {
		wanted = append(wanted, [2]string{s.setup})
		for name := range s.figures {
			wanted = append(wanted, [2]string{s.class, name})
		}
	}
	slices.SortFunc(wanted, func(a, b [2]string) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	for _, key := range slices.Compact(wanted) {
		if err := x.learn(key); err != nil {
			return rows{}, err
		}
	}
	var made rows
	for _, s := range sessions {
		for _, name := range slices.Sorted(maps.Keys(s.figures)) {
			made.add(s.id, x.ids[[2]string{s.class, name}], x.ids[[2]string{s.setup}], s.figures[name])
		}
	}
	return made, nil
}

// learn finds the id of a ranking or a set-up, or makes it.
func (x *index) learn(key [2]string) error {
	if _, known := x.ids[key]; known {
		return nil
	}
	find := `SELECT id FROM setups WHERE name = $1`
	add := x.tx.addSetup
	arguments := []any{key[0]}
	if key[1] != "" {
		find = `SELECT id FROM rankings WHERE class = $1 AND load = $2`
		add = x.tx.addRanking
		arguments = append(arguments, key[1])
	}
	var id int64
	err := x.tx.QueryRow(find, arguments...).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) { // others may add it meanwhile
		if _, err := x.tx.Exec(add, arguments...); err != nil {
			return err
		}
		err = x.tx.QueryRow(find, arguments...).Scan(&id)
	}
	x.ids[key] = id
	return err
}

// entryOf returns the name that runs of the same parts share. A session without known parts is an entry by
// itself.
func entryOf(s *session.Session) string { return cmp.Or(s.SetUp(), s.ID) }

// noteAnew notes the conditions and figures of a session in the place of those that
// were noted before.
func (l *Logbook) noteAnew(tx transaction, s *session.Session) error {
	made, err := l.noted(s)
	if err != nil {
		return err
	}
	for _, statement := range tx.clearIndex {
		if _, err := tx.Exec(statement, s.ID); err != nil {
			return err
		}
	}
	if err := l.newIndex(tx).add(made); err != nil {
		return err
	}
	return l.onlySamples(tx, s.ID)
}

// Figures returns the median throughput of each load of a session, in bytes a second, by which it is ranked.
// Loads whose operations arrive on a schedule have none.
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

// rankingForm is the version of the form in which rankings are named. It changes whenever [session.Key] does,
// and the rankings of a logbook are made anew.
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
