package logbook

import (
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// onServerOnly gives a new logbook on a server, the server and the name of the database.
func onServerOnly(t *testing.T) (*Logbook, *witness.Postgres, string) {
	t.Helper()
	server := witness.SharedPostgres(t)
	name := server.NewDatabase(t)
	return newBookAt(t, server.Address("keeper", name)), server, name
}

func asks(t *testing.T, server *witness.Postgres, database string, statements ...string) (said string) {
	t.Helper()
	for _, each := range statements {
		var err error
		if said, err = server.Ask(database, each); err != nil {
			t.Fatal(err)
		}
	}
	return said
}

// measured keeps a session of two passes, and says what waits in the end.
func measured(t *testing.T, place string, book *Logbook, s *session.Session) string {
	t.Helper()
	keeper := Keep(place, book)
	keeper.finally = time.Second
	began := time.Now()
	waits := keepBy(t, keeper, s)
	if took := time.Since(began); !(took <= 20*time.Second) {
		t.Errorf("keeping two passes took %s", took)
	}
	return waits
}

// A server that is full, or slow, or takes nothing costs a measurement nothing but a line, and what
// was measured is there once it is well again.
func TestAServerInTrouble(t *testing.T) {
	t.Parallel()
	const slow = `CREATE FUNCTION trouble() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
		PERFORM pg_sleep(5); RETURN NEW; END $$`
	const full = `CREATE FUNCTION trouble() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
		RAISE EXCEPTION 'could not extend file' USING ERRCODE = 'disk_full'; END $$`
	const trigger = `CREATE TRIGGER trouble BEFORE INSERT ON opengauge.passes FOR EACH ROW EXECUTE FUNCTION trouble()`
	for name, c := range map[string]struct {
		begin []string
		end   string
		want  string
	}{
		"slow": {[]string{slow, trigger}, `DROP FUNCTION trouble CASCADE`, "waits in"},
		"full": {[]string{full, trigger}, `DROP FUNCTION trouble CASCADE`, "the disk of the server is full"},
		"held": {[]string{`ALTER TABLE opengauge.passes RENAME TO hidden`}, `ALTER TABLE opengauge.hidden RENAME TO passes`, "waits in"},
	} {
		t.Run(name, func(t *testing.T) {
			book, server, database := onServerOnly(t)
			asks(t, server, database, c.begin...)
			s := example("k3f9abcdef", "ebb", time.Now())
			if waits := measured(t, book.Place(), book, s); !strings.Contains(waits, c.want) {
				t.Errorf("it says %q, want %q", waits, c.want)
			}
			asks(t, server, database, c.end)
			if waiting, err := Waiting(book.Place()); err != nil || len(waiting) != 1 {
				t.Fatalf("waiting are %q, %v", waiting, err)
			}
			if err := book.TakeIn(func(string) {}); err != nil {
				t.Fatal(err)
			}
			if got, err := book.Load("ebb"); err != nil || !same(book, got, s) {
				t.Errorf("came back as %+v, %v", got, err)
			}
			if waiting, err := Waiting(book.Place()); err != nil || len(waiting) != 0 {
				t.Errorf("waiting are still %q, %v", waiting, err)
			}
		})
	}
}

func TestAServerThatTakesNoChanges(t *testing.T) {
	t.Parallel()
	book, server, database := onServerOnly(t)
	keep(t, book, example("k3f9abcdef", "ebb", time.Now()))
	asks(t, server, database, `ALTER DATABASE `+database+` SET default_transaction_read_only = on`)
	if _, err := Create(t.Context(), book.Place()); err == nil || !strings.Contains(err.Error(), "takes no changes") {
		t.Errorf("it is written to: %v", err)
	}
	read, err := Open(t.Context(), book.Place())
	if err != nil {
		t.Fatal(err)
	}
	defer read.Close()
	if got, err := read.Load("ebb"); err != nil || got.Name != "ebb" {
		t.Errorf("it cannot be read: %v", err)
	}
}

func TestWhatIsNoLogbook(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	other := server.NewDatabase(t)
	asks(t, server, other, `CREATE TABLE boats (name text)`)
	settings := server.NewDatabase(t)
	asks(t, server, settings, `CREATE TABLE settings (key text, value text)`)
	for place, want := range map[string]string{
		server.Address("keeper", other):    "not a logbook",
		server.Address("keeper", settings): "not a logbook",
		server.Address("keeper", "none"):   "no such database",
		server.Address("keeper", ""):       "names no database",
		"mysql://keeper@here/lab":          "there are no logbooks at addresses",
		"postgres://keeper@127.0.0.1:1/x":  "away",
	} {
		for what, open := range map[string]func() (*Logbook, error){
			"open":   func() (*Logbook, error) { return Open(t.Context(), place) },
			"create": func() (*Logbook, error) { return Create(t.Context(), place) },
		} {
			book, err := open()
			if err == nil {
				_ = book.Close()
			}
			if err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%s %s: error is %v, want one with %q", what, place, err, want)
			}
		}
	}
	if tables, err := server.Ask(other, `SELECT count(*) FROM pg_class WHERE relkind = 'r' AND
		relnamespace = 'public'::regnamespace`); err != nil || tables != "1" {
		t.Errorf("a database of something else has %s tables now, %v", tables, err)
	}
}

