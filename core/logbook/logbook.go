// Package logbook keeps sessions in an SQLite file. A session is written while
// it runs: each pass is on stable media before the next one starts.
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

	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the database driver
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
		return nil, fmt.Errorf("could not make the folder of the logbook %s: %w; name another place with --logbook", path, err)
	}
	return open(path)
}

// Open opens a logbook that is there already.
func Open(path string) (*Logbook, error) {
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("there is no logbook at %s yet; measure something first, or name another place with --logbook", path)
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
	if l.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)), zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true)); err != nil {
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
	return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(), RawQuery: settings.Encode()}).String()
}

// prepare checks that the file is a logbook that this program understands, and
// brings an older one up to date.
func (l *Logbook) prepare() error {
	if err := l.recognise(); err != nil {
		return err
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, l.database, files, goose.WithGoMigrations(fillFinding()))
	if err != nil {
		return l.unusable(err)
	}
	ctx := context.Background()
	held, err := provider.GetDBVersion(ctx)
	if err != nil {
		return l.unusable(err)
	}
	known := newest(provider)
	switch {
	case held > known:
		return fmt.Errorf("the logbook %s was written by a newer opengauge (layout %d, this program knows up to %d); use that program, or name another logbook with --logbook", l.path, held, known)
	case held == known:
		return nil
	}
	if _, err := provider.Up(ctx); err != nil {
		return l.unusable(err)
	}
	return nil
}

func newest(provider *goose.Provider) int64 {
	var newest int64
	for _, migration := range provider.ListSources() {
		newest = max(newest, migration.Version)
	}
	return newest
}

// recognise refuses files that are no logbook, before anything is written.
func (l *Logbook) recognise() error {
	var id, tables int64
	if err := l.database.QueryRow("PRAGMA application_id").Scan(&id); err != nil {
		return l.unusable(err)
	}
	if err := l.database.QueryRow("SELECT count(*) FROM sqlite_schema").Scan(&tables); err != nil {
		return l.unusable(err)
	}
	if id != applicationID && tables > 0 {
		return fmt.Errorf("%s is a database, but not a logbook; name another file with --logbook", l.path)
	}
	return nil
}

func (l *Logbook) unusable(err error) error {
	return fmt.Errorf("the logbook %s cannot be used (%w); if it is damaged, move it away or name another with --logbook", l.path, err)
}

// Path is the logbook's file.
func (l *Logbook) Path() string { return l.path }

// Close closes the logbook.
func (l *Logbook) Close() error {
	l.decoder.Close()
	return errors.Join(l.encoder.Close(), l.database.Close())
}
