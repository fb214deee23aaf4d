// Package logbook keeps sessions in an SQLite file. A session is written while
// it runs: each pass is on stable media before the next one starts.
//
// A [Logbook] may be used by several goroutines at once, and a file by several
// programs: they wait for each other.
package logbook

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	"modernc.org/sqlite" // also the database driver
	sqlite3 "modernc.org/sqlite/lib"

	"opengauge/core/storage/scratch"
)

//go:embed migrations/*.sql
var migrations embed.FS

// applicationID marks an SQLite file as a logbook: "OGLB".
const applicationID = 1330072642

// Logbook is an open logbook. Several programs may have one open at once.
type Logbook struct {
	database store
	path     string
	// folder is where a copy of it is that stands for it, if there is one.
	folder *scratch.Folder
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
	home, err := os.UserHomeDir()
	if err != nil && os.Getenv("XDG_DATA_HOME") == "" {
		return "", fmt.Errorf("no place for the logbook: %w; name one with --logbook", err)
	}
	return dataFile(runtime.GOOS, home, os.Getenv, isFile), nil
}

// fileName is that of a logbook.
const fileName = "logbook.db"

// dataFile is where the programs of a system keep what they remember for a user: as
// XDG_DATA_HOME says (XDG Base Directory Specification 0.8), else where the system's own
// rules have it. A logbook that an earlier version made elsewhere stays where it is.
func dataFile(system, home string, environment func(string) string, isFile func(string) bool) string {
	earlier := filepath.Join(home, ".local", "share")
	folder := earlier
	switch data, local := environment("XDG_DATA_HOME"), environment("LOCALAPPDATA"); {
	case data != "":
		return filepath.Join(data, "opengauge", fileName)
	case system == "windows" && local != "":
		folder = local
	case system == "darwin":
		folder = filepath.Join(home, "Library", "Application Support")
	}
	path, old := filepath.Join(folder, "opengauge", fileName), filepath.Join(earlier, "opengauge", fileName)
	if !isFile(path) && isFile(old) {
		return old
	}
	return path
}

func isFile(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode().IsRegular()
}

func (l *Logbook) prepareCompression() (err error) {
	if l.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)),
		zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true)); err != nil {
		return err
	}
	l.decoder, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(largestSamples))
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
	provider, err := goose.NewProvider(goose.DialectSQLite3, l.database.DB, files,
		goose.WithGoMigrations(fillFinding()...))
	if err != nil {
		return err
	}
	ctx := l.database.ctx
	held, err := provider.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	known := newest(provider)
	if held > known {
		return fmt.Errorf("the logbook %s was written by a newer opengauge (layout %d, this program knows up to "+
			"%d); use that program, or name another logbook with --logbook", l.path, held, known)
	}
	if held < known && l.database.fixed != nil {
		return errOlder
	}
	if held < known {
		_, err = provider.Up(ctx)
	}
	return err
}

// errOlder says that a logbook that cannot be written has a layout of an older program.
var errOlder = errors.New("the logbook has an older layout, and cannot be written")

func newest(provider *goose.Provider) int64 {
	var newest int64
	for _, migration := range provider.ListSources() {
		newest = max(newest, migration.Version)
	}
	return newest
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
	err := errors.Join(l.encoder.Close(), l.database.Close())
	if l.folder != nil {
		err = errors.Join(err, l.folder.Close())
	}
	return err
}

// Under is the logbook within another context: what waits for it ends with that.
func (l *Logbook) Under(ctx context.Context) *Logbook {
	other := *l
	other.database.ctx = ctx
	return &other
}

// waiting is the logbook with another patience.
func (l *Logbook) waiting(within time.Duration) *Logbook {
	other := *l
	other.database.patience = within
	return &other
}

// onlyRead is why a logbook cannot be changed.
func onlyRead(path string) error { return fmt.Errorf("the logbook %s can only be read", path) }