// Who measures under the name of a bench on another machine is told.
func TestTwoBenchesOfOneName(t *testing.T) {
	t.Parallel()
	book, _, _ := onServerOnly(t)
	for _, c := range []struct {
		machine string
		warns   bool
	}{{"a", false}, {"a", false}, {"b", true}, {"b", false}, {"a", true}} {
		warning, err := book.Enlist("desk", c.machine)
		if err != nil || (warning != "") != c.warns || c.warns && !strings.Contains(warning, "OPENGAUGE_BENCH_NAME") {
			t.Errorf("machine %s: %q, %v; want a warning: %t", c.machine, warning, err, c.warns)
		}
	}
}

// A new logbook is made where every name can be kept, and not where it cannot.
func TestEncodingsOfDatabases(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	for encoding, want := range map[string]string{"UTF8": "", "SQL_ASCII": "", "LATIN1": "its encoding is LATIN1",
		"EUC_JP": "--encoding UTF8"} {
		name := "of_" + strings.ToLower(encoding)
		asks(t, server, "postgres", "CREATE DATABASE "+name+" ENCODING '"+encoding+"' TEMPLATE template0 LOCALE 'C'")
		place := server.Address("keeper", name)
		book, err := Create(t.Context(), place)
		if want != "" {
			if err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v, want %q", encoding, err, want)
			}
			tables, _ := server.Ask(name, `SELECT count(*) FROM pg_class WHERE relnamespace = 'public'::regnamespace`)
			if tables != "0" {
				t.Errorf("%s: %s tables were made", encoding, tables)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", encoding, err)
			continue
		}
		s := example("unicode", "größe 漂 ✓", time.Now().UTC().Truncate(time.Second))
		keep(t, book, s)
		if list, _, err := book.List(Filter{Name: "漂"}); err != nil || len(list) != 1 || list[0].Name != s.Name {
			t.Errorf("%s: found %+v, %v", encoding, list, err)
		}
		if err := book.Close(); err != nil {
			t.Error(err)
		}
	}
}

// What the server says it has kept it has on its disk, whatever its database is set to; what is set to more stays.
func TestCommitsAreKept(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	for set, want := range map[string]string{"off": "on", "local": "local", "remote_apply": "remote_apply"} {
		name := server.NewDatabase(t)
		asks(t, server, "postgres", "ALTER DATABASE "+name+" SET synchronous_commit = "+set)
		book := newBookAt(t, server.Address("keeper", name))
		var got string
		if err := book.database.QueryRow(`SHOW synchronous_commit`).Scan(&got); err != nil || got != want {
			t.Errorf("set to %s: commits are %s, %v; want %s", set, got, err, want)
		}
	}
}

// Programs that prepare a new logbook at once wait for each other, however long it takes the first.
func TestServersArePreparedAtOnce(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	place := server.Address("keeper", server.NewDatabase(t))
	const programs = 8
	failed := make([]error, programs)
	var group sync.WaitGroup
	for i := range programs {
		group.Go(func() {
			book, err := Create(t.Context(), place)
			if err == nil {
				err = book.Close()
			}
			failed[i] = err
		})
	}
	group.Wait()
	for i, err := range failed {
		if err != nil {
			t.Errorf("program %d: %v", i, err)
		}
	}
}
