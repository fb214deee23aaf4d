package logbook

import (
	"encoding/json"
	"fmt"

	fastjson "github.com/go-json-experiment/json"

	"opengauge/core/record/session"
	"opengauge/core/record/spool"
)

// beginRecord and ended are the records of a session's beginning and end.
func beginRecord(s *session.Session) (spool.Record, error) {
	started := *s
	started.State, started.Passes = session.Interrupted, nil
	return spool.New(spool.Begin, 0, &started)
}

func finishRecord(s *session.Session) (spool.Record, error) {
	without := *s
	without.Passes = nil
	return spool.New(spool.Finish, 0, &without)
}

// Store takes records of a session in, together. One that is there already is stored once.
func (l *Logbook) Store(id string, records ...spool.Record) error {
	ready := make([]stored, len(records))
	for i, record := range records {
		var err error
		if ready[i], err = l.ready(record); err != nil {
			return fmt.Errorf("record %d of session %s: %w", i+1, id, err)
		}
	}
	return l.database.change(func(tx transaction) error {
		passes, finished := false, false
		for i := range ready {
			if err := ready[i].put(tx, id); err != nil {
				return err
			}
			passes = passes || ready[i].kind == spool.Pass
			finished = finished || ready[i].kind == spool.Finish
		}
		if passes {
			if _, err := tx.Exec(tx.countPasses, id); err != nil {
				return err
			}
		}
		if !finished {
			return nil
		}
		s, err := l.outline(tx, id)
		if err != nil {
			return err
		}
		return l.noteAnew(tx, s)
	})
}

// stored is a record as rows have it.
type stored struct {
	kind    spool.Kind
	session *session.Session
	header  string
	number  int
	pass    packed
}

// ready makes rows of a record.
func (l *Logbook) ready(record spool.Record) (stored, error) {
	made := stored{kind: record.Kind, number: record.Number}
	switch record.Kind {
	case spool.Pass:
		var pass session.Pass
		if err := json.Unmarshal(record.Document, &pass); err != nil {
			return made, err
		}
		var err error
		made.pass, err = l.pack(pass)
		return made, err
	case spool.Begin, spool.Finish:
		made.session = &session.Session{}
		if err := json.Unmarshal(record.Document, made.session); err != nil {
			return made, err
		}
		var err error
		made.header, err = header(made.session)
		return made, err
	case spool.Discard:
		return made, nil
	}
	return made, fmt.Errorf("unknown kind of record %q", record.Kind)
}

// put stores a record within a transaction.
func (r *stored) put(tx transaction, id string) error {
	switch r.kind {
	case spool.Discard:
		return discard(tx, id)
	case spool.Pass:
		var passes rows
		passes.add(id, r.number, r.pass.document, r.pass.samples)
		return tx.add(tx, tx.addPasses, &passes)
	}
	if err := tx.own(id); err != nil {
		return err
	}
	statement := tx.beginSession
	if r.kind == spool.Finish {
		statement = tx.finishSession
	}
	stored := *r.session
	stored.ID = id
	_, err := tx.Exec(statement, tx.sessionValues(&stored, r.header)...)
	if err != nil || r.kind == spool.Finish {
		return err
	}
	var conditions rows
	for _, mark := range marksOf(r.session) { // a review knows of visits that never end
		conditions.add(mark[0], clip(mark[1]), id)
	}
	return tx.add(tx, tx.addConditions, &conditions)
}

// Amend changes the header of a session, as notes do; its passes stay as they are.
func (l *Logbook) Amend(id string, amend func(*session.Session) error) error {
	return l.database.change(func(tx transaction) error {
		if err := tx.own(id); err != nil {
			return err
		}
		s, err := l.outline(tx, id)
		if err != nil {
			return err
		}
		if err := amend(s); err != nil {
			return err
		}
		return l.rewrite(tx, s)
	})
}

// rewrite puts the header of a session in the place of the one that is there.
func (l *Logbook) rewrite(tx transaction, s *session.Session) error {
	document, err := header(s)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(tx.amendSession, s.ID, document); err != nil {
		return err
	}
	return l.noteAnew(tx, s)
}

// Discard forgets a session.
func (l *Logbook) Discard(id string) error {
	return l.database.change(func(tx transaction) error { return discard(tx, id) })
}

func discard(tx transaction, id string) error {
	if err := tx.own(id); err != nil {
		return err
	}
	_, err := tx.Exec(tx.removeSession, id)
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
	samples, err := l.packSamples(pass.Samples)
	if err != nil {
		return packed{}, err
	}
	pass.Samples = nil
	document, err := json.Marshal(pass)
	return packed{document: string(document), samples: samples}, err
}

func (l *Logbook) packSamples(samples []session.Sample) ([]byte, error) {
	// This library writes and reads samples, of which there are many, in a third of
	// the time.
	plain, err := fastjson.Marshal(samples, fastjson.FormatNilMapAsNull(true), fastjson.FormatNilSliceAsNull(true))
	if err != nil {
		return nil, err
	}
	return l.encoder.EncodeAll(plain, nil), nil
}

func (l *Logbook) unpackSamples(packed []byte) ([]session.Sample, error) {
	var samples []session.Sample
	err := l.decoder.Decode(packed, &samples)
	return samples, err
}
