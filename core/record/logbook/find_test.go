package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"iter"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/pressly/goose/v3"

	benchbook "opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// ranked is a session whose passes read at a rate.
func ranked(id, name string, at time.Time, rate float64) *session.Session {
	s := example(id, name, at)
	for index := range s.Passes {
		s.Passes[index].BytesPerSecond = unit.BytesPerSecond(rate)
	}
	return s
}

func sequence(sessions ...*session.Session) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		for _, s := range sessions {
			if !yield(s, nil) {
				return
			}
		}
	}
}

func names(summaries []Summary) string {
	var all []string
	for _, s := range summaries {
		all = append(all, s.Name)
	}
	return strings.Join(all, " ")
}

func TestFilters(t *testing.T) {
	t.Parallel()
	onEachEngine(t, filters)
}

func filters(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	for number, name := range []string{"ebb", "flood", "slack"} {
		s := example(fmt.Sprintf("k%d", number), name, at.AddDate(0, 0, number))
		s.Conditions = map[string]string{"fan": []string{"on", "off"}[number%2], "deck": "wet"}
		keep(t, book, s)
	}
	if err := book.AddTags("k1", []string{"article", "deck", "article"}); err != nil {
		t.Fatal(err)
	}
	cases := map[string]struct {
		filter Filter
		want   string
		total  int
	}{
		"all":            {Filter{}, "slack flood ebb", 3},
		"limited":        {Filter{Limit: 2}, "slack flood", 3},
		"part of a name": {Filter{Name: "LO"}, "flood", 1},
		"tag":            {Filter{Tags: []string{"article"}}, "flood", 1},
		"two tags":       {Filter{Tags: []string{"article", "none"}}, "", 0},
		"condition": {Filter{Conditions: map[string]string{"fan": "on", "deck": "wet"}}, "slack ebb",
			2},
		"since":                   {Filter{Since: at.AddDate(0, 0, 1)}, "slack flood", 2},
		"until":                   {Filter{Until: at.AddDate(0, 0, 1)}, "ebb", 1},
		"references":              {Filter{References: []string{"ebb", "latest"}}, "slack ebb", 2},
		"a hostile name":          {Filter{Name: "' OR 1=1 --"}, "", 0},
		"plan and a limit":        {Filter{Plan: "quick", Limit: 1}, "slack", 3},
		"a condition and a limit": {Filter{Conditions: map[string]string{"fan": "on"}, Limit: 1}, "slack", 2},
		"two conditions, one rarer": {Filter{Conditions: map[string]string{"deck": "wet", "fan": "off"}, Limit: 5},
			"flood", 1},
		"a name and a limit": {Filter{Name: "l", Limit: 1}, "slack", 2},
		"a name, and a condition": {Filter{Name: "l", Conditions: map[string]string{"fan": "on"}, Limit: 1},
			"slack", 1},
	}
	for _, many := range []int{common, 0} { // few sessions, and so many that they are looked through in their order
		common, largest = many, many
		for name, c := range cases {
			got, total, err := book.List(c.filter)
			if err != nil || names(got) != c.want || total.Sessions != c.total {
				t.Errorf("%s, common from %d on: %q of %d, %v; want %q of %d", name, many, names(got), total.Sessions, err,
					c.want, c.total)
			}
		}
	}
	common, largest, countedTo = 5000, 100_000, 1
	if _, total, err := book.List(Filter{Limit: 1}); err != nil || total != (Total{1, true}) {
		t.Errorf("counted to one: %+v, %v", total, err)
	}
	countedTo = 10_000
	got, _, _ := book.List(Filter{Name: "flood"})
	if !reflect.DeepEqual(got[0].Tags, []string{"article", "deck"}) || got[0].Passes != 2 {
		t.Errorf("the summary is %+v", got[0])
	}
	if err := book.RemoveTags("k1", []string{"deck"}); err != nil {
		t.Fatal(err)
	}
	if left, err := book.Tags("k1"); err != nil || len(left) != 1 {
		t.Errorf("tags are %q, %v", left, err)
	}
	if err := book.AddTags("none", []string{"x"}); err == nil {
		t.Error("a session that is not there was tagged")
	}
}

func TestStandings(t *testing.T) {
	t.Parallel()
	onEachEngine(t, standings)
}

