package logbook

import (
	"errors"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
)

// One at a time has its turn, whoever comes and goes meanwhile, and no file is left.
func TestTurns(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	place := filepath.Join(folder, "logbook.db")
	var inside, had atomic.Int64
	var group sync.WaitGroup
	for range 8 {
		group.Go(func() {
			for range 200 {
				end, err := Turn(place, "a review")
				if errors.Is(err, ErrTurn) {
					continue
				}
				if err != nil {
					t.Error(err)
					return
				}
				if now := inside.Add(1); now != 1 {
					t.Errorf("%d have their turn at once", now)
				}
				had.Add(1)
				inside.Add(-1)
				if err := end(); err != nil {
					t.Error(err)
				}
			}
		})
	}
	group.Wait()
	if had.Load() == 0 {
		t.Error("nobody ever had a turn")
	}
	if left, err := os.ReadDir(folder); err != nil || len(left) != 0 {
		t.Errorf("left are %v: %v", left, err)
	}
}

// What is done with another logbook, or is another thing, has turns of its own.
func TestTurnsOfOthers(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	end, err := Turn(at("a.db"), "a review")
	if err != nil {
		t.Fatal(err)
	}
	for _, each := range []struct {
		place, what string
		taken       bool
	}{
		{at("a.db"), "a review", true}, {at("a.db"), "another review", false}, {at("b.db"), "a review", false},
	} {
		other, err := Turn(each.place, each.what)
		if errors.Is(err, ErrTurn) != each.taken {
			t.Errorf("%s of %s: %v", each.what, each.place, err)
		}
		if err := other(); err != nil {
			t.Error(err)
		}
	}
	held, err := filepath.Glob(at("a.db-turn-*"))
	if err != nil || len(held) != 1 {
		t.Fatalf("it is held by %v: %v", held, err)
	}
	if err := end(); err != nil {
		t.Error(err)
	}
	// A program that was killed leaves its file, and nobody who has it.
	if err := os.WriteFile(held[0], nil, 0o600); err != nil {
		t.Fatal(err)
	}
	again, err := Turn(at("a.db"), "a review")
	if err != nil {
		t.Errorf("once it has ended it is still taken: %v", err)
	}
	if err := again(); err != nil {
		t.Error(err)
	}
}
