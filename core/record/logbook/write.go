package logbook

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	fastjson "github.com/go-json-experiment/json"

	"opengauge/core/record/session"
)

// Begin records a session that starts now. It is kept as interrupted until
// [Logbook.Finish] says otherwise, so that a crash leaves it truthful.
func (l *Logbook) Begin(s *session.Session) error {
	started := *s
	started.State = session.Interrupted
	document, err := header(&started)
	if err != nil {
		return err
	}
	_, err = l.database.Exec(
		`INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		s.ID, s.Name, s.Started.UnixMilli(), started.State, s.Simulated, s.Plan.Name, s.Target.Address, document)
	return err
}

// AddPass adds a pass to a session that was begun.
func (l *Logbook) AddPass(id string, pass session.Pass) error {
	packed, err := l.pack(pass)
	if err != nil {
		return err
	}
	return l.change(func(tx *sql.Tx) error {
		_, err := tx.Exec(
			`INSERT INTO passes (session, position, document, samples)
			 SELECT ?1, count(*), ?2, ?3 FROM passes WHERE session = ?1`,
			id, packed.document, packed.samples)
		if err == nil {
			_, err = tx.Exec(`UPDATE sessions SET passes = passes + 1 WHERE id = ?`, id)
		}
		return err
	})
}

// Finish records how a session ended.
func (l *Logbook) Finish(s *session.Session) error {
	document, err := header(s)
	if err != nil {
		return err
	}
	return l.change(func(tx *sql.Tx) error {
		result, err := tx.Exec(`UPDATE sessions SET state = ?, document = ? WHERE id = ?`, s.State, document, s.ID)
		if err != nil {
			return err
		}
		if changed, err := result.RowsAffected(); err == nil && changed == 0 {
			return fmt.Errorf("session %s is not in the logbook any more", s.ID)
		}
		return noteAnew(tx, s)
	})
}

// change makes several changes together, or none.
func (l *Logbook) change(make func(*sql.Tx) error) error {
	tx, err := l.database.Begin()
	if err != nil {
		return err
	}
	if err := make(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// Discard forgets a session.
func (l *Logbook) Discard(id string) error {
	_, err := l.database.Exec(`DELETE FROM sessions WHERE id = ?`, id)
	return err
}

// header is a session's JSON without its passes, which have rows of their own.
func header(s *session.Session) (string, error) {
	without := *s
	without.Passes = nil
	document, err := json.Marshal(&without)
	return string(document), err
}

// packed is a pass as a row has it.
type packed struct {
	document string
	samples  []byte
}

// pack writes a pass and, apart from it, its samples.
func (l *Logbook) pack(pass session.Pass) (packed, error) {
	// This library writes and reads samples, of which there are many, in a third of
	// the time.
	plain, err := fastjson.Marshal(pass.Samples, fastjson.FormatNilMapAsNull(true), fastjson.FormatNilSliceAsNull(true))
	if err != nil {
		return packed{}, err
	}
	pass.Samples = nil
	document, err := json.Marshal(pass)
	return packed{document: string(document), samples: l.encoder.EncodeAll(plain, nil)}, err
}

// largestSamples bounds what a damaged row can make the reader allocate: a
// week of one-second samples with many sensors.
const largestSamples = 1 << 30

func (l *Logbook) unpackSamples(packed []byte) ([]session.Sample, error) {
	plain, err := l.decoder.DecodeAll(packed, nil)
	if err != nil {
		return nil, err
	}
	var samples []session.Sample
	return samples, fastjson.Unmarshal(plain, &samples)
}
