package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func newBook(t *testing.T) *Logbook {
	t.Helper()
	return newBookAt(t, engines[0].place(t))
}

// example is a session with everything in it that has to survive.
var quickPlan = sync.OnceValues(func() (plan.Plan, error) { return plan.Load("quick") })

func example(id, name string, started time.Time) *session.Session {
	quick, _ := quickPlan()
	return &session.Session{
		Format: session.Format, ID: id, Name: name, Started: started.UTC(), Ended: started.Add(time.Minute).UTC(),
		State: session.Complete, Plan: quick, Target: session.Target{Address: "/media/stick", Kind: "folder",
			SpanBytes: unit.GiB},
		Chain: link.NewChain(), Conditions: map[string]string{"fan": "on"},
		Passes: []session.Pass{examplePass(0), examplePass(1)},
		Events: []session.Event{{TSeconds: 3, Kind: "dropout", Detail: "x"}},
		Findings: []session.Finding{{Kind: "unsteady", Severity: session.Caution, Passes: []int{0},
			Evidence: session.Evidence(`{"drops":1}`)}},
	}
}

func examplePass(index int) session.Pass {
	pass := session.Pass{
		Index: index, Step: "sweep", Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096,
			Depth: 32, Workers: 1},
		Direct: true, Bytes: 1e9, Operations: 5, BytesPerSecond: 1e8, Latency: session.Latency{P50: 1e-4},
	}
	for second := range 300 {
		pass.Samples = append(pass.Samples, session.Sample{
			TSeconds: float64(second + 1), Bytes: unit.Bytes(second), BytesPerSecond: 1e8 / 3,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(40 + second/60)},
		})
	}
	return pass
}

func keep(t *testing.T, book *Logbook, s *session.Session) {
	t.Helper()
	if waits := keepBy(t, Keep(book.Place(), book), s); waits != "" {
		t.Fatal(waits)
	}
}

// keepBy keeps a session as a measurement does, and gives what waits then.
func keepBy(t *testing.T, keeper *Keeper, s *session.Session) (waits string) {
	t.Helper()
	if err := keeper.Begin(s); err != nil {
		t.Fatal(err)
	}
	for _, pass := range s.Passes {
		if err := keeper.AddPass(s.ID, pass); err != nil {
			t.Fatal(err)
		}
	}
	if err := keeper.Finish(s); err != nil {
		t.Fatal(err)
	}
	waits, err := keeper.Close()
	if err != nil {
		t.Fatal(err)
	}
	return waits
}

func TestASessionComesBackWhole(t *testing.T) {
	t.Parallel()
	onEachEngine(t, aSessionComesBackWhole)
}

func aSessionComesBackWhole(t *testing.T, book *Logbook) {
	want := example("k3f9abcdef", "stick", time.Date(2026, 3, 1, 9, 30, 0, 0, time.UTC))
	keep(t, book, want)
	got, err := book.Load("stick")
	if err != nil {
		t.Fatal(err)
	}
	if !same(book, got, want) {
		t.Errorf("came back as %+v\nwant %+v", got, want)
	}
}

func TestReferences(t *testing.T) {
	t.Parallel()
	onEachEngine(t, references)
}

func references(t *testing.T, book *Logbook) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	keep(t, book, example("k3f9abcdef", "ebb", at))
	keep(t, book, example("k3zzabcdef", "flood", at.Add(time.Hour)))
	keep(t, book, example("m111abcdef", "flood", at.Add(time.Minute)))
	for reference, want := range map[string]string{
		"k3f9abcdef": "k3f9abcdef", "k3f": "k3f9abcdef", "ebb": "k3f9abcdef", "m": "m111abcdef", "latest": "k3zzabcdef",
	} {
		if got, err := book.Load(reference); err != nil || got.ID != want {
			t.Errorf("%q means %v, %v; want %s", reference, got, err, want)
		}
	}
	for reference, want := range map[string]string{
		"k3": "means several", "flood": "means several", "zz": "no session", "": "no session", "%": "no session",
		"_": "no session",
	} {
		if _, err := book.Load(reference); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error is %v, want one with %q", reference, err, want)
		}
	}
	summaries, _, err := book.List(Filter{})
	if err != nil || len(summaries) != 3 || summaries[0].ID != "k3zzabcdef" || summaries[2].Name != "ebb" ||
		summaries[0].Passes != 2 {
		t.Errorf("the list is %+v, %v", summaries, err)
	}
}

