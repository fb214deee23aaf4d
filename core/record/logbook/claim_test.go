package logbook

import (
	"slices"
	"strings"
	"testing"
	"time"
)

// takes lets a bench take the first place of a review that nobody has, for ten minutes, and
// gives the place.
func takes(t *testing.T, book *Logbook, bench, review string) int {
	t.Helper()
	got := 0
	took, err := book.Take(review, bench, 10*time.Minute, func(others []Claim) (int, any, bool) {
		for slices.ContainsFunc(others, func(c Claim) bool { return c.Place == got }) {
			got++
		}
		return got, map[string]string{"cell": "ebb"}, true
	})
	if err != nil || !took {
		t.Fatalf("%s takes nothing (%v)", bench, err)
	}
	return got
}

func TestClaims(t *testing.T) {
	t.Parallel()
	onEachEngine(t, func(t *testing.T, book *Logbook) {
		if got := takes(t, book, "desk", "tide"); got != 0 {
			t.Errorf("the first takes place %d", got)
		}
		if got := takes(t, book, "loft", "tide"); got != 1 {
			t.Errorf("the second takes place %d, and 0 is the first one's", got)
		}
		if got := takes(t, book, "desk", "tide"); got != 0 {
			t.Errorf("who has place 0 takes %d instead", got)
		}
		if got := takes(t, book, "loft", "moon"); got != 0 {
			t.Errorf("of another review it takes place %d", got)
		}
		if err := book.GiveBack("tide", "desk"); err != nil {
			t.Fatal(err)
		}
		if got := takes(t, book, "cellar", "tide"); got != 0 {
			t.Errorf("what was given back is place 0, and it takes %d", got)
		}
		took, err := book.Take("tide", "attic", time.Minute, func(others []Claim) (int, any, bool) {
			if len(others) != 2 || others[0].Bench != "cellar" || others[1].Bench != "loft" ||
				!strings.Contains(string(others[1].Document), "ebb") {
				t.Errorf("others have %+v", others)
			}
			return 0, nil, false
		})
		if took || err != nil {
			t.Errorf("it took something of nothing (%v)", err)
		}
	})
}
