package logbook

import (
	"database/sql"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// psql runs a script as an account, on and on after errors, and returns what it prints.
func psql(t *testing.T, server *witness.Postgres, account, script string) string {
	t.Helper()
	command := exec.Command("psql", "-h", server.Folder, "-p", strconv.Itoa(server.Port), "-U", account, "-d", "lab",
		"-qAtX")
	command.Stdin = strings.NewReader(script)
	out, _ := command.CombinedOutput() // refusals are what it is about
	return string(out)
}

// holds runs a script as an account, and keeps its transaction open until the test is over. It returns once
// the script has come to its end.
func holds(t *testing.T, server *witness.Postgres, account, script string) {
	t.Helper()
	command := exec.Command("psql", "-h", server.Folder, "-p", strconv.Itoa(server.Port), "-U", account, "-d", "lab",
		"-qAtX")
	in, err := command.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = in.Close(); _ = command.Process.Kill(); _ = command.Wait() })
	fmt.Fprintf(in, "%s\nSET application_name = 'holds on';\n", script)
	const there = `SELECT count(*) FROM pg_stat_activity WHERE application_name = 'holds on' AND state LIKE 'idle%'`
	for range 200 {
		if said, err := server.Ask("lab", there); err == nil && said != "0" {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatal("the script did not come to its end")
}

// shadows makes temporary tables and functions with the names of a logbook's own. Whoever runs into one
// of them is noted.
const shadows = `CREATE TEMP TABLE who (name text);
CREATE FUNCTION pg_temp.note() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
	INSERT INTO pg_temp.who VALUES (current_user); RETURN NEW; END $$;
GRANT ALL ON pg_temp.who TO PUBLIC;
CREATE TEMP TABLE entries (ranking bigint, setup bigint, runs bigint, total float8, mean float8, newest text, newest_ms bigint,
	PRIMARY KEY (ranking, setup));
CREATE TEMP TABLE figures (session text, ranking bigint, setup bigint, value float8, started_ms bigint);
CREATE TEMP TABLE sessions (id text PRIMARY KEY, name text, started_ms bigint, state text, simulated bool, plan text, target text,
	document text, passes int, recorder text);
CREATE TEMP TABLE meetings (id bigint, name text, ended bool, channel text, opened_by text);
CREATE TEMP TABLE claims (review text, place bigint, bench text, taken_ms bigint, until_ms bigint, document text, account text);
CREATE TEMP TABLE turns (name text);
GRANT ALL ON pg_temp.entries, pg_temp.figures, pg_temp.sessions, pg_temp.meetings, pg_temp.claims, pg_temp.turns TO PUBLIC;
CREATE TRIGGER note BEFORE INSERT OR UPDATE OR DELETE ON entries FOR EACH ROW EXECUTE FUNCTION pg_temp.note();
CREATE TRIGGER note BEFORE INSERT OR UPDATE OR DELETE ON figures FOR EACH ROW EXECUTE FUNCTION pg_temp.note();
CREATE TRIGGER note BEFORE INSERT OR UPDATE OR DELETE ON sessions FOR EACH ROW EXECUTE FUNCTION pg_temp.note();
CREATE TRIGGER note BEFORE INSERT OR UPDATE OR DELETE ON meetings FOR EACH ROW EXECUTE FUNCTION pg_temp.note();
CREATE TRIGGER note BEFORE INSERT OR UPDATE OR DELETE ON claims FOR EACH ROW EXECUTE FUNCTION pg_temp.note();
CREATE FUNCTION pg_temp.now_ms() RETURNS bigint LANGUAGE plpgsql AS $$ BEGIN
	INSERT INTO pg_temp.who VALUES (current_user); RETURN 0; END $$;
CREATE FUNCTION pg_temp.is_keeper() RETURNS boolean LANGUAGE sql AS 'SELECT true';
SET search_path = pg_temp, public, pg_catalog;
`

// attackOnTables inserts a figure as the tables of layout 9 allow it: the function that keeps entries then
// meets the table of the bench.
const attackOnTables = shadows + `INSERT INTO public.rankings (class, load) VALUES ('x', 'x');
INSERT INTO public.setups (name) VALUES ('x');
INSERT INTO public.figures SELECT 'k3f9abcdef', (SELECT max(id) FROM public.rankings), (SELECT max(id) FROM public.setups), 1, 1;
SELECT name FROM pg_temp.who;`

// layout9 makes a lab as docs/lab.md asked for it in layout 9, with a session of bench-1.
func layout9(t *testing.T) *witness.Postgres {
	t.Helper()
	script, err := os.ReadFile("testdata/lab-layout-9.sql")
	if err != nil {
		t.Fatal(err)
	}
	server := labBy(t, string(script))
	database, err := sql.Open("pgx", server.Address("ada", "lab"))
	if err != nil {
		t.Fatal(err)
	}
	defer database.Close()
	files, err := fs.Sub(migrations, "migrations/postgres")
	if err != nil {
		t.Fatal(err)
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, database, files, goose.WithDisableGlobalRegistry(true))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(t.Context(), 9); err != nil {
		t.Fatal(err)
	}
	header, err := header(example("k3f9abcdef", "ebb", time.Now()))
	if err != nil {
		t.Fatal(err)
	}
	if said := psql(t, server, "bench-1", `INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document)
		VALUES ('k3f9abcdef', 'ebb', 1, 'interrupted', true, '', '', '`+strings.ReplaceAll(header, "'", "''")+`')`); said != "" {
		t.Fatal(said)
	}
	return server
}

// In layout 9 a bench ran code as the owner of the logbook. Brought up to date by its keeper, with no other
// instructions followed, the same server lets it do no such thing, and readers and benches keep what they had.
func TestABenchIsNobodyElse(t *testing.T) {
	t.Parallel()
	server := layout9(t)
	if said := psql(t, server, "bench-1", attackOnTables); !strings.Contains(said, "lab_keeper") {
		t.Fatalf("the attack did not work in layout 9, so that this test proves nothing: %s", said)
	}
	if _, err := server.Ask("lab", `DELETE FROM figures`); err != nil {
		t.Fatal(err)
	}
	keeper := newBookAt(t, server.Address("ada", "lab"))
	if said := psql(t, server, "bench-1", attackOnTables); strings.Contains(said, "lab_keeper") {
		t.Errorf("the old attack still works: %s", said)
	}
	said := psql(t, server, "bench-1", shadows+callsOfAll(t, keeper)+`SELECT 'ran as ' || name FROM pg_temp.who WHERE name <> session_user;`)
	if strings.Contains(said, "ran as") {
		t.Errorf("code of a bench ran as another: %s", said)
	}
	one, visitor := opened(t, server, "bench-1"), opened(t, server, "visitor")
	keep(t, one, example("m111abcdef", "flood", time.Now()))
	if s, err := visitor.Load("flood"); err != nil || s.RecordedBy.Account != "bench-1" {
		t.Errorf("a reader sees %+v, %v", s, err)
	}
	wide, err := visitor.Excess()
	if err != nil || len(wide) != 1 || !strings.Contains(wide[0], `REVOKE TEMPORARY ON DATABASE lab FROM PUBLIC`) {
		t.Errorf("of the privileges of the old instructions it says %q, %v", wide, err)
	}
	if _, err := server.Ask("lab", strings.TrimSpace(wide[0][strings.Index(wide[0], "REVOKE"):])); err != nil {
		t.Fatal(err)
	}
	if wide, err := visitor.Excess(); err != nil || len(wide) != 0 {
		t.Errorf("after its advice was followed it says %q, %v", wide, err)
	}
}

// callsOfAll calls each function that a bench may call, with arguments of its session.
func callsOfAll(t *testing.T, book *Logbook) string {
	t.Helper()
	calls, err := queryTexts(book.database, `SELECT format('SELECT opengauge_bench.%I(%s);', proname, (SELECT string_agg(
		CASE format_type(a, NULL) WHEN 'text' THEN '''k3f9abcdef''' WHEN 'text[]' THEN '''{k3f9abcdef}''' WHEN 'bigint' THEN '1'
		WHEN 'bigint[]' THEN '''{1}''' WHEN 'integer[]' THEN '''{1}''' WHEN 'double precision[]' THEN '''{1}'''
		WHEN 'bytea' THEN '''x''' WHEN 'bytea[]' THEN '''{x}''' ELSE '''["k3f9abcdef"]''' END, ', ' ORDER BY place)
		FROM unnest(proargtypes) WITH ORDINALITY AS types (a, place))) FROM pg_proc
		WHERE pronamespace = to_regnamespace('opengauge_bench') ORDER BY proname`)
	if err != nil || len(calls) < 25 {
		t.Fatal(calls, err)
	}
	return `INSERT INTO pg_temp.sessions VALUES ('k3f9abcdef');` + strings.Join(calls, "\n")
}

// A reader cannot keep others waiting: neither with the locks that a program takes nor with its tables.
func TestAReaderHoldsNobodyUp(t *testing.T) {
	t.Parallel()
	server, _ := preparedLab(t)
	one := opened(t, server, "bench-1")
	keep(t, one, example("k3f9abcdef", "ebb", time.Now()))
	takes(t, one, "desk", "tide")
	attempts := `BEGIN; SAVEPOINT s;
		SELECT pg_advisory_lock(hashtext('opengauge claims')), pg_advisory_lock(hashtext('opengauge meetings'));` + "\n"
	for _, statement := range []string{`SELECT * FROM claims FOR UPDATE`, `SELECT * FROM sessions FOR SHARE`,
		`SELECT * FROM opengauge.turns FOR UPDATE`, `LOCK TABLE claims IN SHARE MODE`, `LOCK TABLE claims IN ACCESS SHARE MODE`,
		`LOCK TABLE goose_db_version IN SHARE MODE`, `SELECT opengauge_bench.take_turn()`,
		`CREATE TEMP TABLE large AS SELECT generate_series(1, 100)`} {
		attempts += statement + `; ROLLBACK TO s;` + "\n"
	}
	holds(t, server, "visitor", attempts+`LOCK TABLE claims IN ACCESS SHARE MODE;`)
	two := opened(t, server, "bench-2").waiting(5 * time.Second)
	keep(t, two, example("m111abcdef", "flood", time.Now()))
	if got := takes(t, two, "loft", "tide"); got != 1 {
		t.Errorf("a bench takes visit %d", got)
	}
	board, err := two.Meet(t.Context(), "pier", "loft", nil)
	if err != nil {
		t.Fatal(err)
	}
	defer board.Close()
	posts(t, board, "join/loft", "terms")
	if said := psql(t, server, "visitor", `SELECT count(*) FROM notices; CREATE TEMP TABLE x (y int);`); !strings.HasPrefix(said,
		"0\n") || !strings.Contains(said, "permission denied") {
		t.Errorf("a reader sees of a meeting, or makes tables: %s", said)
	}
}

// Who waits in vain is told the account that holds what it waits for.
func TestTheHolderIsNamed(t *testing.T) {
	t.Parallel()
	server, _ := preparedLab(t)
	holds(t, server, "bench-2", `BEGIN; SELECT opengauge_bench.take_turn();`)
	one := opened(t, server, "bench-1").waiting(time.Second)
	_, err := one.Take("tide", "desk", time.Minute, func([]Claim) (int, any, bool) { return 0, "visit", true })
	if err == nil || !strings.Contains(err.Error(), "held by bench-2") {
		t.Errorf("it says %v", err)
	}
}

// Nobody stores what others stumble over, or takes part where they are not asked.
func TestBoundsOfAServer(t *testing.T) {
	t.Parallel()
	server, keeper := preparedLab(t)
	one := opened(t, server, "bench-1")
	keep(t, one, example("k3f9abcdef", "ebb", time.Now()))
	board, err := one.Meet(t.Context(), "pier", "desk", []string{"ada"})
	if err != nil {
		t.Fatal(err)
	}
	defer board.Close()
	document := `{"format":"opengauge.session/1","id":"x","started":"%s","state":"%s","plan":{},"target":{}}`
	begin := func(id, started, state string) string {
		return fmt.Sprintf(`begin_session('%s', '`+document+`')`, id, started, state)
	}
	figures := func(value string) string {
		return `add_ranking('a', 'b'), opengauge_bench.add_setup('c'), opengauge_bench.add_figures('{k3f9abcdef}', ARRAY(SELECT
			max(id) FROM rankings), ARRAY(SELECT max(id) FROM setups), '{` + value + `}')`
	}
	now := time.Now().UTC().Format(time.RFC3339Nano)
	for _, c := range []struct{ account, call, want string }{
		{"bench-1", begin("a1", now, "interrupted"), ""},
		{"bench-1", begin("a2", "9999-12-31T23:59:59.999Z", "complete"), ""},
		{"bench-1", begin("a3", "20000-01-01T00:00:00Z", "complete"), "bounded"},
		{"bench-1", begin("a4", "no time", "complete"), "invalid input"},
		{"bench-1", begin("a5", now, "grand"), "bounded"},
		{"bench-1", begin("a 6", now, "complete"), "bounded"},
		{"bench-1", `begin_session('a7', '{')`, "invalid input"},
		{"bench-2", `finish_session('k3f9abcdef', '` + fmt.Sprintf(document, now, "complete") + `')`, "is of the account bench-1"},
		{"bench-2", `amend_session('k3f9abcdef', '{}')`, "is of the account bench-1"},
		{"bench-2", `remove_session('k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `remove_samples('k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `add_tag('x', 'k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `remove_tags('k3f9abcdef', '["x"]')`, "is of the account bench-1"},
		{"bench-2", `clear_index('k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `count_passes('k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `clear_documents('k3f9abcdef')`, "is of the account bench-1"},
		{"bench-2", `remove_empty_samples('k3f9abcdef', '', '')`, "is of the account bench-1"},
		{"bench-2", `add_passes('{k3f9abcdef}', '{9}', '{x}', '{x}')`, "is of the account bench-1"},
		{"bench-2", `add_conditions('{x}', '{x}', '{k3f9abcdef}')`, "is of the account bench-1"},
		{"bench-2", `add_pass_lists('{k3f9abcdef}', '{x}', '{x}')`, "is of the account bench-1"},
		{"bench-2", figures("1"), "is of the account bench-1"},
		{"bench-2", `add_sessions('{k3f9abcdef}', ARRAY['` + fmt.Sprintf(document, now, "complete") + `'], '{0}')`, "duplicate"},
		{"bench-1", figures("1.7e308"), "bounded"},
		{"bench-1", figures("NaN"), "bounded"},
		{"bench-1", figures("Infinity"), "bounded"},
		{"bench-1", figures("-1"), "bounded"},
		{"bench-1", `add_tag(repeat('x', 201), 'k3f9abcdef')`, "bounded"},
		{"bench-1", `add_tag('deck', 'k3f9abcdef')`, ""},
		{"bench-1", `add_claim('tide', 1, 'desk', 600000, '{}')`, ""},
		{"bench-1", `add_claim('tide', 2, 'desk', 600001, '{}')`, "bounded"},
		{"bench-1", `keep_claims(3600000, 'tide', 'desk')`, "bounded"},
		{"bench-2", `enter_meeting('pier', 'loft', '["bench-2"]')`, "bench-1"},
		{"bench-2", `post_notice(1, 'stop', 'desk', '{}')`, "no seat"},
		{"bench-2", `tell(1, 'desk', '{}')`, "no seat"},
		{"bench-1", `post_notice(1, repeat('x', 501), 'desk', '{}')`, "bounded"},
	} {
		said := psql(t, server, c.account, `SELECT opengauge_bench.`+c.call)
		if (c.want == "") != !strings.Contains(said, "ERROR") || !strings.Contains(said, c.want) {
			t.Errorf("%s by %s: %q, want %q", c.call, c.account, said, c.want)
		}
	}
	if _, err := keeper.Meet(t.Context(), "pier", "cabin", nil); err != nil {
		t.Errorf("an account that was listed cannot take part: %v", err)
	}
	two := opened(t, server, "bench-2")
	if _, err := two.Meet(t.Context(), "pier", "loft", nil); err == nil ||
		!strings.Contains(err.Error(), "opened by the account bench-1") {
		t.Errorf("an account that was not listed is told %v", err)
	}
}

// Rows of an older layout that no bench may store now do not keep it from being brought up to date, or from
// being removed from.
func TestFiguresBeyondBoundsGo(t *testing.T) {
	t.Parallel()
	server := layout9(t)
	psql(t, server, "bench-1", `INSERT INTO rankings (class, load) VALUES ('x', 'x'); INSERT INTO setups (name) VALUES ('x');
		INSERT INTO figures SELECT 'k3f9abcdef', 1, 1, 1.7e308, 1;`)
	keeper := newBookAt(t, server.Address("ada", "lab"))
	if said, err := server.Ask("lab", `SELECT count(*) FROM figures`); err != nil || said != "0" {
		t.Errorf("%s figures are left, %v", said, err)
	}
	if err := keeper.Discard("k3f9abcdef"); err != nil {
		t.Error(err)
	}
}

// privileges lists who may do what: schemas, tables and views, functions, and the database.
const privileges = `SELECT object, string_agg(DISTINCT who || ': ' || may, '; ' ORDER BY who || ': ' || may) FROM (
	SELECT object, CASE grantee WHEN 0 THEN 'everybody' ELSE pg_get_userbyid(grantee) END AS who,
		string_agg(lower(privilege), ', ' ORDER BY privilege) AS may FROM (
		SELECT 'database' AS object, datdba AS owner, (a).grantee, (a).privilege_type AS privilege
			FROM (SELECT datdba, aclexplode(coalesce(datacl, acldefault('d', datdba))) AS a FROM pg_database
			WHERE datname = current_database()) d
		UNION ALL SELECT 'schema ' || nspname, nspowner, (a).grantee, (a).privilege_type
			FROM (SELECT nspname, nspowner, aclexplode(coalesce(nspacl, acldefault('n', nspowner))) AS a FROM pg_namespace
			WHERE nspname IN ('public', 'opengauge', 'opengauge_bench')) n
		UNION ALL SELECT CASE relkind WHEN 'v' THEN 'view ' ELSE 'table ' END || nspname || '.' || relname, relowner,
			(a).grantee, (a).privilege_type
			FROM (SELECT relkind, nspname, relname, relowner, aclexplode(coalesce(relacl, acldefault('r', relowner))) AS a
			FROM pg_class c JOIN pg_namespace n ON n.oid = relnamespace WHERE relkind IN ('r', 'v', 'm', 'f', 'p')
			AND nspname IN ('public', 'opengauge', 'opengauge_bench')) c
		UNION ALL SELECT 'function ' || oid::regprocedure::text, proowner, (a).grantee, (a).privilege_type
			FROM (SELECT p.oid, proowner, aclexplode(coalesce(proacl, acldefault('f', proowner))) AS a FROM pg_proc p
			WHERE pronamespace IN ('public'::regnamespace, 'opengauge'::regnamespace, 'opengauge_bench'::regnamespace)
			AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.objid = p.oid AND d.deptype = 'e')) f
	) granted WHERE grantee <> owner AND grantee <> 'lab_keeper'::regrole GROUP BY object, grantee
) each GROUP BY object`

const privilegesBegin, privilegesEnd = "<!-- privileges -->\n", "<!-- end of privileges -->"

// docs/lab.md has the table of privileges, which is that of a server: what is not in it nobody may do but the
// owner. Each function runs on a path of its own, and names all that it touches in full.
func TestPrivileges(t *testing.T) {
	t.Parallel()
	server, keeper := preparedLab(t)
	table := "| object | who may do what |\n|---|---|\n"
	var functions []string
	rows, err := keeper.database.Query(privileges + ` ORDER BY object COLLATE "C"`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var object, may string
		if err := rows.Scan(&object, &may); err != nil {
			t.Fatal(err)
		}
		table += "| " + object + " | " + may + " |\n"
		functions = append(functions, object)
	}
	if len(functions) < 40 || rows.Err() != nil {
		t.Fatal(functions, rows.Err())
	}
	text, err := os.ReadFile("../../../docs/lab.md")
	if err != nil {
		t.Fatal(err)
	}
	before, rest, _ := strings.Cut(string(text), privilegesBegin)
	kept, after, found := strings.Cut(rest, privilegesEnd)
	if *witness.Update {
		made := before + privilegesBegin + table + privilegesEnd + after
		if err := os.WriteFile("../../../docs/lab.md", []byte(made), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if !found || kept != table {
		t.Errorf("docs/lab.md has other privileges than a server; -update writes them anew:\n%s", table)
	}

	unpinned, err := queryTexts(keeper.database, `SELECT oid::regprocedure::text FROM pg_proc WHERE pronamespace IN
		('opengauge'::regnamespace, 'opengauge_bench'::regnamespace) AND (proconfig IS NULL OR NOT
		'search_path=pg_catalog, pg_temp' = ANY (proconfig))`)
	if err != nil || len(unpinned) > 0 {
		t.Errorf("functions without a path of their own: %q, %v", unpinned, err)
	}
	bodies, err := queryTexts(keeper.database, `SELECT oid::regprocedure || E'\n' || prosrc FROM pg_proc WHERE pronamespace IN
		('opengauge'::regnamespace, 'opengauge_bench'::regnamespace)`)
	if err != nil || len(bodies) < 30 {
		t.Fatal(bodies, err)
	}
	relation := regexp.MustCompile(`\b(?:FROM|INTO|UPDATE|JOIN)\s+([a-z_]+)([.(]?)`)
	own := []string{"added", "removed", "pg_class", "pg_stat_activity", "other", "held", "found"}
	for _, body := range bodies {
		for _, match := range relation.FindAllStringSubmatch(body, -1) {
			if match[2] == "" && !slices.Contains(own, match[1]) {
				t.Errorf("%s names %s without its schema", strings.SplitN(body, "\n", 2)[0], match[1])
			}
		}
	}
	if _, err := server.Ask("lab", `CREATE FUNCTION opengauge_bench.more() RETURNS int LANGUAGE sql AS 'SELECT 1'`); err != nil {
		t.Fatal(err)
	}
	if more, err := queryTexts(keeper.database, `SELECT object FROM (`+privileges+`) p WHERE object LIKE '%more()'`); err != nil ||
		len(more) != 1 {
		t.Errorf("a function that is not in the table goes unseen: %q, %v", more, err)
	}
}

// What a program of another machine keeps is what its document says, whatever it says besides: the columns of
// a server are computed there.
func TestColumnsAreComputedByTheServer(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 1, 9, 0, 0, 123_999_999, time.FixedZone("", 3600))
	onEachEngine(t, func(t *testing.T, book *Logbook) {
		for id, started := range map[string]time.Time{"k3f9abcdef": at, "k3f9abcdeg": {}, "k3f9abcdeh": at.UTC()} {
			s := example(id, "ebb", started)
			keep(t, book, s)
			var got int64
			if err := book.database.QueryRow(`SELECT started_ms FROM sessions WHERE id = $1`, id).Scan(&got); err != nil ||
				got != started.UnixMilli() {
				t.Errorf("%s began at %d, want %d (%v)", id, got, started.UnixMilli(), err)
			}
			var name, state, plan, target string
			if err := book.database.QueryRow(`SELECT name, state, plan, target FROM sessions WHERE id = $1`, id).Scan(&name, &state,
				&plan, &target); err != nil || name != s.Name || state != string(session.Complete) || plan != s.Plan.Name ||
				target != s.Target.Address {
				t.Errorf("%s is %q %q %q %q, %v", id, name, state, plan, target, err)
			}
		}
	})
}
