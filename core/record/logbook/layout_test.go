package logbook

import (
	"slices"
	"strings"
	"testing"
)

// onlyShared lists tables and columns that a file has no use for: several hosts do not share one.
var onlyShared = []string{"benches.", "claims.taken_ms", "meetings.", "members.", "notices.",
	"quotes.account", "seats.", "sessions.rowid", "turns."}

// Both engines have the same columns. A number is that of one layout: a file skips those that are about the
// privileges of a server.
func TestLayoutsAreInStep(t *testing.T) {
	t.Parallel()
	columns := map[string][]string{}
	onEachEngine(t, func(t *testing.T, book *Logbook) {
		provider, err := book.layouts()
		if err != nil {
			t.Fatal(err)
		}
		if held, err := book.heldLayout(); err != nil || held != newest(provider) {
			t.Errorf("a new logbook has layout %d, %v", held, err)
		}
		query := `SELECT m.name || '.' || c.name FROM sqlite_schema m, pragma_table_info(m.name) c WHERE m.type = 'table'
			AND m.name NOT LIKE 'sqlite%' AND m.name <> 'goose_db_version'`
		if Shared(book.Place()) {
			query = `SELECT table_name || '.' || column_name FROM information_schema.columns
				WHERE table_schema = 'opengauge'`
		}
		found, err := queryTexts(book.database, query)
		if err != nil || len(found) < 30 {
			t.Fatal(found, err)
		}
		found = slices.DeleteFunc(found, func(name string) bool {
			return slices.ContainsFunc(onlyShared, func(start string) bool { return strings.HasPrefix(name, start) })
		})
		slices.Sort(found)
		columns[t.Name()] = found
	})
	file, server := t.Name()+"/file", t.Name()+"/server"
	if columns[server] == nil { // it was skipped
		return
	}
	if !slices.Equal(columns[file], columns[server]) {
		t.Errorf("files have the columns\n%q\nand servers\n%q", columns[file], columns[server])
	}
}
