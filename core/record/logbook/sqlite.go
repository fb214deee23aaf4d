package logbook

import (
	"errors"
	"fmt"
	"net/url"

	"modernc.org/sqlite" // also the database driver
	sqlite3 "modernc.org/sqlite/lib"
)

// inFile is the engine of logbooks that are files.
var inFile = engine{
	layouts: "sqlite",
	has:     `SELECT count(*) FROM sqlite_schema WHERE name = $1`,
	texts:   `SELECT value FROM json_each($%d)`,
	like:    `LIKE`,
	// The index of names is a hundredth of the table.
	named:   `sessions INDEXED BY sessions_name`,
	atOnce:  50,
	busy:    heldFile,
	plainer: explainFile,

	statements:    fileStatements,
	add:           addByTuples,
	sessionValues: fileValues,
	holders:       func(store) string { return "" },
	lostRace:      lostRace,
}

// heldFile says whether an error only means that other programs hold a file.
func heldFile(err error) bool {
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return false
	}
	primary := cause.Code() & 0xff
	return primary == sqlite3.SQLITE_BUSY || primary == sqlite3.SQLITE_LOCKED
}

// explainFile explains an error of a file's disk, and how to go on.
func explainFile(err error) error {
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return err
	}
	switch cause.Code() & 0xff {
	case sqlite3.SQLITE_FULL:
		return fmt.Errorf("its disk is full; make room, or name a logbook elsewhere with --logbook (%w)", err)
	case sqlite3.SQLITE_IOERR:
		return fmt.Errorf("its disk gives errors; save what can be read with opengauge logbook check --repair (%w)", err)
	case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM:
		return fmt.Errorf("it can only be read (%w)", err)
	}
	return err
}

// lostRace reports whether an error may come from another program that is preparing the same file: it holds
// the file, or has made the same objects by now.
func lostRace(err error) bool {
	cause := new(sqlite.Error)
	if !errors.As(err, &cause) {
		return false
	}
	primary := cause.Code() & 0xff
	return primary == sqlite3.SQLITE_BUSY || primary == sqlite3.SQLITE_ERROR || primary == sqlite3.SQLITE_CONSTRAINT
}

// mode is how a database is opened (SQLite, Uniform Resource Identifiers, 3.3).
type mode string

// A frozen one is read as a file that nobody changes.
const (
	writing mode = "rw"
	reading mode = "ro"
	frozen  mode = "ro&immutable=1"
)

// source is the database driver's name for the file, with each connection's
// settings: readers beside one writer, waiting for each other, and every
// transaction on stable media when it ends. A file that somebody else made is trusted with
// nothing (SQLite, Defense Against The Dark Arts).
func source(path string, as mode) string {
	settings := url.Values{"_pragma": {
		fmt.Sprintf("busy_timeout(%d)", lockWait.Milliseconds()), "synchronous(FULL)", "foreign_keys(ON)",
		"trusted_schema(OFF)", "cell_size_check(ON)",
	}, "_txlock": {"immediate"}, "_defensive": {"1"}}
	if as == writing {
		settings["_pragma"] = append(settings["_pragma"], "journal_mode(WAL)")
	}
	return (&url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(),
		RawQuery: settings.Encode() + "&mode=" + string(as)}).String()
}
