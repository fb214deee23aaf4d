package logbook

import (
	"context"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"opengauge/core/storage/scratch"
)

// Create opens the logbook at a place and makes it if it is not there. Calls that wait end with the context.
func Create(ctx context.Context, place string) (*Logbook, error) {
	open := createFile
	if Shared(place) {
		open = func(ctx context.Context, place string) (*Logbook, error) { return openServer(ctx, place, true) }
	}
	book, err := open(ctx, place)
	if err == nil && book.database.fixed != nil {
		return nil, errors.Join(fmt.Errorf("%w; name another with --logbook", book.database.fixed), book.Close())
	}
	return book, err
}

func createFile(ctx context.Context, path string) (*Logbook, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("could not make the folder of the logbook %s: %w; name another place with --logbook",
			path, err)
	}
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		if err := makeNew(ctx, path); err != nil {
			return nil, fmt.Errorf("could not make the logbook %s: %w; name another place with --logbook", path, err)
		}
	}
	return openFile(ctx, path)
}

// ErrNone says that there is no logbook.
var ErrNone = errors.New("there is no logbook")

// Open opens a logbook that is there already. One that cannot be written can be read.
func Open(ctx context.Context, place string) (*Logbook, error) {
	if Shared(place) {
		return openServer(ctx, place, false)
	}
	return openFile(ctx, place)
}

func openFile(ctx context.Context, path string) (*Logbook, error) {
	info, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("%w at %s yet; measure something first, or name another place with --logbook", ErrNone, path)
	case err != nil:
		return nil, fmt.Errorf("could not open the logbook: %w", err)
	case !info.Mode().IsRegular():
		return nil, fmt.Errorf("%s is no plain file, and so no logbook; name a file with --logbook", path)
	}
	if err := looksLikeOne(ctx, path); err != nil {
		return nil, err
	}
	if !writable(path) {
		return openToRead(ctx, path)
	}
	book, err := openAs(ctx, path, path, writing)
	if !diskTrouble(err) {
		return book, err
	}
	// Where there is no room for what is beside a logbook while it is written, it can be read still.
	if read, wrong := openToRead(ctx, path); wrong == nil {
		read.database.fixed = fmt.Errorf("%w: %w", onlyRead(path), err)
		return read, nil
	}
	return nil, err
}

// makeNew makes an empty logbook, whole before it has its name: nobody meets half of one.
// If another program was quicker, its logbook is the one.
func makeNew(ctx context.Context, path string) error {
	home, err := scratch.In(filepath.Dir(path))
	if err != nil {
		return err
	}
	made, err := newFile(home, "logbook")
	if err == nil {
		err = makeAt(ctx, made)
	}
	if err == nil {
		if err = home.GiveNew(made, path); errors.Is(err, fs.ErrExist) {
			err = nil
		}
	}
	return errors.Join(err, home.Close())
}

func makeAt(ctx context.Context, path string) error {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if err := file.Close(); err != nil {
		return err
	}
	database, err := sql.Open("sqlite", source(path, writing))
	if err != nil {
		return err
	}
	if _, err := database.ExecContext(ctx, fmt.Sprintf("PRAGMA application_id = %d", applicationID)); err != nil {
		return errors.Join(err, database.Close())
	}
	if err := database.Close(); err != nil {
		return err
	}
	book, err := openAs(ctx, path, path, writing)
	if err != nil {
		return err
	}
	return book.Close()
}

// looksLikeOne refuses a file that is no logbook, and changes nothing. The log beside a file may say more
// than the file itself.
func looksLikeOne(ctx context.Context, path string) error {
	id, err := applicationOf(path)
	if err == nil && id != applicationID && hasLog(path) {
		id, err = applicationByLog(ctx, path)
	}
	switch {
	case errors.Is(err, errNoDatabase):
		return fmt.Errorf("%s is no logbook: %w; name another file with --logbook", path, err)
	case err != nil:
		return fmt.Errorf("could not open the logbook %s: %w", path, err)
	case id != applicationID:
		return fmt.Errorf("%s is a database, but not a logbook; name another file with --logbook", path)
	}
	return nil
}

