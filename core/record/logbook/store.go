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

	"opengauge/core/record/session"
	"opengauge/core/storage/fault"
)

// store is the database within the context of its user: calls that wait end with that.
type store struct {
	*sql.DB
	engine
	ctx context.Context
	// patience is how long a change waits for others who write.
	patience time.Duration
	// fixed says why nothing can be changed, or is nil.
	fixed error
}

// engine holds the differences between the databases that keep logbooks. Statements are the same for all of
// them where they can be: $1 is the first argument, and lists of texts go as JSON.
type engine struct {
	// layouts is the folder of its migrations.
	layouts string
	// has is a query of how many tables have a name.
	has string
	// texts is a query of the texts of a list, which is the argument of a number.
	texts string
	// like compares without regard to capital letters.
	like string
	// named is where sessions are searched for a part of their names.
	named string
	// owner is a query of who kept the session of an id, and of whether this account may change
	// it; empty where anybody may.
	owner string
	// atOnce is how many sessions are imported together: where others wait for the whole
	// logbook meanwhile, few.
	atOnce int
	// statements are its changes, and add makes those with many rows.
	statements
	add func(transaction, bulk, *rows) error
	// sessionValues returns the arguments by which a session is stored.
	sessionValues func(s *session.Session, header string) []any
	// holders names those whose transactions others wait for, or returns "".
	holders func(store) string
	// lostRace reports whether an error may come from another program that prepares the same logbook.
	lostRace func(error) bool
	// busy says whether an error means only that others hold the database, or that it is away.
	busy func(error) bool
	// plainer explains an error of the database, and how to go on.
	plainer func(error) error
}

// listQuery is the query of the texts of the list that is an argument.
func (e engine) listQuery(argument int) string { return fmt.Sprintf(e.texts, argument) }

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

// transaction is changes that are made together.
type transaction struct {
	tx  *sql.Tx
	ctx context.Context
	engine
}

func (t transaction) Query(query string, arguments ...any) (*sql.Rows, error) {
	return t.tx.QueryContext(t.ctx, query, arguments...)
}

func (t transaction) QueryRow(query string, arguments ...any) *sql.Row {
	return t.tx.QueryRowContext(t.ctx, query, arguments...)
}

func (t transaction) Exec(query string, arguments ...any) (sql.Result, error) {
	return t.tx.ExecContext(t.ctx, query, arguments...)
}

// own fails where a session is somebody else's. One that is not there is nobody's.
func (t transaction) own(id string) error {
	if t.owner == "" {
		return nil
	}
	var recorder string
	var may bool
	err := t.QueryRow(t.owner, id).Scan(&recorder, &may)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil
	case err != nil:
		return err
	case !may:
		return fmt.Errorf("session %s is of the account %s; only that and the keepers of the logbook may change it", id,
			recorder)
	}
	return nil
}

// change makes several changes together, or none. It is made anew if others are quicker.
func (s store) change(make func(transaction) error) error {
	return s.patiently(func() error { return s.changeOnce(make) })
}

func (s store) changeOnce(make func(transaction) error) error {
	tx, err := s.BeginTx(s.ctx, nil)
	if err != nil {
		return err
	}
	if err := make(transaction{tx, s.ctx, s.engine}); err != nil {
		_ = tx.Rollback() // what failed says why
		return err
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
		case err == nil:
			return nil
		case !s.busy(err):
			return s.plainer(err)
		case s.ctx.Err() != nil:
			return s.ctx.Err()
		case time.Since(began) > s.patience:
			return fmt.Errorf("others have been writing to the logbook for %s%s: %w", s.patience, s.holders(s), err)
		}
		time.Sleep(rand.N(longestPause))
	}
}

// Waits reports whether a measurement may wait in a spool although a logbook gave an error: other programs
// hold it, its disk is full or fails, its server is away or in trouble, or its layout is another program's.
// It is false where somebody has to mend something before, as an address or a password.
func Waits(err error) bool {
	return heldFile(err) || diskTrouble(err) || serverTrouble(err) || errors.Is(err, ErrAway) ||
		errors.Is(err, ErrNewer) || errors.Is(err, errOlder)
}

// diskTrouble reports whether the disk of a file is full or fails.
func diskTrouble(err error) bool {
	if kind := fault.Of(err); kind == fault.Full || kind == fault.Failed {
		return true
	}
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return false
	}
	primary := cause.Code() & 0xff
	return primary == sqlite3.SQLITE_FULL || primary == sqlite3.SQLITE_IOERR
}
