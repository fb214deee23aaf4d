package logbook

import (
	"os"
	"os/exec"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// labOf makes the roles and the database of docs/lab.md on a server, by its own words.
func labOf(t *testing.T) *witness.Postgres {
	t.Helper()
	text, err := os.ReadFile("../../../docs/lab.md")
	if err != nil {
		t.Fatal(err)
	}
	script := regexp.MustCompile("(?s)```sql\n(.*?)```").FindSubmatch(text)
	if script == nil {
		t.Fatal("docs/lab.md has no SQL")
	}
	return labBy(t, string(script[1]))
}

// labBy makes a server, and runs a script on it as its owner.
func labBy(t *testing.T, script string) *witness.Postgres {
	t.Helper()
	server, err := witness.NewPostgres("127.0.0.1", witness.Unnamed)
	if err != nil {
		t.Skip("there is no PostgreSQL server here; make tools installs it")
	}
	t.Cleanup(server.Remove)
	command := exec.Command("psql", "-h", server.Folder, "-p", strconv.Itoa(server.Port), "-U", "keeper", "-d", "postgres",
		"-qX", "-v", "ON_ERROR_STOP=1")
	command.Stdin = strings.NewReader(script)
	if out, err := command.CombinedOutput(); err != nil {
		t.Fatalf("the SQL of the lab: %v\n%s", err, out)
	}
	return server
}

func opened(t *testing.T, server *witness.Postgres, account string) *Logbook {
	t.Helper()
	book, err := Open(t.Context(), server.Address(account, "lab"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = book.Close() })
	return book
}

// preparedLab is the server of labOf with a logbook, which its keeper prepared as docs/lab.md says.
func preparedLab(t *testing.T) (*witness.Postgres, *Logbook) {
	t.Helper()
	server := labOf(t)
	keeper := newBookAt(t, server.Address("ada", "lab"))
	if err := keeper.Grant([]string{"lab_reader"}, []string{"lab_bench"}); err != nil {
		t.Fatal(err)
	}
	return server, keeper
}

func TestRoles(t *testing.T) {
	t.Parallel()
	empty := labOf(t)
	if _, err := Create(t.Context(), empty.Address("bench-1", "lab")); err == nil {
		t.Fatal("a bench made the tables")
	}
	server, keeper := preparedLab(t)
	one, two, visitor := opened(t, server, "bench-1"), opened(t, server, "bench-2"), opened(t, server, "visitor")
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	keep(t, one, example("k3f9abcdef", "ebb", at))
	keep(t, two, example("m111abcdef", "flood", at))

	for _, c := range []struct {
		book    *Logbook
		machine string
		warns   bool
	}{{one, "a", false}, {two, "a", false}, {two, "b", true}, {one, "a", false}} { // it stays the first one's
		if warning, err := c.book.Enlist("desk", c.machine); err != nil || (warning != "") != c.warns {
			t.Errorf("the bench desk on the machine %s: %q, %v", c.machine, warning, err)
		}
	}
	quote := book.Quote{Part: "sandpiper", Source: "a newspaper"}
	if err := one.AddQuote(quote); err != nil {
		t.Fatal(err)
	}
	count, err := two.RemoveQuotes("sandpiper", "")
	if count != 0 || err == nil || !strings.Contains(err.Error(), "stay") {
		t.Errorf("what another bench noted is removed: %d, %v", count, err)
	}
	if count, err := one.RemoveQuotes("sandpiper", ""); count != 1 || err != nil {
		t.Errorf("what it noted itself is not removed: %d, %v", count, err)
	}
	if got := takes(t, one, "desk", "tide") + 10*takes(t, two, "desk", "tide"); got != 10 {
		t.Errorf("two accounts whose benches have one name take %d", got)
	}

	s, err := visitor.Load("ebb")
	if err != nil || s.RecordedBy == nil || s.RecordedBy.Account != "bench-1" {
		t.Errorf("a reader sees %+v, %v", s, err)
	}
	listed, _, err := visitor.List(Filter{Name: "flood"})
	if err != nil || len(listed) != 1 || listed[0].Account != "bench-2" {
		t.Errorf("a reader lists %+v, %v", listed, err)
	}
	if _, err := Create(t.Context(), server.Address("visitor", "lab")); err == nil ||
		!strings.Contains(err.Error(), "can only be read") {
		t.Errorf("a reader may measure: %v", err)
	}
	rename := func(s *session.Session) error { s.Name = "mine"; return nil }
	for what, err := range map[string]error{
		"remove": two.Discard("k3f9abcdef"), "tag": two.AddTags("k3f9abcdef", []string{"x"}),
		"untag": two.RemoveTags("k3f9abcdef", []string{"x"}), "amend": two.Amend("k3f9abcdef", rename),
		"remove as a reader": visitor.Discard("k3f9abcdef"), "tag as a reader": visitor.AddTags("k3f9abcdef", []string{"x"}),
	} {
		if err == nil {
			t.Errorf("%s: the session of another bench was changed", what)
		}
	}
	if err := two.Discard("k3f9abcdef"); err == nil || !strings.Contains(err.Error(), "bench-1") {
		t.Errorf("it is not said whose session it is: %v", err)
	}
	if err := one.AddTags("k3f9abcdef", []string{"deck"}); err != nil {
		t.Error("a bench cannot tag its own session: ", err)
	}
	if err := keeper.Amend("k3f9abcdef", rename); err != nil {
		t.Error("a keeper cannot amend: ", err)
	}
	if s, err := one.Load("k3f9abcdef"); err != nil || s.RecordedBy.Account != "bench-1" {
		t.Errorf("a keeper's change took the session over: %+v, %v", s.RecordedBy, err)
	}
	if err := keeper.Discard("m111abcdef"); err != nil {
		t.Error("a keeper cannot remove: ", err)
	}
}

// What a bench could ask the server for by itself changes nothing of others either.
func TestRolesHoldForEveryProgram(t *testing.T) {
	t.Parallel()
	server, _ := preparedLab(t)
	one := opened(t, server, "bench-1")
	keep(t, one, example("k3f9abcdef", "ebb", time.Now()))
	takes(t, one, "desk", "tide")
	if _, err := one.Enlist("desk", "machine"); err != nil {
		t.Fatal(err)
	}
	if err := one.AddQuote(book.Quote{Part: "sandpiper", Source: "a newspaper"}); err != nil {
		t.Fatal(err)
	}
	desk, err := one.Meet(t.Context(), "pier", "desk", nil)
	if err != nil {
		t.Fatal(err)
	}
	defer desk.Close()
	posts(t, desk, "join/desk", "terms")
	const state = `SELECT md5(string_agg(t::text, '' ORDER BY t::text)) FROM (
		SELECT s::text AS t FROM sessions s UNION ALL SELECT p::text FROM passes p UNION ALL SELECT f::text FROM figures f
		UNION ALL SELECT e::text FROM entries e UNION ALL SELECT g::text FROM goose_db_version g
		UNION ALL SELECT x::text FROM settings x UNION ALL SELECT c::text FROM conditions c
		UNION ALL SELECT l::text FROM claims l UNION ALL SELECT b::text FROM benches b
		UNION ALL SELECT q::text FROM quotes q UNION ALL SELECT m::text FROM meetings m
		UNION ALL SELECT n::text FROM notices n) a`
	before, err := server.Ask("lab", state)
	if err != nil {
		t.Fatal(err)
	}
	for _, statement := range []string{
		`DELETE FROM sessions`, `UPDATE sessions SET name = 'x'`, `UPDATE sessions SET recorder = 'bench-2'`,
		`DELETE FROM passes`, `UPDATE passes SET document = '{}'`, `TRUNCATE passes`, `DELETE FROM entries`,
		`UPDATE entries SET mean = 9e9`, `INSERT INTO entries VALUES (1, 1, 1, 9, 9, 'x', 1)`, `DELETE FROM goose_db_version`,
		`UPDATE settings SET value = '999'`, `INSERT INTO settings VALUES ('x', 'y')`, `DELETE FROM figures`,
		`INSERT INTO passes VALUES ('k3f9abcdef', 9, '{}', '')`, `INSERT INTO tags VALUES ('x', 'k3f9abcdef')`,
		`UPDATE rankings SET class = 'x'`, `DELETE FROM rankings`, `DROP TABLE passes`,
		`ALTER TABLE sessions DISABLE ROW LEVEL SECURITY`,
		`INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document, recorder)
			VALUES ('z', '', 0, '', false, '', '', '{}', 'bench-1')`, `SET ROLE lab_keeper`, `CREATE TABLE mine (x int)`,
		`DELETE FROM claims`, `UPDATE claims SET until_ms = 0`, `UPDATE claims SET bench = 'mine', account = 'bench-2'`,
		`INSERT INTO claims VALUES ('tide', 9, 'desk', 1, '{}', 'bench-1')`, `UPDATE benches SET machine = 'x'`,
		`UPDATE quotes SET document = '{}'`, `DELETE FROM quotes`, `UPDATE meetings SET ended = true`,
		`UPDATE meetings SET name = 'x'`, `DELETE FROM meetings`, `DELETE FROM notices`, `UPDATE notices SET document = '{}'`,
		`INSERT INTO notices (meeting, key, host, account, document)
			SELECT id, 'stop', 'desk', 'bench-1', '{}' FROM meetings`,
		`DELETE FROM benches`, `INSERT INTO benches VALUES ('loft', 'x', 'bench-1', 1)`,
	} {
		_ = exec.Command("psql", "-h", server.Folder, "-p", strconv.Itoa(server.Port), "-U", "bench-2", "-d", "lab", "-qX",
			"-c", statement).Run() // refused, or without effect
		if after, err := server.Ask("lab", state); err != nil || after != before {
			t.Errorf("%s by another bench changed the logbook (%v)", statement, err)
			before = after
		}
	}
}

// A server on another machine has to show a certificate that holds, and no password is told.
func TestTheWayToAServer(t *testing.T) {
	server, _ := preparedLab(t)
	if _, err := server.Ask("lab", `ALTER ROLE "bench-1" PASSWORD 'geheim-42'`); err != nil {
		t.Fatal(err)
	}
	t.Setenv("HOME", t.TempDir())
	local := "postgres://bench-1@127.0.0.1:" + strconv.Itoa(server.Port) + "/lab"
	checked := local + "?sslmode=verify-full&sslrootcert=" + server.Authority()
	for _, c := range []struct{ name, place, password, want string }{
		{"a checked certificate", checked, "geheim-42", ""},
		{"on this machine, unchecked", local, "geheim-42", "none was sent"},
		{"an authority, and a weaker setting", local + "?sslmode=disable&sslrootcert=" + server.Authority(), "geheim-42", ""},
		{"an authority, and a weak setting", local + "?sslmode=verify-ca&sslrootcert=" + server.Authority(), "geheim-42", ""},
		{"an authority, and another name", strings.Replace(local, "127.0.0.1", witness.Unnamed, 1) +
			"?sslmode=verify-ca&sslrootcert=" + server.Authority(), "geheim-42", "cannot be trusted"},
		{"an authority that is no file", local + "?sslrootcert=/nowhere.pem", "geheim-42", "no such file"},
		{"a socket", server.Address("bench-1", "lab"), "geheim-42", ""},
		{"a socket of another account", server.Address("bench-1", "lab") + "&requirepeer=nobody", "geheim-42", "requirepeer"},
		{"another password", checked, "geheim-43", "its password is another"},
		{"an authority that nobody knows", local + "?sslmode=verify-full", "geheim-42", "cannot be trusted"},
		{"another name than the certificate's", strings.Replace(checked, "127.0.0.1", witness.Unnamed, 1), "geheim-42",
			"cannot be trusted"},
		{"a password in the address", strings.Replace(checked, "bench-1@", "bench-1:geheim-42@", 1), "", "~/.pgpass"},
		{"a password in the settings", checked + "&password=geheim-42", "", "~/.pgpass"},
		{"a passphrase in the settings", checked + "&sslpassword=geheim-42", "", "~/.pgpass"},
		{"unchecked, elsewhere", "postgres://logbook.example/lab?sslmode=require", "geheim-42", "does not check"},
		{"plain, elsewhere", "postgres://logbook.example/lab?sslmode=disable", "geheim-42", "does not check"},
	} {
		t.Setenv("PGPASSWORD", c.password)
		book, err := Open(t.Context(), c.place)
		if err == nil {
			_ = book.Close()
		}
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v, want %q", c.name, err, c.want)
		}
		if err != nil && strings.Contains(err.Error(), "geheim") {
			t.Errorf("%s: the error tells the password: %v", c.name, err)
		}
	}
}
