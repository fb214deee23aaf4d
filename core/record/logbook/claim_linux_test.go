package logbook

import (
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// The clocks of benches may be hours apart: what is over is said by the server's.
func TestClaimsEndByTheServersClock(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	name := server.NewDatabase(t)
	book := newBookAt(t, server.Address("keeper", name))
	ask := func(statement string) string { return asks(t, server, name, statement) }
	// From here on the server's clock is an hour behind that of this machine.
	ask(`CREATE SCHEMA behind; CREATE FUNCTION behind.clock_timestamp() RETURNS timestamptz LANGUAGE sql
		AS $$ SELECT pg_catalog.clock_timestamp() - interval '1 hour' $$`)
	ask(`ALTER DATABASE ` + name + ` SET search_path = public, behind, pg_catalog`)
	if err := book.Close(); err != nil {
		t.Fatal(err)
	}
	book, err := Open(t.Context(), server.Address("keeper", name))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = book.Close() })
	const left = `SELECT (until_ms / 1000 - extract(epoch FROM clock_timestamp()))::int BETWEEN `
	const claim = `INSERT INTO claims (review, place, bench, until_ms, document) SELECT 'tide', 0, 'elsewhere',
		(extract(epoch FROM clock_timestamp()) + $) * 1000, '{}'`
	ask(strings.Replace(claim, "$", "60", 1))
	if got := takes(t, book, "desk", "tide"); got != 1 {
		t.Errorf("another bench has place 0 for a minute still, and it takes %d", got)
	}
	if said := ask(left + `590 AND 610 FROM claims WHERE bench = 'desk'`); said != "t" {
		t.Error("what it takes for ten minutes is over at another time")
	}
	if err := book.KeepTaken("tide", "desk", time.Hour); err != nil {
		t.Fatal(err)
	}
	if said := ask(left + `3590 AND 3610 FROM claims WHERE bench = 'desk'`); said != "t" {
		t.Error("what it keeps for an hour is over at another time")
	}
	ask(`DELETE FROM claims WHERE bench = 'elsewhere'`)
	ask(strings.Replace(claim, "$", "-1", 1))
	if got := takes(t, book, "loft", "tide"); got != 0 {
		t.Errorf("place 0 is over since a second, and it takes %d", got)
	}
}
