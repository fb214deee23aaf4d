package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
)

// IsLogbook says whether a file is a logbook, by its application id (SQLite, Database
// File Format, 1.3).
func IsLogbook(name string) bool {
	file, err := os.Open(name)
	if err != nil {
		return false
	}
	defer file.Close()
	begin := make([]byte, 100)
	if _, err := file.ReadAt(begin, 0); err != nil {
		return false
	}
	id := int64(begin[68])<<24 | int64(begin[69])<<16 | int64(begin[70])<<8 | int64(begin[71])
	return string(begin[:16]) == "SQLite format 3\x00" && id == applicationID
}

// MergeFrom adds all sessions of another logbook, with their tags. The other one is
// not changed: if its layout is older, a copy is brought up to date first.
func (l *Logbook) MergeFrom(name string) (done Imported, err error) {
	done = Imported{Conflicting: []string{}}
	folder, err := os.MkdirTemp(filepath.Dir(l.path), ".opengauge-merge-")
	if err != nil {
		return done, fmt.Errorf("could not make a folder for a copy of %s: %w", name, err)
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	copied := filepath.Join(folder, "copy.db")
	if err := copyDatabase(name, copied); err != nil {
		return done, fmt.Errorf("could not read the logbook %s: %w", name, err)
	}
	other, err := Open(copied) // checks it, and brings it up to date
	if err != nil {
		return done, err
	}
	if err := other.Close(); err != nil {
		return done, err
	}
	return l.mergeCopy(copied)
}

// copyDatabase makes a copy of a database that others may be using. Where it cannot
// be opened beside them, since its folder cannot be written, nobody else can either.
func copyDatabase(from, to string) error {
	err := vacuumInto(from, "mode=ro&_pragma=busy_timeout(10000)", to)
	if err != nil {
		err = vacuumInto(from, "mode=ro&immutable=1", to)
	}
	return err
}

func vacuumInto(from, settings, to string) error {
	database, err := sql.Open("sqlite",
		(&url.URL{Scheme: "file", Opaque: (&url.URL{Path: from}).EscapedPath(), RawQuery: settings}).String())
	if err != nil {
		return err
	}
	defer database.Close()
	_, err = database.Exec(`VACUUM INTO ?`, to)
	return err
}

func (l *Logbook) mergeCopy(copied string) (Imported, error) {
	done := Imported{Conflicting: []string{}}
	ctx := context.Background()
	connection, err := l.database.Conn(ctx) // what is attached is of one connection
	if err != nil {
		return done, err
	}
	defer connection.Close()
	if _, err := connection.ExecContext(ctx, `ATTACH ? AS other`, copied); err != nil {
		return done, l.unusable(err)
	}
	defer connection.ExecContext(ctx, `DETACH other`)
	shared, err := contextTexts(ctx, connection,
		`SELECT id FROM other.sessions WHERE id IN (SELECT id FROM main.sessions)`)
	if err != nil {
		return done, err
	}
	if done.Conflicting, err = contextTexts(ctx, connection,
		`SELECT o.id FROM other.sessions o JOIN main.sessions m ON m.id = o.id WHERE m.passes <> o.passes
			OR m.started_ms <> o.started_ms OR m.target <> o.target`); err != nil {
		return done, err
	}
	done.Known = len(shared) - len(done.Conflicting)
	missing, err := contextTexts(ctx, connection,
		`SELECT id FROM other.sessions WHERE id NOT IN (SELECT id FROM main.sessions) ORDER BY rowid`)
	if err != nil {
		return done, err
	}
	for from := 0; from < len(missing); from += inTransaction {
		batch := missing[from:min(from+inTransaction, len(missing))]
		if err := mergeBatch(ctx, connection, batch); err != nil {
			return done, l.unusable(err)
		}
		done.Added += len(batch)
	}
	return done, nil
}

// merging copies the rows of sessions from one database to another, in an order
// that keeps references right.
var merging = []string{
	`INSERT INTO main.sessions (id, name, started_ms, state, simulated, plan, target, document, passes)
	 SELECT id, name, started_ms, state, simulated, plan, target, document, passes FROM other.sessions
		WHERE id IN (SELECT value FROM json_each(?)) ORDER BY rowid`,
	`INSERT INTO main.passes SELECT * FROM other.passes WHERE session IN (SELECT value FROM json_each(?))`,
	`INSERT INTO main.tags SELECT * FROM other.tags WHERE session IN (SELECT value FROM json_each(?))`,
	`INSERT INTO main.conditions SELECT * FROM other.conditions WHERE session IN (SELECT value FROM json_each(?))`,
	`INSERT OR IGNORE INTO main.rankings (class, load) SELECT DISTINCT class, load FROM other.rankings r
		JOIN other.figures f ON f.ranking = r.id
	 WHERE f.session IN (SELECT value FROM json_each(?))`,
	`INSERT INTO main.figures SELECT m.id, f.value, f.session FROM other.figures f
		JOIN other.rankings r ON r.id = f.ranking
	 JOIN main.rankings m ON m.class = r.class AND m.load = r.load WHERE f.session IN (SELECT value FROM json_each(?))`,
}

func mergeBatch(ctx context.Context, connection *sql.Conn, ids []string) error {
	tx, err := connection.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	for _, statement := range merging {
		if _, err := tx.ExecContext(ctx, statement, jsonList(ids)); err != nil {
			return errors.Join(err, tx.Rollback())
		}
	}
	return tx.Commit()
}

func contextTexts(ctx context.Context, connection *sql.Conn, query string) ([]string, error) {
	rows, err := connection.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	found := []string{}
	for rows.Next() {
		var text string
		if err := rows.Scan(&text); err != nil {
			return nil, err
		}
		found = append(found, text)
	}
	return found, rows.Err()
}
