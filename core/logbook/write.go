package logbook

import (
	"encoding/json"
	"fmt"

	"github.com/klauspost/compress/zstd"

	"opengauge/core/session"
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
		`INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		s.ID, s.Name, s.Started.UnixMilli(), started.State, s.Simulated, s.Plan.Name, s.Target.Address, document)
	return err
}

// AddPass adds a pass to a session that was begun.
func (l *Logbook) AddPass(id string, pass session.Pass) error {
	samples, err := packSamples(pass.Samples)
	if err != nil {
		return err
	}
	pass.Samples = nil
	document, err := json.Marshal(pass)
	if err != nil {
		return err
	}
	_, err = l.database.Exec(
		`INSERT INTO passes (session, position, document, samples)
		 SELECT ?1, count(*), ?2, ?3 FROM passes WHERE session = ?1`,
		id, string(document), samples)
	return err
}

// Finish records how a session ended.
func (l *Logbook) Finish(s *session.Session) error {
	document, err := header(s)
	if err != nil {
		return err
	}
	result, err := l.database.Exec(`UPDATE sessions SET state = ?, document = ? WHERE id = ?`, s.State, document, s.ID)
	if err != nil {
		return err
	}
	if changed, err := result.RowsAffected(); err == nil && changed == 0 {
		return fmt.Errorf("session %s is not in the logbook any more", s.ID)
	}
	return nil
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

func packSamples(samples []session.Sample) ([]byte, error) {
	plain, err := json.Marshal(samples)
	if err != nil {
		return nil, err
	}
	encoder, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	return encoder.EncodeAll(plain, nil), encoder.Close()
}

// largestSamples bounds what a damaged row can make the reader allocate: a
// week of one-second samples with many sensors.
const largestSamples = 1 << 30

func unpackSamples(packed []byte) ([]session.Sample, error) {
	decoder, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(largestSamples))
	if err != nil {
		return nil, err
	}
	defer decoder.Close()
	plain, err := decoder.DecodeAll(packed, nil)
	if err != nil {
		return nil, err
	}
	var samples []session.Sample
	return samples, json.Unmarshal(plain, &samples)
}