func TestADeadProgramLeavesAnInterruptedSession(t *testing.T) {
	t.Parallel()
	onEachEngine(t, aDeadProgramLeavesAnInterruptedSession)
}

func aDeadProgramLeavesAnInterruptedSession(t *testing.T, book *Logbook) {
	s := example("k3f9abcdef", "", time.Now())
	keeper := Keep(book.Place(), book)
	if err := keeper.Begin(s); err != nil {
		t.Fatal(err)
	}
	if err := keeper.AddPass(s.ID, s.Passes[0]); err != nil {
		t.Fatal(err)
	}
	// Nothing more is written: another program opens what is there.
	other, err := Open(context.Background(), book.Place())
	if err != nil {
		t.Fatal(err)
	}
	defer other.Close()
	got, err := other.Load("latest")
	if err != nil || got.State != session.Interrupted || len(got.Passes) != 1 || len(got.Passes[0].Samples) != 300 {
		t.Errorf("found %+v, %v", got, err)
	}
}

func TestDiscard(t *testing.T) {
	t.Parallel()
	onEachEngine(t, discarded)
}

func discarded(t *testing.T, book *Logbook) {
	s := example("k3f9abcdef", "", time.Now())
	keep(t, book, s)
	if err := book.Discard(s.ID); err != nil {
		t.Fatal(err)
	}
	if summaries, _, _ := book.List(Filter{}); len(summaries) != 0 {
		t.Errorf("%d sessions are left", len(summaries))
	}
	if _, err := book.Load("latest"); err == nil || !strings.Contains(err.Error(), "no sessions yet") {
		t.Errorf("latest of nothing: %v", err)
	}
}

func TestUnusableLogbooks(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	file := func(name, content string) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	other := filepath.Join(folder, "other.db")
	database, _ := sql.Open("sqlite", other)
	if _, err := database.Exec("CREATE TABLE boats (name TEXT)"); err != nil {
		t.Fatal(err)
	}
	_ = database.Close()

	newer := filepath.Join(folder, "newer.db")
	book, err := Create(context.Background(), newer)
	if err != nil {
		t.Fatal(err)
	}
	if err := madeNewer(book, 900); err != nil {
		t.Fatal(err)
	}
	_ = book.Close()

	for _, c := range []struct{ name, path, want string }{
		{"missing", filepath.Join(folder, "none.db"), "there is no logbook"},
		{"no database", file("text.db", strings.Repeat("not a database ", 100)), "it is no database"},
		{"another database", other, "not a logbook"},
		{"newer", newer, "written by a newer opengauge (layout 900"},
		{"a folder", folder, "no plain file"},
		{"an empty file", file("empty.db", ""), "it is empty"},
	} {
		opened, err := Open(context.Background(), c.path)
		if err == nil {
			_ = opened.Close()
		}
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v, want one with %q", c.name, err, c.want)
		}
	}
}

// madeNewer gives a logbook the layout of a newer program, which one can read that knows a
// layout.
func madeNewer(book *Logbook, readableFrom int) error {
	_, err := book.database.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (900, true)")
	if err != nil {
		return err
	}
	_, err = book.database.Exec("UPDATE settings SET value = $1 WHERE key = 'readable_from'", strconv.Itoa(readableFrom))
	return err
}

// What a newer program wrote can be read, where that says so, and what is measured waits.
func TestANewerLogbookIsRead(t *testing.T) {
	t.Parallel()
	onEachEngine(t, aNewerLogbookIsRead)
}