func standings(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	for number, rate := range []float64{100, 200, 300, 300, 500} {
		keep(t, book, ranked(fmt.Sprintf("k%d", number), fmt.Sprintf("n%d", number), at, rate))
	}
	simulated := ranked("s0", "other class", at, 1000)
	simulated.Simulated = true
	keep(t, book, simulated)
	s, err := book.LoadBrief("k2")
	if err != nil || len(s.Passes) != 2 || len(s.Passes[0].Samples) != 0 {
		t.Fatalf("%+v, %v", s, err)
	}
	standings, err := book.Standings(s)
	if err != nil || len(standings) != 1 {
		t.Fatalf("%+v, %v", standings, err)
	}
	got := standings[0]
	if got.Load != "read random 4 KiB, depth 32" || got.Others != 4 || got.Slower != 2 || got.Alike != 1 ||
		got.Percentile() != 62.5 {
		t.Errorf("it stands at %+v, percentile %v", got, got.Percentile())
	}
	if got.Below == nil || got.Below.Name != "n1" || got.Above == nil || got.Above.Name != "n4" ||
		got.Above.Value != 500 {
		t.Errorf("between %+v and %+v", got.Below, got.Above)
	}
	alone, err := book.Standings(simulated)
	if err != nil || alone[0].Others != 0 || alone[0].Below != nil || alone[0].Percentile() != 50 {
		t.Errorf("alone in its class: %+v, %v", alone, err)
	}
}

// Runs of the same parts are one entry, and what differs by less than runs do is a tie.
func TestStandingsOfSetUps(t *testing.T) {
	t.Parallel()
	onEachEngine(t, standingsOfSetUps)
}

func standingsOfSetUps(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	for number, each := range []struct {
		drive string
		rate  float64
	}{{"dunlin", 2810}, {"dunlin", 2809}, {"dunlin", 2811}, {"curlew", 520}, {"sandpiper", 2808}, {"sandpiper", 2812},
		{"knot", 3200}} {
		s := ranked(fmt.Sprintf("k%d", number), fmt.Sprintf("%s-%d", each.drive, number), at, each.rate)
		s.Parts = []benchbook.Part{{Kind: benchbook.Drive, Name: each.drive}}
		keep(t, book, s)
	}
	s, err := book.LoadBrief("k4")
	if err != nil {
		t.Fatal(err)
	}
	standings, err := book.Standings(s)
	if err != nil || len(standings) != 1 {
		t.Fatalf("%+v, %v", standings, err)
	}
	got := standings[0]
	if got.Others != 3 || got.Slower != 1 || got.Alike != 1 || got.Percentile() != 50 {
		t.Errorf("it stands at %+v, percentile %v", got, got.Percentile())
	}
	if got.Below == nil || got.Below.Runs != 1 || got.Below.Value != 520 || got.Above == nil || got.Above.Value != 3200 {
		t.Errorf("between %+v and %+v", got.Below, got.Above)
	}
	peers, err := book.Peers(s, s.Passes[0].Key(), 10)
	if err != nil || len(peers) != 3 {
		t.Errorf("its peers are %q, %v", peers, err)
	}
}

func TestImportingTwiceChangesNothing(t *testing.T) {
	t.Parallel()
	onEachEngine(t, importingTwiceChangesNothing)
}

func importingTwiceChangesNothing(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	var sessions []*session.Session
	for number := range 250 {
		sessions = append(sessions, example(fmt.Sprintf("k%04d", number), "", at))
	}
	done, err := book.Import(sequence(sessions...))
	if err != nil || done.Added != 250 || done.Known != 0 {
		t.Fatalf("%+v, %v", done, err)
	}
	got, err := book.Load("k0007")
	if err != nil || !same(book, got, sessions[7]) {
		t.Errorf("came back as %+v, %v", got, err)
	}
	if done, err = book.Import(sequence(sessions...)); err != nil || done.Added != 0 || done.Known != 250 {
		t.Errorf("again: %+v, %v", done, err)
	}
	other := example("k0007", "", at)
	other.Passes[0].BytesPerSecond = 1
	if done, err = book.Import(sequence(other)); err != nil || len(done.Conflicting) != 1 ||
		done.Conflicting[0] != "k0007" {
		t.Errorf("another session of the same id: %+v, %v", done, err)
	}
	if got, _ := book.Load("k0007"); got.Passes[0].BytesPerSecond == 1 {
		t.Error("the logbook's own session was replaced")
	}
}

func TestAnImportThatFailsKeepsWholeSessions(t *testing.T) {
	t.Parallel()
	onEachEngine(t, anImportThatFailsKeepsWholeSessions)
}

