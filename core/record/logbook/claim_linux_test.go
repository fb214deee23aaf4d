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
	ask(`CREATE OR REPLACE FUNCTION opengauge.now_ms() RETURNS bigint LANGUAGE sql
		AS $$ SELECT (extract(epoch FROM clock_timestamp() - interval '1 hour') * 1000)::bigint $$`)
	const left = `SELECT ((until_ms - opengauge.now_ms()) / 1000)::int BETWEEN `
	const claim = `INSERT INTO claims (review, place, bench, taken_ms, until_ms, document) SELECT 'tide', 0, 'elsewhere',
		opengauge.now_ms() - 60000, opengauge.now_ms() + $ * 1000, '{}'`
	ask(strings.Replace(claim, "$", "60", 1))
	if got := takes(t, book, "desk", "tide"); got != 1 {
		t.Errorf("another bench has place 0 for a minute still, and it takes %d", got)
	}
	if said := ask(left + `590 AND 610 FROM claims WHERE bench = 'desk'`); said != "t" {
		t.Error("what it takes for ten minutes is over at another time")
	}
	if err := book.KeepTaken("tide", "desk", 5*time.Minute); err != nil {
		t.Fatal(err)
	}
	if said := ask(left + `290 AND 310 FROM claims WHERE bench = 'desk'`); said != "t" {
		t.Error("what it keeps for five minutes is over at another time")
	}
	if err := book.KeepTaken("tide", "desk", time.Hour); err == nil {
		t.Error("it keeps for an hour what is to be given back after ten minutes")
	}
	ask(`DELETE FROM claims WHERE bench = 'elsewhere'`)
	ask(strings.Replace(claim, "$", "-1", 1))
	if got := takes(t, book, "loft", "tide"); got != 0 {
		t.Errorf("place 0 is over since a second, and it takes %d", got)
	}
}
