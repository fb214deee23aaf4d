package logbook

import (
	"errors"
	"fmt"
	"iter"
	"reflect"
	"time"

	"opengauge/core/record/session"
)

// Imported says what an import did.
type Imported struct {
	Added int `json:"added"`
	// Known are sessions that were there already, and the same.
	Known int `json:"known"`
	// Conflicting are the ids of sessions that were there already and differ: the
	// logbook's own were kept.
	Conflicting []string `json:"conflicting"`
}

// inTransaction is how many sessions are added at once: others who wait for the
// logbook wait no longer than for that.
const inTransaction = 50

// Import adds whole sessions. A session that is there already is left as it is. An
// error ends the import; the sessions before it are kept, each of them whole.
func (l *Logbook) Import(sessions iter.Seq2[*session.Session, error]) (Imported, error) {
	done := Imported{Conflicting: []string{}}
	batch := make([]whole, 0, inTransaction)
	flush := func() error {
		if len(batch) == 0 {
			return nil
		}
		added := done
		began := time.Now()
		err := l.database.change(func(tx transaction) error {
			into := l.newImporting(tx)
			for i := range batch {
				if err := into.add(&batch[i], &added); err != nil {
					return fmt.Errorf("session %s could not be added: %w", batch[i].session.ID, err)
				}
			}
			return into.end()
		})
		if err == nil {
			done, batch = added, batch[:0]
			l.giveWay(time.Since(began))
		}
		return err
	}
	for each, err := range l.packedAhead(sessions) {
		if err == nil {
			err = l.database.ctx.Err()
		}
		if err == nil {
			batch = append(batch, each)
		}
		if err != nil || len(batch) == inTransaction {
			if flushed := flush(); err != nil || flushed != nil {
				return done, errors.Join(err, flushed)
			}
		}
	}
	return done, flush()
}

// giveWay leaves the logbook to others for as long as it was held, up to a moment.
func (l *Logbook) giveWay(held time.Duration) {
	const longest = 20 * time.Millisecond
	select {
	case <-l.database.ctx.Done():
	case <-time.After(min(held, longest)):
	}
}

// whole is a session with its passes as rows have them.
type whole struct {
	session *session.Session
	header  string
	passes  []packed
	noted   noted
}

// packedAhead packs sessions while earlier ones are written, on all processors.
func (l *Logbook) packedAhead(sessions iter.Seq2[*session.Session, error]) iter.Seq2[whole, error] {
	type result struct {
		whole
		err error
	}
	return func(yield func(whole, error) bool) {
		stop := make(chan struct{})
		defer close(stop)
		// As many as are written at a time: packing goes on while the disk is waited for.
		pending := make(chan chan result, inTransaction)
		go func() {
			defer close(pending)
			for s, err := range sessions {
				slot := make(chan result, 1)
				select {
				case pending <- slot:
				case <-stop:
					return
				}
				if err != nil {
					slot <- result{err: err}
					return
				}
				go func() {
					made, err := l.packWhole(s)
					slot <- result{made, err}
				}()
			}
		}()
		for slot := range pending {
			if each := <-slot; !yield(each.whole, each.err) || each.err != nil {
				return
			}
		}
	}
}

func (l *Logbook) packWhole(s *session.Session) (whole, error) {
	made := whole{session: s}
	var err error
	if made.header, err = header(s); err != nil {
		return made, err
	}
	for _, pass := range s.Passes {
		row, err := l.pack(pass)
		if err != nil {
			return made, err
		}
		made.passes = append(made.passes, row)
	}
	made.noted, err = l.noted(s)
	return made, err
}

// importing adds whole sessions within a transaction.
type importing struct {
	*Logbook
	tx     transaction
	index  *index
	passes rows
	noted  []noted
}

func (l *Logbook) newImporting(tx transaction) *importing {
	return &importing{Logbook: l, tx: tx, index: l.newIndex(tx),
		passes: rows{table: "passes (session, position, document, samples)"}}
}

func (i *importing) add(w *whole, done *Imported) error {
	s := w.session
	result, err := i.tx.Exec(`INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document, passes)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) ON CONFLICT DO NOTHING`, s.ID, s.Name, s.Started.UnixMilli(),
		string(s.State), s.Simulated, s.Plan.Name, s.Target.Address, w.header, len(w.passes))
	if err != nil {
		return err
	}
	if added, err := result.RowsAffected(); err != nil {
		return err
	} else if added == 0 {
		return i.meet(s, done)
	}
	for j, row := range w.passes {
		i.passes.add(s.ID, j, row.document, row.samples)
	}
	i.noted = append(i.noted, w.noted)
	done.Added++
	return nil
}

// end puts the rows of all of them to their tables.
func (i *importing) end() error { return errors.Join(i.passes.put(i.tx), i.index.add(i.noted...)) }

// meet compares a session with the one of the same id that is there.
func (i *importing) meet(s *session.Session, done *Imported) error {
	if err := i.end(); err != nil { // the other may be of the same import
		return err
	}
	i.passes.values, i.noted = nil, nil
	own, err := brief(i.tx, s.ID)
	if err != nil {
		return err
	}
	if alikeButSamples(own, s) {
		done.Known++
		if own.AddNotes(s.Notes) && i.tx.own(s.ID) == nil {
			return i.rewrite(i.tx, own)
		}
	} else {
		done.Conflicting = append(done.Conflicting, s.ID)
	}
	return nil
}

// alikeButSamples says whether two sessions hold the same. Findings are left out:
// they are computed anew, and better, by newer programs.
func alikeButSamples(a, b *session.Session) bool {
	return reflect.DeepEqual(essence(a), essence(b))
}

type passEssence struct {
	asked        any
	bytes        int64
	operations   int64
	rate, p99    float64
	elapsed, iop float64
}

func essence(s *session.Session) []any {
	essence := []any{s.ID, s.Name, s.Started.UnixMilli(), s.Ended.UnixMilli(), s.State, s.Target.Address, len(s.Passes)}
	for i := range s.Passes {
		p := &s.Passes[i]
		essence = append(essence, passEssence{p.Key(), int64(p.Bytes), p.Operations, float64(p.BytesPerSecond),
			p.Latency.P99, p.ElapsedSeconds, p.IOPS})
	}
	return essence
}
