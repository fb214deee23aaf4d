package logbook

import (
	"fmt"
	"iter"
	"runtime"
	"slices"

	fastjson "github.com/go-json-experiment/json"

	"opengauge/core/record/session"
)

// outline is what comparisons over many sessions read of one: all that may set it apart, and
// the figures of its passes. Zeros are left out, so that ten thousand are read in a moment.
func outline(s *session.Session) *session.Session {
	made := *s
	made.Plan.Steps, made.Events, made.Findings, made.Notes, made.Estimates, made.Contentions = nil, nil, nil, nil, nil, nil
	made.Passes = slices.Clone(s.Passes)
	for i := range made.Passes {
		pass := &made.Passes[i]
		pass.Samples, pass.Tracks, pass.Link, pass.Failures = nil, nil, nil, nil
	}
	return &made
}

func (l *Logbook) packOutline(s *session.Session) ([]byte, error) {
	plain, err := fastjson.Marshal(outline(s), fastjson.OmitZeroStructFields(true))
	if err != nil {
		return nil, err
	}
	return l.encoder.EncodeAll(plain, nil), nil
}

func (l *Logbook) unpackOutline(packed []byte) (*session.Session, error) {
	plain, err := l.decoder.DecodeAll(packed, nil)
	if err != nil {
		return nil, err
	}
	s := &session.Session{}
	return s, fastjson.Unmarshal(plain, s)
}

// outlinesAtOnce is how many are asked for together, and read on all processors.
const outlinesAtOnce = 500

// Outlines gives sessions by their ids, in this order, without samples, events, findings and
// notes, and without what their plans say. One that is missing was removed, or has not ended:
// then it comes as [Logbook.LoadBrief] has it.
func (l *Logbook) Outlines(ids []string) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		for some := range slices.Chunk(ids, outlinesAtOnce) {
			packed, err := l.outlinesOf(some)
			if err != nil {
				yield(nil, l.unusable(err))
				return
			}
			for _, each := range l.unpackedOutlines(some, packed) {
				if each.err != nil {
					each.err = fmt.Errorf("reading a session from the logbook %s: %w", l.place, each.err)
				}
				if !yield(each.session, each.err) {
					return
				}
			}
		}
	}
}

func (l *Logbook) outlinesOf(ids []string) (map[string][]byte, error) {
	rows, err := l.database.Query(`SELECT session, document FROM outlines WHERE session IN (`+l.database.listed(1)+`)`,
		jsonList(ids))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	packed := make(map[string][]byte, len(ids))
	for rows.Next() {
		var id string
		var document []byte
		if err := rows.Scan(&id, &document); err != nil {
			return nil, err
		}
		packed[id] = document
	}
	return packed, rows.Err()
}

// unpacked is an outline, or why there is none.
type unpacked struct {
	session *session.Session
	err     error
}

func (l *Logbook) unpackedOutlines(ids []string, packed map[string][]byte) []unpacked {
	made := make([]unpacked, len(ids))
	ready := make(chan struct{})
	workers := runtime.GOMAXPROCS(0)
	for worker := range workers {
		go func() {
			for i := worker; i < len(ids); i += workers {
				if document, ok := packed[ids[i]]; ok {
					made[i].session, made[i].err = l.unpackOutline(document)
				} else {
					made[i].session, made[i].err = brief(l.database, ids[i])
				}
			}
			ready <- struct{}{}
		}()
	}
	for range workers {
		<-ready
	}
	return made
}
