package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// labDesk returns a desk whose logbook is a prepared database of a server.
func labDesk(t *testing.T) desk {
	t.Helper()
	server := witness.SharedPostgres(t)
	return desk{t: t, logbook: server.Address("keeper", server.CopyDatabase(t, func(database string) error {
		_, err := executeAll(server.Address("keeper", database), []string{"logbook", "prepare"})
		return err
	}))}
}

// Every command prints the same, whether sessions are in a file or on a server.
func TestAServerPrintsWhatAFileDoes(t *testing.T) {
	t.Parallel()
	d := labDesk(t)
	d.must("logbook", "import", "../examples/sessions.json.gz")
	for name := range printed {
		kept, err := os.ReadFile(filepath.Join(golden, name+".txt"))
		if err != nil {
			t.Fatal(err)
		}
		if got := d.printed(name); got != string(kept) {
			t.Errorf("%s, on a server:\n%s\nand in a file:\n%s", name, got, kept)
		}
	}
}

// What changes a logbook changes one on a server too.
func TestALogbookOnAServerIsTakenCareOf(t *testing.T) {
	t.Parallel()
	d := labDesk(t)
	folder := t.TempDir()
	d.must("logbook", "import", "../examples/sessions.json.gz")
	d.must("logbook", "tag", "dunlin-long", "deck")
	d.must("logbook", "note", "dunlin-long", "the fan was loud")
	d.must("logbook", "quote", "sandpiper", "read sequential 1 MiB, depth 8", "2900MB/s", "--source", "a leaflet")
	if got := d.must("logbook", "list", "--tag", "deck"); !strings.Contains(got, "dunlin-long") {
		t.Errorf("by its tag:\n%s", got)
	}
	whole := d.must("logbook", "export", "--all")
	backup := filepath.Join(folder, "backup.db")
	d.must("logbook", "backup", backup)
	file := desk{t: t, logbook: backup}
	if got := file.must("logbook", "export", "--all"); got != whole {
		t.Error("a backup of a server's logbook does not hold what that holds")
	}
	file.must("logbook", "check")
	second := labDesk(t)
	second.must("logbook", "import", backup)
	if got := second.must("logbook", "export", "--all"); got != whole {
		t.Error("what was merged is not what was in the other logbook")
	}
	if got := d.must("logbook", "check"); !strings.Contains(got, "nothing is damaged") {
		t.Errorf("check: %s", got)
	}
	d.must("logbook", "remove", "dunlin-long", "--yes")
	if got := d.run("logbook", "show", "dunlin-long"); got.code != 1 {
		t.Errorf("a removed session is shown: %+v", got)
	}
}

// Two benches work on one review: no visit is made twice, and both come to the same answer.
func TestAReviewAtTwoBenches(t *testing.T) {
	t.Parallel()
	d := labDesk(t)
	var group sync.WaitGroup
	got := make([]outcome, 2)
	for i := range got {
		folder := t.TempDir()
		group.Go(func() {
			command := d.command("review", "run", reviews+"cases.yaml", "--unattended", "--json", "--seed", strconv.Itoa(i+1),
				"--visits", "6")
			command.Env = append(command.Env, fmt.Sprintf("OPENGAUGE_BENCH_NAME=desk-%d", i), "XDG_DATA_HOME="+folder)
			got[i] = d.finish(command)
		})
	}
	group.Wait()
	for i, each := range got {
		if each.code != 0 {
			t.Fatalf("bench %d: exit %d\n%s", i, each.code, each.stderr)
		}
	}
	orders, benches, visits := map[int]string{}, map[string]int{}, map[string]bool{}
	for _, s := range decodeSessions(t, d) {
		if other, known := orders[s.Review.Order]; known && other != s.Review.Cell {
			t.Errorf("visit %d is of %s and of %s", s.Review.Order, other, s.Review.Cell)
		}
		visit := fmt.Sprint(s.Review.Cell, s.Review.Visit, s.Review.Measurement, s.Review.Turn)
		if visits[visit] {
			t.Errorf("visit %d of %s was made twice", s.Review.Visit, s.Review.Cell)
		}
		visits[visit], orders[s.Review.Order] = true, s.Review.Cell
		benches[s.RecordedBy.Bench]++
	}
	if benches["desk-0"] == 0 || benches["desk-1"] == 0 {
		t.Errorf("the benches made %v visits", benches)
	}
	one, other := decode[answered](t, got[0].stdout), decode[answered](t, got[1].stdout)
	if max(one.Runs, other.Runs) != len(visits) { // whoever is the last has seen all
		t.Errorf("of %d visits the answers have %d and %d", len(visits), one.Runs, other.Runs)
	}
	if !reflect.DeepEqual(one.Verdicts, other.Verdicts) && one.Runs == other.Runs {
		t.Errorf("the answers are %+v and %+v", one, other)
	}
}

