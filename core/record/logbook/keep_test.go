package logbook

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/record/spool"
)

// held is a logbook that another program writes to, until it is let go.
func held(t *testing.T, path string) (letGo func()) {
	t.Helper()
	database, err := sql.Open("sqlite", source(path, writing))
	if err != nil {
		t.Fatal(err)
	}
	tx, err := database.Begin() // immediate
	if err != nil {
		t.Fatal(err)
	}
	var once sync.Once
	letGo = func() { once.Do(func() { _ = tx.Rollback(); _ = database.Close() }) }
	t.Cleanup(letGo)
	return letGo
}

// A measurement goes on while others hold the logbook, and what it measured is there as
// soon as they let go.
func TestABusyLogbookCostsNothing(t *testing.T) {
	for name, wait := range map[string]bool{"until the end": false, "for longer than the measurement": true} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			book := newBook(t)
			letGo := held(t, book.Place())
			want := example("k3f9abcdef", "stick", time.Date(2026, 3, 1, 9, 30, 0, 0, time.UTC))
			keeper := Keep(book.Place(), book)
			keeper.finally = time.Second
			if err := keeper.Begin(want); err != nil {
				t.Fatal(err)
			}
			for _, pass := range want.Passes {
				if err := keeper.AddPass(want.ID, pass); err != nil {
					t.Fatal(err)
				}
			}
			if err := keeper.Finish(want); err != nil {
				t.Fatal(err)
			}
			// All of it came to an end while another program holds the logbook.
			if !wait {
				letGo()
			}
			waits, err := keeper.Close()
			if err != nil || strings.Contains(waits, "waits in") != wait {
				t.Fatalf("it says %q, %v", waits, err)
			}
			letGo()
			var taken []string
			if err := book.TakeIn(func(id string) { taken = append(taken, id) }); err != nil || (len(taken) == 1) != wait {
				t.Errorf("taken in are %v, %v", taken, err)
			}
			if got, err := book.Load("stick"); err != nil || !same(book, got, want) {
				t.Errorf("came back as %+v, %v", got, err)
			}
			if left, _ := filepath.Glob(book.Place() + "-spool-*"); len(left) > 0 {
				t.Errorf("left are %v", left)
			}
		})
	}
}

// What is stored twice is there once.
func TestRecordsAreStoredOnce(t *testing.T) {
	t.Parallel()
	onEachEngine(t, recordsAreStoredOnce)
}

func recordsAreStoredOnce(t *testing.T, book *Logbook) {
	want := example("k3f9abcdef", "stick", time.Date(2026, 3, 1, 9, 30, 0, 0, time.UTC))
	begin, _ := beginRecord(want)
	first, _ := spool.New(spool.Pass, 0, want.Passes[0])
	second, _ := spool.New(spool.Pass, 1, want.Passes[1])
	end, _ := finishRecord(want)
	for range 3 {
		if err := book.Store(want.ID, begin, first, second, end); err != nil {
			t.Fatal(err)
		}
		if err := book.Store(want.ID, first, end, end); err != nil {
			t.Fatal(err)
		}
	}
	if got, err := book.Load("stick"); err != nil || !same(book, got, want) {
		t.Errorf("came back as %+v, %v", got, err)
	}
	if faults, count, err := book.Check(func(int, int) {}); len(faults) > 0 || count != 1 || err != nil {
		t.Errorf("%d sessions with faults %q, %v", count, faults, err)
	}
	if err := book.Store(want.ID, spool.Record{Kind: "tide"}); err == nil {
		t.Error("a record of no kind is stored")
	}
}

// A session whose spool cannot be written is kept by the logbook alone, and one that
// nothing keeps is an error.
func TestWithoutASpool(t *testing.T) {
	temporary := t.TempDir()
	t.Setenv("TMPDIR", temporary)
	book := newBook(t)
	want := example("k3f9abcdef", "", time.Now())
	if err := os.WriteFile(book.Place()+"-spool-k3f9abcdef.jsonl", nil, 0o600); err != nil {
		t.Fatal(err)
	}
	keep(t, book, want)
	if _, err := book.Load("k3f9abcdef"); err != nil {
		t.Error(err)
	}
	letGo := held(t, book.Place())
	defer letGo()
	keeper := Keep(book.Place(), book)
	keeper.finally = time.Second
	if err := keeper.Begin(want); err != nil {
		t.Fatal(err)
	}
	waits, err := keeper.Close()
	if err != nil || !strings.Contains(waits, "it waits in "+temporary) {
		t.Errorf("what waits elsewhere: %q, %v", waits, err)
	}
	if err := os.RemoveAll(temporary); err != nil {
		t.Fatal(err)
	}
	keeper = Keep(book.Place(), book)
	keeper.finally = time.Second
	if err := keeper.Begin(want); err != nil {
		t.Fatal(err)
	}
	if _, err := keeper.Close(); err == nil || !strings.Contains(err.Error(), "could not be kept") {
		t.Errorf("lost: %v", err)
	}
}

