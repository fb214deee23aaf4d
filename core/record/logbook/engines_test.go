package logbook

import (
	"context"
	"os"
	"path/filepath"
	"reflect"
	"testing"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

func TestMain(m *testing.M) {
	folder, err := os.MkdirTemp("", "opengauge-waiting-") // where sessions wait for a server
	if err != nil {
		panic(err)
	}
	os.Setenv("XDG_DATA_HOME", folder)
	code := m.Run()
	witness.StopPostgres()
	os.RemoveAll(folder)
	os.Exit(code)
}

// engines are the ways to keep a logbook: each gives a place for a new one.
var engines = []struct {
	name  string
	place func(*testing.T) string
}{
	{"file", func(t *testing.T) string { return filepath.Join(t.TempDir(), "deep", "log book?.db") }},
	{"server", func(t *testing.T) string {
		server := witness.SharedPostgres(t)
		return server.Address("keeper", server.CopyDatabase(t, func(database string) error {
			book, err := Create(context.Background(), server.Address("keeper", database))
			if err != nil {
				return err
			}
			return book.Close()
		}))
	}},
}

// onEachEngine runs a test with a new logbook of every kind.
func onEachEngine(t *testing.T, test func(*testing.T, *Logbook)) {
	for _, engine := range engines {
		t.Run(engine.name, func(t *testing.T) {
			t.Parallel()
			test(t, newBookAt(t, engine.place(t)))
		})
	}
}

func newBookAt(t *testing.T, place string) *Logbook {
	t.Helper()
	book, err := Create(context.Background(), place)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = book.Close() })
	return book
}

// same says whether a session came back as it was, but that a server says who kept it.
func same(book *Logbook, got, want *session.Session) bool {
	if Shared(book.Place()) && (got.RecordedBy == nil || got.RecordedBy.Account != "keeper") {
		return false
	}
	one, other := *got, *want
	one.RecordedBy, other.RecordedBy = nil, nil
	return reflect.DeepEqual(one, other)
}
