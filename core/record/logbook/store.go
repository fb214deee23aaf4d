package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// store is the database within the context of whoever uses it: what waits for it ends
// with that.
type store struct {
	*sql.DB
	ctx context.Context
	// patience is how long a change waits for others who write.
	patience time.Duration
	// fixed says why nothing can be changed, or is nil.
	fixed error
}

func (s store) Query(query string, arguments ...any) (*sql.Rows, error) {
	return s.QueryContext(s.ctx, query, arguments...)
}

func (s store) QueryRow(query string, arguments ...any) *sql.Row {
	return s.QueryRowContext(s.ctx, query, arguments...)
}

// Exec is a change of its own.
func (s store) Exec(query string, arguments ...any) (result sql.Result, err error) {
	err = s.patiently(func() error {
		result, err = s.ExecContext(s.ctx, query, arguments...)
		return err
	})
	return result, err
}

// change makes several changes together, or none. It is made anew if others are quicker.
func (s store) change(make func(*sql.Tx) error) error {
	return s.patiently(func() error { return s.changeOnce(make) })
}

func (s store) changeOnce(make func(*sql.Tx) error) error {
	tx, err := s.BeginTx(s.ctx, nil)
	if err != nil {
		return err
	}
	if err := make(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

const (
	// usualPatience is how long a change waits for others where nobody says.
	usualPatience = time.Minute
	// lockWait is how long the database itself waits, before it is asked whether the
	// caller still wants to.
	lockWait = 250 * time.Millisecond
	// longestPause is that between two tries. Pauses differ, so that nobody is always
	// the one who comes second.
	longestPause = 50 * time.Millisecond
)

// patiently changes something, again and again for as long as others hold the database.
func (s store) patiently(do func() error) error {
	if s.fixed != nil {
		return s.fixed
	}
	began := time.Now()
	for {
		err := do()
		switch {
		case !Busy(err):
			return err
		case s.ctx.Err() != nil:
			return s.ctx.Err()
		case time.Since(began) > s.patience:
			return fmt.Errorf("others have been writing to the logbook for %s: %w", s.patience, err)
		}
		time.Sleep(rand.N(longestPause))
	}
}

// Busy says whether an error only means that other programs hold the logbook.
func Busy(err error) bool {
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return false
	}
	primary := cause.Code() & 0xff
	return primary == sqlite3.SQLITE_BUSY || primary == sqlite3.SQLITE_LOCKED
}