func aNewerLogbookIsRead(t *testing.T, book *Logbook) {
	kept := example("k3f9abcdef", "ebb", time.Now())
	keep(t, book, kept)
	if err := madeNewer(book, 9); err != nil {
		t.Fatal(err)
	}
	read, err := Open(t.Context(), book.Place())
	if err != nil {
		t.Fatal(err)
	}
	defer read.Close()
	if got, err := read.Load("ebb"); err != nil || got.ID != kept.ID {
		t.Errorf("read %v, %v", got, err)
	}
	if err := read.AddTags(kept.ID, []string{"x"}); !errors.Is(err, ErrNewer) {
		t.Errorf("a tag was added to a newer logbook: %v", err)
	}
	_, err = Create(t.Context(), book.Place())
	if !errors.Is(err, ErrNewer) || !Waits(err) {
		t.Errorf("a measurement would not wait: %v", err)
	}
	keeper := Keep(book.Place(), nil)
	next := example("m111abcdef", "flood", time.Now())
	if err := errors.Join(keeper.Begin(next), keeper.AddPass(next.ID, next.Passes[0]), keeper.Finish(next)); err != nil {
		t.Fatal(err)
	}
	if waits, err := keeper.Close(); err != nil || !strings.Contains(waits, "newer opengauge") {
		t.Errorf("it waits: %q, %v", waits, err)
	}
	if _, err := book.database.Exec("DELETE FROM goose_db_version WHERE version_id = 900"); err != nil {
		t.Fatal(err)
	}
	if err := book.TakeIn(func(string) {}); err != nil {
		t.Fatal(err)
	}
	if got, err := book.Load("flood"); err != nil || len(got.Passes) != 1 {
		t.Errorf("what waited came as %v, %v", got, err)
	}
}

// Programs that start at once may all be the first to use a logbook.
func TestSeveralMakeOneLogbook(t *testing.T) {
	t.Parallel()
	for range 5 {
		path := filepath.Join(t.TempDir(), "logbook.db")
		var group sync.WaitGroup
		for range 6 {
			group.Go(func() {
				book, err := Create(context.Background(), path)
				if err != nil {
					t.Error(err)
					return
				}
				defer book.Close()
				if _, _, err := book.List(Filter{}); err != nil {
					t.Error(err)
				}
			})
		}
		group.Wait()
	}
}

func TestDamagedSamplesAreAnError(t *testing.T) {
	t.Parallel()
	onEachEngine(t, damagedSamplesAreAnError)
}

func damagedSamplesAreAnError(t *testing.T, book *Logbook) {
	keep(t, book, example("k3f9abcdef", "", time.Now()))
	if _, err := book.database.Exec("UPDATE passes SET samples = $1 WHERE position = 1",
		[]byte{0, 0x11, 0x22, 0x33}); err != nil {
		t.Fatal(err)
	}
	if _, err := book.Load("k3f9"); err == nil || !strings.Contains(err.Error(), "samples of pass 1") {
		t.Errorf("error is %v, want one that names the pass", err)
	}
}

func TestTwoProgramsWriteAtOnce(t *testing.T) {
	t.Parallel()
	onEachEngine(t, twoProgramsWriteAtOnce)
}

func twoProgramsWriteAtOnce(t *testing.T, book *Logbook) {
	failures := make(chan error, 2)
	for writer := range 2 {
		go func() {
			own, err := Open(context.Background(), book.Place())
			if err != nil {
				failures <- err
				return
			}
			defer own.Close()
			for i := range 20 {
				s := example(fmt.Sprintf("w%d%08d", writer, i), "", time.Now())
				s.Passes = nil
				if err := Keep(own.Place(), own).Begin(s); err != nil {
					failures <- err
					return
				}
			}
			failures <- nil
		}()
	}
	for range 2 {
		if err := <-failures; err != nil {
			t.Error(err)
		}
	}
	if summaries, _, _ := book.List(Filter{}); len(summaries) != 40 {
		t.Errorf("%d sessions were kept, want 40", len(summaries))
	}
}
