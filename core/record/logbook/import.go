package logbook

import (
	"errors"
	"fmt"
	"iter"
	"reflect"
	"slices"
	"time"

	"opengauge/core/record/session"
)

// Imported is the result of an import.
type Imported struct {
	Added int `json:"added"`
	// Known are sessions that were there already, and the same.
	Known int `json:"known"`
	// Conflicting are the ids of sessions that were there already and differ: the
	// logbook's own were kept.
	Conflicting []string `json:"conflicting"`
}

// largestBatch is how much is added together, in bytes as rows have them.
const largestBatch = 8 << 20

// Import adds whole sessions. A session that is there already is left as it is. An
// error ends the import; the sessions before it are kept, each of them whole.
func (l *Logbook) Import(sessions iter.Seq2[*session.Session, error]) (Imported, error) {
	done := Imported{Conflicting: []string{}}
	var batch []whole
	size := 0
	flush := func() error {
		added, err := l.addBatch(batch, done)
		if err == nil {
			done, batch, size = added, batch[:0], 0
		}
		return err
	}
	for each, err := range l.packedAhead(sessions) {
		if err == nil {
			err = l.database.ctx.Err()
		}
		if err == nil {
			batch, size = append(batch, each), size+each.size()
		}
		if err != nil || len(batch) == l.database.atOnce || size > largestBatch {
			if flushed := flush(); err != nil || flushed != nil {
				return done, errors.Join(err, flushed)
			}
		}
	}
	return done, flush()
}

// addBatch adds sessions together, and returns the result so far.
func (l *Logbook) addBatch(batch []whole, done Imported) (Imported, error) {
	if len(batch) == 0 {
		return done, nil
	}
	var added Imported
	began := time.Now()
	err := l.database.change(func(tx transaction) error {
		added = done
		added.Conflicting = slices.Clone(done.Conflicting)
		return l.newImporting(tx).add(batch, &added)
	})
	if err == nil {
		l.giveWay(time.Since(began))
	}
	return added, err
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
	// samples holds the packed samples of each pass, or nil for a pass without any.
	samples [][]byte
	noted   noted
}

// size is about how much it is, in bytes as rows have it.
func (w *whole) size() int {
	size := len(w.header) + len(w.noted.passes) + len(w.noted.digest)
	for _, samples := range w.samples {
		size += len(samples)
	}
	return size
}

// packedAtOnce is how many are packed and not written yet.
const packedAtOnce = 50

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
		pending := make(chan chan result, packedAtOnce)
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
	// Samples are let go of once they are packed: many sessions are packed and not written yet.
	bare := *s
	bare.Passes = slices.Clone(s.Passes)
	made := whole{session: withoutSamples(&bare)}
	var err error
	if made.header, err = header(s); err != nil {
		return made, err
	}
	made.samples = make([][]byte, len(s.Passes))
	for i := range s.Passes {
		if len(s.Passes[i].Samples) == 0 {
			continue
		}
		if made.samples[i], err = l.packSamples(s.Passes[i].Samples); err != nil {
			return made, err
		}
	}
	made.noted, err = l.noted(s)
	return made, err
}

// importing adds whole sessions within a transaction.
type importing struct {
	*Logbook
	tx transaction
}

func (l *Logbook) newImporting(tx transaction) *importing { return &importing{l, tx} }

// errMet says that others added one of the same sessions at the same time.
var errMet = errors.New("others add the same sessions now")

// add adds the sessions of a batch that are not there yet.
func (i *importing) add(batch []whole, done *Imported) error {
	known, err := i.findKnown(batch)
	if err != nil {
		return err
	}
	var met []*session.Session
	var sessions, passes rows
	var notes []noted
	for at := range batch {
		w := &batch[at]
		s := w.session
		if known[s.ID] {
			met = append(met, s)
			continue
		}
		known[s.ID] = true // it may come twice
		sessions.add(append(i.tx.sessionValues(s, w.header), len(w.samples))...)
		for j, samples := range w.samples {
			if samples != nil {
				passes.add(s.ID, j, "", samples)
			}
		}
		notes = append(notes, w.noted)
		done.Added++
	}
	if err := i.tx.add(i.tx, i.tx.addSessions, &sessions); err != nil {
		if taken(err) {
			return errMet
		}
		return err
	}
	if err := errors.Join(i.tx.add(i.tx, i.tx.addPasses, &passes), i.newIndex(i.tx).add(notes...)); err != nil {
		return err
	}
	for _, s := range met {
		if err := i.meet(s, done); err != nil {
			return fmt.Errorf("session %s could not be added: %w", s.ID, err)
		}
	}
	return nil
}

// taken says whether a row is there already that was to be added.
func taken(err error) bool { return stateOf(err) == "23505" }

// findKnown are the ids of a batch that are there already.
func (i *importing) findKnown(batch []whole) (map[string]bool, error) {
	ids := make([]string, len(batch))
	for at := range batch {
		ids[at] = batch[at].session.ID
	}
	found, err := queryTexts(i.tx, `SELECT id FROM sessions WHERE id IN (`+i.tx.listQuery(1)+`)`, jsonList(ids))
	known := make(map[string]bool, len(found))
	for _, id := range found {
		known[id] = true
	}
	return known, err
}

// meet compares a session with the one of the same id that is there.
func (i *importing) meet(s *session.Session, done *Imported) error {
	own, err := i.outline(i.tx, s.ID)
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