// A server that dies in the middle of a review is waited for: no visit is lost, and none is made twice.
func TestAReviewWaitsForItsServer(t *testing.T) {
	t.Parallel()
	server, err := witness.NewPostgres("127.0.0.1")
	if err != nil {
		t.Skip("no PostgreSQL server here (make tools): ", err)
	}
	t.Cleanup(server.Remove)
	d := desk{t: t, logbook: server.Address("keeper", server.NewDatabase(t))}
	d.must("logbook", "prepare")
	command := d.command("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "12")
	var again sync.WaitGroup
	var started error
	die := sync.OnceFunc(func() {
		server.Kill()
		again.Go(func() {
			time.Sleep(7 * time.Second) // it is asked several times meanwhile
			started = server.Start()
		})
	})
	said := &trigger{when: "visit 5,", do: die}
	command.Stderr = said
	got := d.finish(command)
	again.Wait()
	if got.code != 0 || started != nil || !strings.Contains(got.stderr, "it goes on when the other visits") {
		t.Fatalf("exit %d, %v\n%s", got.code, started, got.stderr)
	}
	if said := strings.Count(got.stderr, "it waits in") + strings.Count(got.stderr, "not in the logbook yet"); said > 2 {
		t.Errorf("that a session waits is said %d times\n%s", said, got.stderr)
	}
	orders := map[int]bool{}
	sessions := decodeSessions(t, d)
	for _, s := range sessions {
		orders[s.Review.Order] = true
		if s.State != session.Complete {
			t.Errorf("visit %d is %s", s.Review.Order, s.State)
		}
	}
	if len(sessions) != 12 || len(orders) != 12 {
		t.Errorf("12 visits were asked for: there are %d sessions of %d visits\n%s", len(sessions), len(orders), got.stderr)
	}
}

// Where nothing can be claimed, as in a logbook of a newer program, that is said before anything is measured.
func TestAReviewThatCannotClaim(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	d := labDesk(t)
	d.must("logbook", "prepare")
	name := d.logbook[strings.LastIndex(d.logbook, "/lab")+1 : strings.Index(d.logbook, "?")]
	if _, err := server.Ask(name, "INSERT INTO goose_db_version (version_id, is_applied) VALUES (900, true)"); err != nil {
		t.Fatal(err)
	}
	got := d.run("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "1")
	flat := strings.Join(strings.Fields(got.stderr), " ")
	said, visit := strings.Index(flat, "another bench may make the same visits"), strings.Index(flat, "visit 1,")
	if got.code != 0 || said < 0 || visit < said {
		t.Errorf("exit %d\n%s", got.code, got.stderr)
	}
}

// What a bench took that died is another's after a while, and not before.
func TestACellIsGivenBack(t *testing.T) {
	t.Parallel()
	server := witness.SharedPostgres(t)
	d := labDesk(t)
	d.must("logbook", "prepare")
	d.must("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "1")
	name := d.logbook[strings.LastIndex(d.logbook, "/lab")+1 : strings.Index(d.logbook, "?")]
	next := decode[struct{ Cell, Review string }](t, d.must("review", "run", reviews+"cases.yaml", "--unattended",
		"--next", "--json"))
	// Another bench has the cell that comes next, with all of its parts.
	const claim = `INSERT INTO claims SELECT '%s', 99, 'elsewhere', extract(epoch FROM clock_timestamp()) * 1000 + %d,
		'{"cell": "%s", "visit": 1, "order": 99}'`
	first := decode[session.Session](t, d.must("logbook", "show", "latest", "--json"))
	key := first.Review.Name + " " + first.Review.Definition
	if _, err := server.Ask(name, fmt.Sprintf(claim, key, 60_000, next.Cell)); err != nil {
		t.Fatal(err)
	}
	d.must("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "1")
	for _, s := range decodeSessions(t, d) {
		if s.Review.Order > 1 && s.Review.Cell == next.Cell {
			t.Errorf("%s was visited while another bench had it", next.Cell)
		}
	}
	if _, err := server.Ask(name, `UPDATE claims SET taken_ms = 0, until_ms = 0`); err != nil {
		t.Fatal(err)
	}
	d.must("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "2")
	again := false
	for _, s := range decodeSessions(t, d) {
		again = again || s.Review.Order > 1 && s.Review.Cell == next.Cell
	}
	if !again {
		t.Errorf("%s was never given back", next.Cell)
	}
}

func decodeSessions(t *testing.T, d desk) []session.Session {
	t.Helper()
	found := decode[struct{ Sessions []session.Session }](t, d.must("logbook", "export", "--all")).Sessions
	if len(found) == 0 {
		t.Fatal("there are no sessions")
	}
	return found
}