// Other people's databases, and files that are nothing yet, are left as they are.
func TestLookingTouchesNothing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	other := filepath.Join(folder, "boats.db")
	database, _ := sql.Open("sqlite", other)
	if _, err := database.Exec("CREATE TABLE boats (name TEXT)"); err != nil {
		t.Fatal(err)
	}
	_ = database.Close()
	for name, content := range map[string]string{"empty": "", "short": "SQLite format 3\x00", "text": "a text"} {
		if err := os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"boats.db", "empty", "short", "text"} {
		path := filepath.Join(folder, name)
		before, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		for _, open := range []func(context.Context, string) (*Logbook, error){Open, Create} {
			if book, err := open(t.Context(), path); err == nil {
				_ = book.Close()
				t.Errorf("%s is taken for a logbook", name)
			}
		}
		if after, err := os.ReadFile(path); err != nil || !bytes.Equal(before, after) {
			t.Errorf("%s was changed: %v", name, err)
		}
	}
	if left, _ := os.ReadDir(folder); len(left) != 4 {
		t.Errorf("there are %v now", left)
	}
}

// What can be read of a damaged logbook is taken, and the rest is named: whatever bit of
// it turned over, what comes in holds up.
func TestDamageDoesNotSpread(t *testing.T) { damageDoesNotSpread(t, newBook(t)) }

func damageDoesNotSpread(t *testing.T, book *Logbook) {
	const sessions = 15
	for i := range sessions {
		keep(t, book, example(fmt.Sprintf("d%09d", i), "", time.Date(2026, 3, 1, i, 0, 0, 0, time.UTC)))
	}
	sound := filepath.Join(t.TempDir(), "sound.db")
	if err := book.Backup(sound); err != nil {
		t.Fatal(err)
	}
	content, err := os.ReadFile(sound)
	if err != nil {
		t.Fatal(err)
	}
	refused, partly, whole := 0, 0, 0
	tries, least := 16, 2
	if testing.Short() {
		tries, least = 4, 0
	}
	for i := range tries {
		damaged := bytes.Clone(content)
		for flip := range 3 {
			at := (i*104729 + flip*7919*31) % (len(damaged) - 4096)
			damaged[4096+at] ^= 1 << (i % 8)
		}
		path := filepath.Join(t.TempDir(), "damaged.db")
		if err := os.WriteFile(path, damaged, 0o600); err != nil {
			t.Fatal(err)
		}
		into := newBook(t)
		done, lost, err := into.MergeFrom(path, func(int, int) {})
		if faults, count, checked := into.Check(func(int, int) {}); len(faults) > 0 || checked != nil ||
			count != done.Added {
			t.Errorf("try %d: of %d sessions that came in, %d are there, with faults %q", i, done.Added, count, faults)
		}
		switch {
		case err != nil:
			refused++
		case len(lost.Sessions) > 0 || lost.Incomplete != nil:
			partly++
			if done.Added+len(lost.Sessions) < sessions && lost.Incomplete == nil {
				t.Errorf("try %d: %d came in, %d are named, of %d", i, done.Added, len(lost.Sessions), sessions)
			}
		case done.Added == sessions:
			whole++
		default:
			t.Errorf("try %d: %d came in, and nothing is said", i, done.Added)
		}
	}
	t.Logf("%d whole, %d partly, %d refused", whole, partly, refused)
	if partly < least || refused > tries/2 {
		t.Errorf("%d whole, %d partly, %d refused", whole, partly, refused)
	}
}

// A logbook that cannot be written can be read, also one of an older layout.
func TestALogbookThatCannotBeWritten(t *testing.T) { aLogbookThatCannotBeWritten(t, newBook(t)) }

func aLogbookThatCannotBeWritten(t *testing.T, book *Logbook) {
	keep(t, book, example("k3f9abcdef", "stick", time.Now()))
	for name, path := range map[string]string{"of now": book.Place(), "of an earlier program": older(t,
		example("old", "stick", time.Now()))} {
		opened, err := openToRead(t.Context(), path)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if s, err := opened.Load("stick"); err != nil || s.Name != "stick" {
			t.Errorf("%s: %v", name, err)
		}
		if err := opened.Discard("k3f9abcdef"); err == nil || !strings.Contains(err.Error(), "only be read") {
			t.Errorf("%s is changed: %v", name, err)
		}
		if err := opened.AddTags("k3f9abcdef", []string{"x"}); err == nil {
			t.Errorf("%s is tagged", name)
		}
		if err := opened.Close(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// What waits for the logbook ends with its context.
func TestWaitingEnds(t *testing.T) { waitingEnds(t, newBook(t)) }

func waitingEnds(t *testing.T, book *Logbook) {
	keep(t, book, example("k3f9abcdef", "", time.Now()))
	letGo := held(t, book.Place())
	defer letGo()
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(100*time.Millisecond, cancel)
	if err := book.Under(ctx).Discard("k3f9abcdef"); err == nil {
		t.Error("a change was made while another program held the logbook")
	}
	_, err := book.Under(ctx).Import(func(yield func(*session.Session, error) bool) {
		yield(example("other", "", time.Now()), nil)
	})
	if !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
}
