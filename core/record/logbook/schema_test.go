package logbook

import (
	"context"
	"database/sql"
	"errors"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func TestTheNewestSchemaIsKnown(t *testing.T) {
	t.Parallel()
	book := newBookAt(t, filepath.Join(t.TempDir(), "logbook.db"))
	found, err := schemaOf(t.Context(), book.database.DB)
	if err != nil || digestOf(found) != newestSchema {
		t.Errorf("a new logbook has the schema %s, and the program knows %s (%v)", digestOf(found), newestSchema, err)
	}
}

// A file of somebody else may hold anything that SQLite runs: it is refused before that runs, whichever way it
// is opened, and what is there already stays.
func TestForeignFiles(t *testing.T) {
	t.Parallel()
	const endless = `WITH RECURSIVE more(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM more) `
	for name, statements := range map[string][]string{
		"an endless view":                {`CREATE VIEW more AS ` + endless + `SELECT * FROM more`},
		"a view for a table":             {`PRAGMA foreign_keys = OFF`, `DROP TABLE tags`, `CREATE VIEW tags AS ` + endless + `SELECT n AS tag, n AS session FROM more`},
		"a view for the layouts":         {`DROP TABLE goose_db_version`, `CREATE VIEW goose_db_version AS ` + endless + `SELECT n AS version_id, 1 AS is_applied FROM more`},
		"a trigger that removes":         {`CREATE TRIGGER quick AFTER INSERT ON tags BEGIN DELETE FROM sessions; END`},
		"another trigger of a name":      {`DROP TRIGGER figures_added`, `CREATE TRIGGER figures_added AFTER INSERT ON figures BEGIN DELETE FROM sessions; END`},
		"a virtual table":                {`CREATE VIRTUAL TABLE more USING fts5(text)`},
		"a generated column":             {`ALTER TABLE quotes ADD COLUMN more TEXT AS (hex(zeroblob(1000000000)))`},
		"a table that is missing":        {`DROP TABLE quotes`},
		"a newer layout and a trigger":   {`INSERT INTO goose_db_version (version_id, is_applied) VALUES (900, true)`, `CREATE TRIGGER quick AFTER INSERT ON tags BEGIN DELETE FROM sessions; END`},
		"an older layout, and a trigger": {`DELETE FROM goose_db_version WHERE version_id > 5`, `CREATE TRIGGER quick AFTER INSERT ON tags BEGIN DELETE FROM sessions; END`},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			path := filepath.Join(t.TempDir(), "foreign.db")
			foreign := newBookAt(t, path)
			keep(t, foreign, example("k3f9abcdef", "ebb", time.Now()))
			if err := foreign.Close(); err != nil {
				t.Fatal(err)
			}
			database, err := sql.Open("sqlite", "file:"+path)
			if err != nil {
				t.Fatal(err)
			}
			for _, each := range statements {
				if _, err := database.Exec(each); err != nil {
					t.Fatalf("%s: %v", each, err)
				}
			}
			if err := database.Close(); err != nil {
				t.Fatal(err)
			}
			ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
			defer cancel()
			if book, err := Open(ctx, path); !errors.Is(err, errSchema) {
				t.Errorf("it is opened: %v", err)
				if err == nil {
					_ = book.Close()
				}
			}
			own := newBookAt(t, filepath.Join(t.TempDir(), "own.db"))
			keep(t, own, example("m111abcdef", "flood", time.Now()))
			if _, _, err := own.MergeFrom(path, func(int, int) {}); !errors.Is(err, errSchema) {
				t.Errorf("it is taken in: %v", err)
			}
			if ids, err := own.IDs(Filter{}); err != nil || len(ids) != 1 {
				t.Errorf("there are %q, %v", ids, err)
			}
			if ctx.Err() != nil {
				t.Error("it took until the test ended it")
			}
		})
	}
}

// A table of one's own in one's own logbook is no reason not to open it; in somebody else's it is.
func TestATableOfOnesOwn(t *testing.T) {
	t.Parallel()
	path := filepath.Join(t.TempDir(), "logbook.db")
	book := newBookAt(t, path)
	if _, err := book.database.Exec(`CREATE TABLE mine (x)`); err != nil {
		t.Fatal(err)
	}
	again, err := Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	_ = again.Close()
	own := newBookAt(t, filepath.Join(t.TempDir(), "own.db"))
	if _, _, err := own.MergeFrom(path, func(int, int) {}); err == nil || !strings.Contains(err.Error(), `the table "mine"`) {
		t.Errorf("it says %v", err)
	}
}
