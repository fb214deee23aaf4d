package logbook

import (
	"slices"
	"strings"
	"testing"
)

// onlyShared are tables and columns that a file has no use for: several hosts do not share one.
var onlyShared = []string{"benches.", "meetings.", "notices.", "quotes.account",
	"sessions.rowid"}

// Both engines have the same layouts: of the same numbers, with the same columns.
func TestLayoutsAreInStep(t *testing.T) {
	t.Parallel()
	newestOf := map[string]int64{}
	columns := map[string][]string{}
	onEachEngine(t, func(t *testing.T, book *Logbook) {
		provider, err := book.layouts()
		if err != nil {
			t.Fatal(err)
		}
		newestOf[t.Name()] = newest(provider)
		if held, err := book.heldLayout(); err != nil || held != newest(provider) {
			t.Errorf("a new logbook has layout %d, %v", held, err)
		}
		query := `SELECT m.name || '.' || c.name FROM sqlite_schema m, pragma_table_info(m.name) c WHERE m.type = 'table'
			AND m.name NOT LIKE 'sqlite%' AND m.name <> 'goose_db_version'`
		if Shared(book.Place()) {
			query = `SELECT table_name || '.' || column_name FROM information_schema.columns
				WHERE table_schema = current_schema() AND table_name <> 'goose_db_version'`
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
	if newestOf[file] != newestOf[server] {
		t.Errorf("files have layout %d, and servers %d", newestOf[file], newestOf[server])
	}
	if !slices.Equal(columns[file], columns[server]) {
		t.Errorf("files have the columns\n%q\nand servers\n%q", columns[file], columns[server])
	}
	// From the first layout of servers on, each has a file there and in that of files.
	entries, err := migrations.ReadDir("migrations/postgres")
	if err != nil {
		t.Fatal(err)
	}
	for _, each := range entries[1:] {
		if _, err := migrations.ReadFile("migrations/sqlite/" + each.Name()); err != nil {
			t.Errorf("files have no layout %s", each.Name())
		}
	}
}
