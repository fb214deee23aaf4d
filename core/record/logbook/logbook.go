// Package logbook keeps sessions in an SQLite file. A session is written while
// it runs: each pass is on stable media before the next one starts.
//
// A [Logbook] may be used by several goroutines at once, and a file by several
// programs: they wait for each other.
package logbook

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	"modernc.org/sqlite" // also the database driver
	sqlite3 "modernc.org/sqlite/lib"
)

//go:embed migrations/*.sql
var migrations embed.FS

// applicationID marks an SQLite file as a logbook: "OGLB".
const applicationID = 1330072642

// Logbook is an open logbook. Several programs may have one open at once.
type Logbook struct {
	database *sql.DB
	path     string
	// Samples are kept compressed. Both may be used by several goroutines.
	encoder *zstd.Encoder
	decoder *zstd.Decoder
}

// DefaultPath is where the logbook is when nobody says otherwise:
// $OPENGAUGE_LOGBOOK, or a file in the user's data folder.
func DefaultPath() (string, error) {
	if path := os.Getenv("OPENGAUGE_LOGBOOK"); path != "" {
		return path, nil
	}
	data := os.Getenv("XDG_DATA_HOME")
	if data == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			return "", fmt.Errorf("no place for the logbook: %w; name one with --logbook", err)
		}
		data = filepath.Join(home, ".local", "share")
	}
	return filepath.Join(data, "opengauge", "logbook.db"), nil
}

// Create opens the logbook at path and makes it if it is not there.
func Create(path string) (*Logbook, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("could not make the folder of the logbook %s: %w; name another place with --logbook",
			path, err)
	}
	return open(path)
}

// Open opens a logbook that is there already.
func Open(path string) (*Logbook, error) {
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no logbook at %s yet; measure something first, or name another place with "+
			"--logbook", path)
	} else if err != nil {
		return nil, fmt.Errorf("could not open the logbook: %w", err)
	}
	return open(path)
}

func open(path string) (*Logbook, error) {
	database, err := sql.Open("sqlite", source(path))
	if err != nil {
		return nil, fmt.Errorf("could not open the logbook %s: %w", path, err)
	}
	book := &Logbook{database: database, path: path}
	if err := book.prepareCompression(); err != nil {
		_ = database.Close()
		return nil, err
	}
	if err := book.prepare(); err != nil {
		_ = database.Close()
		return nil, err
	}
	return book, nil
}

func (l *Logbook) prepareCompression() (err error) {
	if l.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)),
		zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true)); err != nil {
		return err
	}
	l.decoder, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(largestSamples))
	return err
}

// source is the database driver's name for the file, with each connection's
// settings: readers beside one writer, waiting for each other, and every
// transaction on stable media when it ends.
func source(path string) string {
	settings := url.Values{"_pragma": {
		"busy_timeout(10000)", "journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(ON)",
	}, "_txlock": {"immediate"}}
	return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(),
		RawQuery: settings.Encode()}).String()
}

// prepare checks that the file is a logbook that this program understands, and
// brings an older one up to date. When two programs do that at once, one of them
// fails, and finds it done when it looks again.
func (l *Logbook) prepare() error {
	const tries, pause = 20, 100 * time.Millisecond
	var err error
	for range tries {
		if err = l.recognise(); err == nil {
			err = l.bringUpToDate()
		}
		if !lostRace(err) {
			break
		}
		time.Sleep(pause)
	}
	if cause := new(sqlite.Error); errors.As(err, &cause) {
		return l.unusable(err)
	}
	return err
}

// lostRace is whether an error may come from another program that is preparing the
// same file: it holds the file, or what was to be made is there by now.
func lostRace(err error) bool {
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return false
	}
	primary := cause.Code() & 0xff
	return primary == sqlite3.SQLITE_BUSY || primary == sqlite3.SQLITE_ERROR || primary == sqlite3.SQLITE_CONSTRAINT
}

func (l *Logbook) bringUpToDate() error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, l.database, files,
		goose.WithGoMigrations(fillFinding()...))
	if err != nil {
		return err
	}
	ctx := context.Background()
	held, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	known := newest(provider)
	if held > known {
		return fmt.Errorf("the logbook %s was written by a newer opengauge (layout %d, this program knows up to "+
			"%d); use that program, or name another logbook with --logbook", l.path, held, known)
	}
	if held < known {
		_, err = provider.Up(ctx)
	}
	return err
}

func newest(provider *goose.Provider) int64 {
	var newest int64
	for _, migration := range provider.ListSources() {
		newest = max(newest, migration.Version)
	}
	return newest
}

// recognise refuses files that are no logbook, before anything is written, and marks
// an empty one as a logbook.
func (l *Logbook) recognise() error {
	var id int64
	if err := l.database.QueryRow("PRAGMA application_id").Scan(&id); err != nil {
		return err
	}
	if id == applicationID {
		return nil
	}
	return l.mark()
}

// mark makes an empty file a logbook. It looks and writes in one transaction, as
// another program may be making the same logbook.
func (l *Logbook) mark() error {
	transaction, err := l.database.Begin()
	if err != nil {
		return err
	}
	defer func() { _ = transaction.Rollback() }()
	var id, tables int64
	if err := transaction.QueryRow("PRAGMA application_id").Scan(&id); err != nil {
		return err
	}
	if id == applicationID {
		return nil
	}
	if err := transaction.QueryRow("SELECT count(*) FROM sqlite_schema").Scan(&tables); err != nil {
		return err
	}
	if tables > 0 {
		return fmt.Errorf("%s is a database, but not a logbook; name another file with --logbook", l.path)
	}
	if _, err := transaction.Exec(fmt.Sprintf("PRAGMA application_id = %d", applicationID)); err != nil {
		return err
	}
	return transaction.Commit()
}

func (l *Logbook) unusable(err error) error {
	return fmt.Errorf("the logbook %s cannot be used (%w); if it is damaged, move it away or name another with "+
		"--logbook", l.path, err)
}

// Path is the logbook's file.
func (l *Logbook) Path() string { return l.path }

// Close closes the logbook.
func (l *Logbook) Close() error {
	l.decoder.Close()
	return errors.Join(l.encoder.Close(), l.database.Close())
}
