package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"iter"
	"runtime"
	"slices"
	"sync"

	fastjson "github.com/go-json-experiment/json"

	"opengauge/core/record/codec"
	"opengauge/core/record/session"
)

// packPasses writes passes together, without their samples: an empty sample stands for those of a pass that
// has some. Zero fields are left out, and passes resemble each other, so that together they take a quarter of
// their size apart.
func (l *Logbook) packPasses(passes []session.Pass) ([]byte, error) {
	bare := slices.Clone(passes)
	for i := range bare {
		if len(bare[i].Samples) > 0 {
			bare[i].Samples = make([]session.Sample, 1)
		}
	}
	plain, err := fastjson.Marshal(bare, fastjson.OmitZeroStructFields(true))
	if err != nil {
		return nil, err
	}
	return l.encoder.EncodeAll(plain, nil), nil
}

func (l *Logbook) unpackPasses(packed []byte) ([]session.Pass, error) {
	passes := []session.Pass{}
	if err := l.decoder.Decode(packed, &passes); err != nil {
		return nil, fmt.Errorf("passes: %w", err)
	}
	return passes, nil
}

// onlySamples removes from the table of passes everything that the list of a session's passes has too.
func (l *Logbook) onlySamples(tx transaction, id string) error {
	none := l.nothing()
	if _, err := tx.Exec(tx.removeEmptySamples, id, none[0], none[1]); err != nil {
		return err
	}
	_, err := tx.Exec(tx.clearDocuments, id)
	return err
}

// nothing are the two ways to have no samples, packed: none, and an empty list.
func (l *Logbook) nothing() [2][]byte {
	return [2][]byte{l.encoder.EncodeAll([]byte("null"), nil), l.encoder.EncodeAll([]byte("[]"), nil)}
}

// withoutSamples removes the placeholders of samples.
func withoutSamples(s *session.Session) *session.Session {
	for i := range s.Passes {
		s.Passes[i].Samples = nil
	}
	return s
}

// brief reads a session without its samples. It is [sql.ErrNoRows] that there is none.
func (l *Logbook) brief(from querier, id string) (*session.Session, error) {
	s, err := l.outline(from, id)
	if err != nil {
		return nil, err
	}
	return withoutSamples(s), checkRow(s, id)
}

// outline reads a session with an empty sample where a pass has some.
func (l *Logbook) outline(from querier, id string) (s *session.Session, err error) {
	const tries = 3
	for range tries {
		if s, err = l.outlineOnce(from, id); !errors.Is(err, errEnded) {
			break
		}
	}
	return s, err
}

func (l *Logbook) outlineOnce(from querier, id string) (*session.Session, error) {
	var document, account string
	var packed []byte
	if err := from.QueryRow(`SELECT sessions.document, recorder, pass_lists.document FROM sessions
		LEFT JOIN pass_lists ON session = id WHERE id = $1`, id).Scan(&document, &account, &packed); err != nil {
		return nil, err
	}
	s, err := l.unpackSession(document, account, packed)
	if err != nil {
		return nil, err
	}
	if packed != nil {
		return s, nil
	}
	s.Passes, err = l.passesByRow(from, id)
	return s, err
}

// checkRow fails where a row holds another session than its own, or none that could be imported.
func checkRow(s *session.Session, id string) error {
	if s.ID != id {
		return fmt.Errorf("it says that it is session %q", s.ID)
	}
	return s.Check()
}

// errEnded says that a session ended while it was read: its passes are in a list now.
var errEnded = errors.New("it ended while it was read")

// passesByRow reads the passes of a session that has not ended.
func (l *Logbook) passesByRow(from querier, id string) ([]session.Pass, error) {
	none := l.nothing()
	rows, err := from.Query(`SELECT document, CASE WHEN samples = $2 THEN 0 WHEN samples = $3 THEN 1 ELSE 2 END
		FROM passes WHERE session = $1 ORDER BY position`, id, none[0], none[1])
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	passes := []session.Pass{}
	for rows.Next() {
		var document string
		var samples int
		if err := rows.Scan(&document, &samples); err != nil {
			return nil, err
		}
		if document == "" {
			return nil, errEnded
		}
		var pass session.Pass
		if err := codec.Unmarshal([]byte(document), &pass); err != nil {
			return nil, err
		}
		pass.Samples = [][]session.Sample{nil, {}, make([]session.Sample, 1)}[samples]
		passes = append(passes, pass)
	}
	return passes, rows.Err()
}

// unpackSession makes a session of its columns; one that has not ended has no packed passes.
func (l *Logbook) unpackSession(document, account string, packed []byte) (*session.Session, error) {
	s := &session.Session{}
	if err := codec.Unmarshal([]byte(document), s); err != nil {
		return nil, err
	}
	s.Recorded(account)
	if packed == nil {
		return s, nil
	}
	var err error
	s.Passes, err = l.unpackPasses(packed)
	return s, err
}

// briefsAtOnce is how many are asked for together, and read on all processors.
const briefsAtOnce = 250

// Briefs gives sessions by their ids, in this order, without their samples. Those that others
// removed meanwhile are left out.
func (l *Logbook) Briefs(ids []string) iter.Seq2[*session.Session, error] {
	return l.each(ids, `SELECT id, sessions.document, recorder, pass_lists.document FROM sessions LEFT JOIN pass_lists
		ON session = id WHERE id IN (`+l.database.listQuery(1)+`)`, func(c columns) (*session.Session, error) {
		s, err := l.unpackSession(c.document, c.account, c.packed)
		if err != nil {
			return nil, err
		}
		return withoutSamples(s), checkRow(s, c.id)
	})
}

// each returns sessions by their ids, made from the rows of a query.
func (l *Logbook) each(ids []string, query string,
	of func(columns) (*session.Session, error)) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		for some := range slices.Chunk(ids, briefsAtOnce) {
			columns, err := l.columnsOf(some, query)
			if err != nil {
				yield(nil, l.unusable(err))
				return
			}
			for i, each := range l.readAll(some, columns, of) {
				switch {
				case errors.Is(each.err, sql.ErrNoRows):
					continue
				case each.err != nil:
					if each.err = l.leaveOut("session "+some[i], each.err); each.err == nil {
						continue
					}
				}
				if !yield(each.session, each.err) {
					return
				}
			}
		}
	}
}

// columns holds the columns of one session.
type columns struct {
	id, document, account string
	packed                []byte
}

func (l *Logbook) columnsOf(ids []string, query string) (map[string]columns, error) {
	rows, err := l.database.Query(query, jsonList(ids))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	found := make(map[string]columns, len(ids))
	for rows.Next() {
		var each columns
		if err := rows.Scan(&each.id, &each.document, &each.account, &each.packed); err != nil {
			return nil, err
		}
		found[each.id] = each
	}
	return found, rows.Err()
}

// read is a session, or why there is none.
type read struct {
	session *session.Session
	err     error
}

func (l *Logbook) readAll(ids []string, from map[string]columns, of func(columns) (*session.Session, error)) []read {
	made := make([]read, len(ids))
	var group sync.WaitGroup
	workers := runtime.GOMAXPROCS(0)
	for worker := range workers {
		group.Go(func() {
			for i := worker; i < len(ids); i += workers {
				if each := from[ids[i]]; each.packed != nil {
					made[i].session, made[i].err = of(each)
				} else {
					made[i].session, made[i].err = l.brief(l.database, ids[i])
				}
			}
		})
	}
	group.Wait()
	return made
}