var errNoDatabase = errors.New("it is no database")

// applicationOf is the id of the application whose database a file is (SQLite, Database
// File Format, 1.3).
func applicationOf(path string) (int64, error) {
	file, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer file.Close()
	const at = 68
	begin := make([]byte, 100)
	read, err := file.ReadAt(begin, 0)
	switch {
	case err != nil && !errors.Is(err, io.EOF):
		return 0, err
	case read == 0:
		return 0, fmt.Errorf("%w, it is empty", errNoDatabase)
	case read < len(begin) || string(begin[:16]) != "SQLite format 3\x00":
		return 0, errNoDatabase
	}
	return int64(binary.BigEndian.Uint32(begin[at:])), nil
}

func hasLog(path string) bool {
	info, err := os.Stat(path + "-wal")
	return err == nil && info.Size() > 0
}

func applicationByLog(ctx context.Context, path string) (id int64, err error) {
	database, err := sql.Open("sqlite", source(path, reading))
	if err != nil {
		return 0, err
	}
	defer database.Close()
	err = database.QueryRowContext(ctx, "PRAGMA application_id").Scan(&id)
	return id, err
}

// IsLogbook says whether a file is a logbook.
func IsLogbook(name string) bool {
	id, err := applicationOf(name)
	return err == nil && id == applicationID
}

// writable says whether a logbook can be written: the file, and its folder, in which there
// is a log beside it while it is.
func writable(path string) bool {
	file, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return false
	}
	_ = file.Close()
	return mayMakeFiles(filepath.Dir(path))
}

// openToRead opens a logbook that cannot be written: in its place where nothing is to be
// done about it, or else a copy.
func openToRead(ctx context.Context, path string) (*Logbook, error) {
	if !hasLog(path) {
		book, err := openAs(ctx, path, path, frozen)
		if err == nil || !errors.Is(err, errOlder) {
			return book, err
		}
	}
	// What killed programs left of such copies goes too; there is nobody here to be told.
	_ = scratch.Sweep(os.TempDir(), func(scratch.Leftover) {})
	folder, err := scratch.In(os.TempDir())
	if err != nil {
		return nil, fmt.Errorf("could not make a copy of %s: %w", path, err)
	}
	copied, err := newFile(folder, "logbook")
	if err == nil {
		err = copyFiles(path, copied)
	}
	var book *Logbook
	if err == nil {
		book, err = openAs(ctx, path, copied, writing)
	}
	if err != nil {
		return nil, errors.Join(err, folder.Close())
	}
	book.database.fixed, book.folder = onlyRead(path), folder
	return book, nil
}

// copyFiles copies a database, and its log.
func copyFiles(from, to string) error {
	for _, beside := range []string{"", "-wal"} {
		if err := copyFile(from+beside, to+beside); err != nil && (beside == "" || !errors.Is(err, fs.ErrNotExist)) {
			return fmt.Errorf("could not copy %s: %w", from+beside, err)
		}
	}
	return nil
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}

// openAs opens the logbook of a path that is in a file, which may be a copy of it.
func openAs(ctx context.Context, path, file string, as mode) (*Logbook, error) {
	database, err := sql.Open("sqlite", source(file, as))
	if err != nil {
		return nil, fmt.Errorf("could not open the logbook %s: %w", path, err)
	}
	book := &Logbook{database: store{DB: database, engine: inFile, ctx: ctx, patience: usualPatience}, place: path}
	if as != writing {
		book.database.fixed = onlyRead(path)
	}
	if err := book.prepareCompression(); err != nil {
		return nil, errors.Join(err, database.Close())
	}
	if err := book.checkSchema(); err != nil {
		return nil, errors.Join(book.notOurs(err), database.Close())
	}
	if err := book.prepare(); err != nil {
		return nil, errors.Join(err, database.Close())
	}
	return book, nil
}
