package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"strconv"
	"time"
)

// Retention is how many days a logbook keeps its sessions; 0 is for ever. Nothing is removed by itself:
// [Logbook.Expire] does it when somebody asks.
type Retention struct {
	// SampleDays is for samples, after which the figures of passes stay, and SessionDays for all.
	SampleDays  int `json:"sample_days"`
	SessionDays int `json:"session_days"`
}

// KeepTag is the tag of sessions that are kept for ever.
const KeepTag = "keep"

const (
	sampleDays  = "retention_sample_days"
	sessionDays = "retention_session_days"
)

// Retention returns the agreed retention.
func (l *Logbook) Retention() (r Retention, err error) {
	if r.SampleDays, err = l.setting(sampleDays); err != nil {
		return r, err
	}
	r.SessionDays, err = l.setting(sessionDays)
	return r, err
}

func (l *Logbook) setting(key string) (int, error) {
	var text string
	err := l.database.QueryRow(`SELECT value FROM settings WHERE key = $1`, key).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	if err != nil {
		return 0, l.unusable(err)
	}
	return strconv.Atoi(text)
}

// SetRetention agrees on something else. On a server only keepers can.
func (l *Logbook) SetRetention(r Retention) error {
	return l.database.change(func(tx transaction) error {
		for key, days := range map[string]int{sampleDays: r.SampleDays, sessionDays: r.SessionDays} {
			_, err := tx.Exec(`INSERT INTO settings (key, value) VALUES ($1, $2)
				ON CONFLICT (key) DO UPDATE SET value = excluded.value`, key, strconv.Itoa(days))
			if stateOf(err) == "42501" {
				return errors.New("only the keepers of the logbook agree on how long it keeps sessions")
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// Expired lists everything older than a retention allows.
type Expired struct {
	Sessions []string `json:"sessions"`
	// Samples are sessions that have samples to be let go of.
	Samples []string `json:"samples"`
}

// Expired lists everything that is older at a time than a retention allows.
func (l *Logbook) Expired(r Retention, now time.Time) (found Expired, err error) {
	const untagged = ` AND NOT EXISTS (SELECT 1 FROM tags WHERE tag = $2 AND tags.session = id)`
	if r.SessionDays > 0 {
		if found.Sessions, err = l.ids(`SELECT id FROM sessions WHERE started_ms < $1`+untagged+newestFirst,
			now.AddDate(0, 0, -r.SessionDays).UnixMilli(), KeepTag); err != nil {
			return found, err
		}
	}
	if r.SampleDays > 0 {
		found.Samples, err = l.ids(`SELECT id FROM sessions WHERE started_ms < $1`+untagged+` AND EXISTS (SELECT 1 FROM
			passes WHERE passes.session = id AND passes.document = '')`+newestFirst,
			now.AddDate(0, 0, -r.SampleDays).UnixMilli(), KeepTag)
	}
	return found, err
}

// Expire removes expired sessions and samples, a session at a time.
func (l *Logbook) Expire(found Expired, progress func(done int)) error {
	done := 0
	for _, id := range found.Sessions {
		if err := errors.Join(l.database.ctx.Err(), l.Discard(id)); err != nil {
			return fmt.Errorf("session %s could not be removed: %w", id, err)
		}
		done++
		progress(done)
	}
	for _, id := range found.Samples {
		if err := errors.Join(l.database.ctx.Err(), l.dropSamples(id)); err != nil {
			return fmt.Errorf("the samples of session %s could not be removed: %w", id, err)
		}
		done++
		progress(done)
	}
	return nil
}

// dropSamples lets go of a session's samples; the figures of its passes stay.
func (l *Logbook) dropSamples(id string) error {
	return l.database.change(func(tx transaction) error {
		if err := tx.own(id); err != nil {
			return err
		}
		s, err := l.brief(tx, id)
		if errors.Is(err, sql.ErrNoRows) { // it was removed
			return nil
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(tx.removeSamples, id); err != nil {
			return err
		}
		return l.noteAnew(tx, s)
	})
}
