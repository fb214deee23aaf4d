package logbook

import (
	"context"
	"errors"
	"testing"
	"time"

	"opengauge/core/record/meeting"
	"opengauge/lab/room"
)

// boards are the ways to meet: what tests of meetings do in a room is true of a server.
var boards = map[string]func(*testing.T) func(host string) meeting.Board{
	"room": func(*testing.T) func(string) meeting.Board { return room.New().Enter },
	"server": func(t *testing.T) func(string) meeting.Board {
		book, _, _ := onServerOnly(t)
		return func(host string) meeting.Board {
			board, err := book.Meet(t.Context(), "pier", host, nil)
			if err != nil {
				t.Fatal(err)
			}
			return board
		}
	},
}

func onEachBoard(t *testing.T, test func(t *testing.T, desk, loft meeting.Board)) {
	for name, enter := range boards {
		t.Run(name, func(t *testing.T) {
			enter := enter(t)
			desk, loft := enter("desk"), enter("loft")
			test(t, desk, loft)
			_, _ = desk.Close(), loft.Close()
		})
	}
}

func posts(t *testing.T, board meeting.Board, key string, document any) {
	t.Helper()
	if err := board.Post(t.Context(), key, document); err != nil {
		t.Fatal(err)
	}
}

func TestNoticesAreSeenInOneOrder(t *testing.T) {
	t.Parallel()
	onEachBoard(t, func(t *testing.T, desk, loft meeting.Board) {
		posts(t, desk, "here desk", "a")
		posts(t, loft, "go", "b")
		posts(t, desk, "go", "too late")
		posts(t, desk, "end", "c")
		var first int64
		for _, board := range []meeting.Board{desk, loft} {
			got, err := board.Since(t.Context(), 0)
			if err != nil || len(got) != 3 {
				t.Fatalf("it sees %+v, %v", got, err)
			}
			for i, want := range []struct{ host, key, document string }{{"desk", "here desk", `"a"`},
				{"loft", "go", `"b"`}, {"desk", "end", `"c"`}} {
				n := got[i]
				if n.Host != want.host || n.Key != want.key || string(n.Document) != want.document ||
					n.Number <= 0 || i > 0 && n.Number <= got[i-1].Number {
					t.Errorf("notice %d is %+v (%s), want %+v", i, n, n.Document, want)
				}
			}
			first = got[0].Number
		}
		if got, err := loft.Since(t.Context(), first); err != nil || len(got) != 2 || got[0].Key != "go" {
			t.Errorf("after the first come %+v, %v", got, err)
		}
		if got, err := loft.Since(t.Context(), first+100); err != nil || len(got) != 0 {
			t.Errorf("after all come %+v, %v", got, err)
		}
		if err := desk.Post(t.Context(), "bad", func() {}); err == nil {
			t.Error("what is no document was posted")
		}
	})
}

// heard waits for the words that come within a few seconds, until there are so many.
func heard(t *testing.T, board meeting.Board, count int) (words []meeting.Word) {
	t.Helper()
	for end := time.Now().Add(5 * time.Second); len(words) < count && time.Now().Before(end); {
		more, err := board.Wait(t.Context(), time.Second)
		if err != nil {
			t.Fatal(err)
		}
		words = append(words, more...)
	}
	return words
}

func TestWordsAreHeardByThoseWhoListen(t *testing.T) {
	t.Parallel()
	onEachBoard(t, func(t *testing.T, desk, loft meeting.Board) {
		for _, word := range []string{"ready", "steady"} {
			if err := desk.Tell(t.Context(), word); err != nil {
				t.Fatal(err)
			}
		}
		got := heard(t, loft, 2)
		if len(got) != 2 || got[0].Host != "desk" || string(got[0].Document) != `"ready"` ||
			string(got[1].Document) != `"steady"` {
			t.Errorf("it hears %+v", got)
		}
		if err := desk.Tell(t.Context(), func() {}); err == nil {
			t.Error("what is no document was said")
		}
		if notices, err := loft.Since(t.Context(), 0); err != nil || len(notices) != 0 {
			t.Errorf("words were kept: %+v, %v", notices, err)
		}
	})
}

func TestWaitingOnABoard(t *testing.T) {
	t.Parallel()
	onEachBoard(t, func(t *testing.T, desk, loft meeting.Board) {
		before := time.Now()
		if words, err := loft.Wait(t.Context(), 200*time.Millisecond); err != nil || len(words) != 0 {
			t.Errorf("nobody says anything, and it hears %+v, %v", words, err)
		}
		if took := time.Since(before); took < 190*time.Millisecond || took > 5*time.Second {
			t.Errorf("it waited for %v of 200 ms", took)
		}
		posts(t, desk, "go", 1)
		before = time.Now()
		if _, err := loft.Wait(t.Context(), 10*time.Second); err != nil {
			t.Error(err)
		}
		if took := time.Since(before); took > 5*time.Second {
			t.Errorf("a notice wakes it after %v", took)
		}
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		if _, err := loft.Wait(ctx, 10*time.Second); !errors.Is(err, context.Canceled) {
			t.Errorf("who gives up waiting is told %v", err)
		}
	})
}

func TestWhoIsPresent(t *testing.T) {
	t.Parallel()
	onEachBoard(t, func(t *testing.T, desk, loft meeting.Board) {
		posts(t, desk, "here desk", 1)
		posts(t, loft, "here loft", 1)
		present, err := desk.Present(t.Context())
		if err != nil || len(present) != 2 || !present["desk"] || !present["loft"] {
			t.Errorf("there are %v, %v", present, err)
		}
		if now, err := desk.Now(t.Context()); err != nil || time.Since(now).Abs() > 10*time.Second {
			t.Errorf("its clock says %v, %v", now, err)
		}
		if err := loft.Close(); err != nil {
			t.Fatal(err)
		}
		gone := false // a server notices in a moment
		for end := time.Now().Add(5 * time.Second); !gone && time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
			present, err := desk.Present(t.Context())
			gone = err == nil && len(present) == 1 && present["desk"]
		}
		if !gone {
			t.Error("who left is there still")
		}
	})
}