func anImportThatFailsKeepsWholeSessions(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	broken := func(yield func(*session.Session, error) bool) {
		for number := range 130 {
			if !yield(example(fmt.Sprintf("k%04d", number), "", at), nil) {
				return
			}
		}
		yield(nil, errors.New("the file ends in the middle"))
	}
	done, err := book.Import(broken)
	if err == nil || done.Added != 130 {
		t.Errorf("%+v, %v", done, err)
	}
	if faults, count, err := book.Check(func(int, int) {}); len(faults) != 0 || count != 130 || err != nil {
		t.Errorf("%d sessions with faults %q, %v", count, faults, err)
	}
}

// older makes a logbook of the first layout, as earlier programs wrote it.
func older(t *testing.T, sessions ...*session.Session) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "older.db")
	database, err := sql.Open("sqlite", source(path, "rwc"))
	if err != nil {
		t.Fatal(err)
	}
	defer database.Close()
	files, _ := fs.Sub(migrations, "migrations/sqlite")
	provider, err := goose.NewProvider(goose.DialectSQLite3, database, files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(t.Context(), 1); err != nil {
		t.Fatal(err)
	}
	packer := newBook(t)
	for _, s := range sessions {
		document, _ := header(s)
		if _, err := database.Exec(`INSERT INTO sessions VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			s.ID, s.Name, s.Started.UnixMilli(), s.State, s.Simulated, s.Plan.Name, s.Target.Address,
			document); err != nil {
			t.Fatal(err)
		}
		for i, pass := range s.Passes {
			row, _ := packer.pack(pass)
			if _, err := database.Exec(`INSERT INTO passes VALUES (?, ?, ?, ?)`, s.ID, i, row.document,
				row.samples); err != nil {
				t.Fatal(err)
			}
		}
	}
	return path
}

func TestAnOlderLogbookIsBroughtUpToDate(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	want := example("k3f9abcdef", "stick", at)
	book, err := Open(context.Background(), older(t, want))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	got, err := book.Load("stick")
	if err != nil || !same(book, got, want) {
		t.Errorf("came back as %+v, %v", got, err)
	}
	found, _, err := book.List(Filter{Conditions: map[string]string{"fan": "on"}})
	if err != nil || len(found) != 1 || found[0].Passes != 2 {
		t.Errorf("by its condition: %+v, %v", found, err)
	}
	if standings, err := book.Standings(want); err != nil || len(standings) != 1 {
		t.Errorf("its standings are %+v, %v", standings, err)
	}
}

func TestMergeALogbookWhole(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	theirs := newBook(t)
	if _, err := theirs.Import(func(yield func(*session.Session, error) bool) {
		for number := range 120 {
			if !yield(ranked(fmt.Sprintf("t%04d", number), "", at, float64(number+1)), nil) {
				return
			}
		}
	}); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(theirs.AddTags("t0001", []string{"article", "deck"}),
		theirs.AddTags("t0002", []string{"article"})); err != nil {
		t.Fatal(err)
	}
	book := newBook(t)
	keep(t, book, ranked("t0000", "", at, 1))
	done, err := merge(book, theirs.Place())
	if err != nil || done.Added != 119 || done.Known != 1 || len(done.Conflicting) != 0 {
		t.Fatalf("%+v, %v", done, err)
	}
	if done, err = merge(book, theirs.Place()); err != nil || done.Added != 0 || done.Known != 120 {
		t.Errorf("again: %+v, %v", done, err)
	}
	for tag, want := range map[string]int{"article": 2, "deck": 1} {
		if got, _, err := book.List(Filter{Tags: []string{tag}}); err != nil || len(got) != want {
			t.Errorf("with the tag %s are %+v, %v", tag, got, err)
		}
	}
	s, _ := book.LoadBrief("t0050")
	if standings, err := book.Standings(s); err != nil || standings[0].Slower != 49 || standings[0].Alike != 2 ||
		standings[0].Others != 119 {
		t.Errorf("its standings: %+v, %v", standings, err)
	}
	if done, err = merge(book, older(t, example("old", "", at))); err != nil || done.Added != 1 {
		t.Errorf("an older one: %+v, %v", done, err)
	}
	left, _ := filepath.Glob(filepath.Join(filepath.Dir(book.Place()), ".opengauge*"))
	if faults, _, _ := book.Check(func(int, int) {}); len(faults) != 0 || len(left) != 0 {
		t.Errorf("faults %q, left behind %q", faults, left)
	}
}

func merge(book *Logbook, name string) (Imported, error) {
	done, damaged, err := book.MergeFrom(name, func(int, int) {})
	if err == nil && len(damaged.Sessions) > 0 {
		err = fmt.Errorf("%q are damaged: %q", damaged.Sessions, damaged.Reasons)
	}
	return done, errors.Join(err, damaged.Unfound())
}

func TestIsLogbook(t *testing.T) {
	t.Parallel()
	text := filepath.Join(t.TempDir(), "x")
	if err := os.WriteFile(text, []byte("{}"), 0o600); err != nil {
		t.Fatal(err)
	}
	book := newBook(t)
	keep(t, book, example("k", "", time.Now()))
	if err := book.Backup(filepath.Join(filepath.Dir(text), "b.db")); err != nil {
		t.Fatal(err)
	}
	if IsLogbook(text) || IsLogbook(text+"none") || !IsLogbook(filepath.Join(filepath.Dir(text), "b.db")) {
		t.Error("logbooks are not told from other files")
	}
}

func TestBackup(t *testing.T) {
	t.Parallel()
	onEachEngine(t, backup)
}

func backup(t *testing.T, book *Logbook) {
	want := example("k3f9abcdef", "stick", time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC))
	keep(t, book, want)
	copied := filepath.Join(t.TempDir(), "copy's.db")
	if err := book.Backup(copied); err != nil {
		t.Fatal(err)
	}
	restored, err := Open(context.Background(), copied)
	if err != nil {
		t.Fatal(err)
	}
	defer restored.Close()
	if got, err := restored.Load("stick"); err != nil || !same(book, got, want) {
		t.Errorf("came back as %+v, %v", got, err)
	}
	if err := book.Backup(copied); err == nil || !strings.Contains(err.Error(), "there already") {
		t.Errorf("over another file: %v", err)
	}
	if err := book.Backup(filepath.Join(t.TempDir(), "none", "x.db")); err == nil {
		t.Error("into no folder: no error")
	}
}

func TestCheckFindsDamage(t *testing.T) {
	t.Parallel()
	at := time.Now()
	for name, c := range map[string]struct{ statement, want string }{
		"samples":     {"UPDATE passes SET samples = x'00112233' WHERE position = 1", "samples of pass 1"},
		"document":    {"UPDATE sessions SET document = '{'", "cannot be read"},
		"a lost pass": {"DELETE FROM passes WHERE position = 1", "samples of pass 1 are missing"},
		"a lost parent": {"PRAGMA foreign_keys = OFF; INSERT INTO tags VALUES ('x', 'nobody'); PRAGMA " +
			"foreign_keys = ON", "belongs to no session"},
	} {
		book := newBook(t)
		keep(t, book, example("k3f9abcdef", "", at))
		if faults, count, err := book.Check(func(int, int) {}); err != nil || len(faults) != 0 || count != 1 {
			t.Fatalf("a sound one: %q, %v", faults, err)
		}
		if _, err := book.database.Exec(c.statement); err != nil {
			t.Fatal(err)
		}
		if faults, _, err := book.Check(func(int, int) {}); err != nil || !strings.Contains(strings.Join(faults, " "),
			c.want) {
			t.Errorf("%s: faults %q, %v; want %q", name, faults, err, c.want)
		}
	}
}

// What comparisons read of a session has to be of that session.
func TestCheckFindsFiguresOfAnother(t *testing.T) {
	t.Parallel()
	onEachEngine(t, func(t *testing.T, book *Logbook) {
		one, other := example("k3f9abcdef", "ebb", time.Now()), example("k3f9abcdeg", "ebb", time.Now())
		other.Passes[1].BytesPerSecond *= 1.01
		keep(t, book, one)
		keep(t, book, other)
		if faults, count, err := book.Check(func(int, int) {}); err != nil || len(faults) != 0 || count != 2 {
			t.Fatalf("of sound ones: %q, %v", faults, err)
		}
		if _, err := book.database.Exec(`UPDATE pass_lists SET digest = (SELECT digest FROM pass_lists
			WHERE session = $1)`, one.ID); err != nil {
			t.Fatal(err)
		}
		faults, _, err := book.Check(func(int, int) {})
		if err != nil || len(faults) != 1 || !strings.Contains(faults[0], other.ID) ||
			!strings.Contains(faults[0], "comparisons") {
			t.Errorf("faults %q, %v", faults, err)
		}
		if _, err := book.database.Exec(`UPDATE pass_lists SET digest = $1`, []byte{0}); err != nil {
			t.Fatal(err)
		}
		if faults, _, err := book.Check(func(int, int) {}); err != nil || len(faults) != 2 {
			t.Errorf("of damaged digests: %q, %v", faults, err)
		}
	})
}
