package logbook

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
)

// A file may come from anybody, and its views and triggers run as soon as its tables are used. So its schema
// is held against that of a new logbook before anything else in it is read.

// object is an entry of a schema (SQLite, The Schema Table).
type object struct{ kind, name, table, text string }

// newestSchema is the digest of the schema of a new logbook. A test computes it.
const newestSchema = "3764808cd04435de3004dcbc4b62a17f"

// errSchema says that a file has other tables than a logbook.
var errSchema = errors.New("its tables are not those of a logbook")

// schemaOf reads the objects of a schema, except SQLite's own.
func schemaOf(ctx context.Context, database *sql.DB) ([]object, error) {
	rows, err := database.QueryContext(ctx, `SELECT type, name, tbl_name, coalesce(sql, '') FROM sqlite_schema
		WHERE substr(name, 1, 7) <> 'sqlite_' ORDER BY type, name`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var found []object
	for rows.Next() {
		var each object
		if err := rows.Scan(&each.kind, &each.name, &each.table, &each.text); err != nil {
			return nil, err
		}
		found = append(found, each)
	}
	return found, rows.Err()
}

// digestOf returns the digest of a schema.
func digestOf(schema []object) string {
	sum := sha256.New()
	for _, each := range schema {
		fmt.Fprintf(sum, "%q\n", []string{each.kind, each.name, each.table, each.text})
	}
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// checkSchema fails where a file has anything that runs and is not a logbook's, or lacks a table of its layout.
// Other tables and indexes are harmless: [Logbook.checkExactly] refuses them too.
func (l *Logbook) checkSchema() error {
	held, more, err := l.compareSchema()
	if err != nil {
		return err
	}
	for _, each := range more {
		if each.kind != "index" && (each.kind != "table" || !strings.HasPrefix(each.text, "CREATE TABLE ")) {
			return fmt.Errorf("%w of layout %d: it has the %s %q", errSchema, held, each.kind, each.name)
		}
	}
	return nil
}

// checkExactly fails where a file has anything that a logbook of its layout has not.
func (l *Logbook) checkExactly() error {
	held, more, err := l.compareSchema()
	if err == nil && len(more) > 0 {
		err = fmt.Errorf("%w of layout %d: it has the %s %q", errSchema, held, more[0].kind, more[0].name)
	}
	return err
}

// notOurs adds to the error of a check which file it was and how to go on.
func (l *Logbook) notOurs(err error) error {
	if errors.Is(err, errSchema) {
		return fmt.Errorf("%s is not used: %w, and might do anything; name another file with --logbook", l.place, err)
	}
	return l.unusable(err)
}

// compareSchema returns the layout of a file, and its objects beyond the layout. It is an error that it lacks
// one.
func (l *Logbook) compareSchema() (held int64, more []object, err error) {
	found, err := schemaOf(l.database.ctx, l.database.DB)
	if err != nil || digestOf(found) == newestSchema {
		return 0, nil, err
	}
	for _, each := range found { // before the layout is read: the table of layouts may be a view
		if each.kind == "view" || each.kind == "table" && !strings.HasPrefix(each.text, "CREATE TABLE ") {
			return 0, nil, fmt.Errorf("%w: it has the %s %q", errSchema, each.kind, each.name)
		}
	}
	if held, err = l.heldLayout(); err != nil {
		return held, nil, err
	}
	want, err := l.schemaOfLayout(held)
	if err != nil {
		return held, nil, err
	}
	for _, each := range found {
		if !slices.Contains(want, each) {
			more = append(more, each)
		}
	}
	for _, each := range want {
		if !slices.Contains(found, each) {
			return held, nil, fmt.Errorf("%w of layout %d: it lacks the %s %q, or has another", errSchema, held, each.kind,
				each.name)
		}
	}
	return held, more, nil
}

// schemaOfLayout makes a logbook of a layout in memory, and reads its schema. Of newer layouts than this
// program knows it is the newest.
func (l *Logbook) schemaOfLayout(layout int64) (made []object, err error) {
	if layout == 0 { // it is being made
		return nil, nil
	}
	database, err := sql.Open("sqlite", fmt.Sprintf("file:opengauge-%x?mode=memory&cache=shared", rand.Uint64()))
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, database.Close()) }()
	keeping, err := database.Conn(l.database.ctx) // it is gone with its last connection
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, keeping.Close()) }()
	empty := &Logbook{database: store{DB: database, engine: inFile, ctx: l.database.ctx}, encoder: l.encoder,
		decoder: l.decoder}
	provider, err := empty.layouts()
	if err != nil {
		return nil, err
	}
	if _, err := provider.UpTo(l.database.ctx, min(layout, newest(provider))); err != nil {
		return nil, err
	}
	return schemaOf(l.database.ctx, database)
}
