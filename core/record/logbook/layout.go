package logbook

import (
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strconv"
	"time"

	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
)

// The layouts of a logbook, a file each, and a folder for each engine: a layout has the same
// number in all of them.
//
//go:embed migrations
var migrations embed.FS

// layouts are the migrations of the logbook's engine.
func (l *Logbook) layouts() (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations/"+l.database.layouts)
	if err != nil {
		return nil, err
	}
	if l.database.layouts == inFile.layouts {
		return goose.NewProvider(goose.DialectSQLite3, l.database.DB, files, goose.WithGoMigrations(l.fillFinding()...))
	}
	return goose.NewProvider(goose.DialectPostgres, l.database.DB, files, goose.WithDisableGlobalRegistry(true))
}

// ErrNewer says that a logbook has a layout of a newer program: it can be read, and new measurements wait.
var ErrNewer = errors.New("it was written by a newer opengauge")

// bringUpToDate sees that the program understands the logbook, and brings an older one up to
// date. A newer one can be read where its layout allows that.
func (l *Logbook) bringUpToDate() error {
	provider, err := l.layouts()
	if err != nil {
		return err
	}
	held, err := l.heldLayout()
	if err != nil {
		return err
	}
	known := newest(provider)
	readable := true
	if held > known {
		if readable, err = l.readableFrom(known); err != nil {
			return err
		}
	}
	switch {
	case held > known && !readable:
		return fmt.Errorf("the logbook %s was written by a newer opengauge (layout %d, this program knows up to "+
			"%d); use that program, or name another logbook with --logbook", l.place, held, known)
	case held > known:
		l.database.fixed = fmt.Errorf("the logbook %s can only be read: %w (layout %d, this program knows up to %d)",
			l.place, ErrNewer, held, known)
	case held < known && l.database.fixed != nil:
		return errOlder
	case held < known:
		_, err = provider.Up(l.database.ctx)
		if stateOf(err) == "42501" {
			return fmt.Errorf("%w; its keepers bring it up to date with opengauge logbook prepare", errOlder)
		}
	}
	return err
}

// heldLayout is the layout of the logbook, or 0 where it is new. It takes no lock, so that nobody
// who opens a logbook waits for others who do.
func (l *Logbook) heldLayout() (held int64, err error) {
	var made int
	if err := l.database.QueryRow(l.database.has, "goose_db_version").Scan(&made); err != nil || made == 0 {
		return 0, err
	}
	err = l.database.QueryRow(`SELECT coalesce(max(version_id), 0) FROM goose_db_version WHERE is_applied`).Scan(&held)
	return held, err
}

// readableFrom reports whether a program that knows layouts up to one can read this newer one.
func (l *Logbook) readableFrom(known int64) (bool, error) {
	var made int
	if err := l.database.QueryRow(l.database.has, "settings").Scan(&made); err != nil || made == 0 {
		return false, err
	}
	var text string
	err := l.database.QueryRow(`SELECT value FROM settings WHERE key = 'readable_from'`).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	from, wrong := strconv.ParseInt(text, 10, 64)
	return wrong == nil && from <= known, err
}

// errOlder says that a logbook that cannot be written has a layout of an older program.
var errOlder = errors.New("the logbook has an older layout, and cannot be changed from here")

func newest(provider *goose.Provider) int64 {
	var newest int64
	for _, migration := range provider.ListSources() {
		newest = max(newest, migration.Version)
	}
	return newest
}

// prepare checks that the program understands the logbook, and brings an older one up to
// date. When two programs do that at once, one of them fails, and finds it done when it
// looks again.
func (l *Logbook) prepare() error {
	const within, pause = time.Minute, 100 * time.Millisecond
	var err error
	for began := time.Now(); ; time.Sleep(pause) {
		err = l.bringUpToDate()
		if !l.database.lostRace(err) || time.Since(began) > within || l.database.ctx.Err() != nil {
			break
		}
		if !l.database.busy(err) && time.Since(began) > 20*pause {
			break
		}
	}
	if cause := new(sqlite.Error); errors.As(err, &cause) {
		return l.unusable(err)
	}
	return err
}
