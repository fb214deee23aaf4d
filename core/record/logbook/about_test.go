package logbook

import (
	"slices"
	"testing"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
)

// What a review looks at is found without the rest: its own visits, finished or not, and what was
// measured of its storages for no review.
func TestWhatAReviewLooksAt(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	of := func(id string, change func(*session.Session)) *session.Session {
		s := example(id, "", at)
		change(s)
		return s
	}
	visit := func(review string) func(*session.Session) {
		return func(s *session.Session) {
			s.Review = &session.Visit{Name: review}
			s.Environment.DeviceModel = "sandpiper"
		}
	}
	onEachEngine(t, func(t *testing.T, logbook *Logbook) {
		for _, s := range []*session.Session{
			of("visit", visit("tide")), of("other", visit("moon")), of("bare", func(*session.Session) {}),
			of("model", func(s *session.Session) { s.Environment.DeviceModel = "sandpiper" }),
			of("volume", func(s *session.Session) { s.Parts = []book.Part{{Kind: book.Volume, Name: "lagoon"}} }),
			of("drive", func(s *session.Session) { s.Parts = []book.Part{{Kind: book.Drive, Name: "lagoon"}} }),
			of("cable", func(s *session.Session) { s.Parts = []book.Part{{Kind: book.Cable, Name: "lagoon"}} }),
			of("said", func(s *session.Session) { s.Conditions = map[string]string{"drive": "lagoon"} }),
			of("sly", func(s *session.Session) { s.Conditions = map[string]string{"=review": "tide", "=storage": "lagoon"} }),
		} {
			keep(t, logbook, s)
		}
		begun := of("begun", visit("tide"))
		if err := Keep(logbook.Place(), logbook).Begin(begun); err != nil {
			t.Fatal(err)
		}
		for _, c := range []struct {
			about About
			want  []string
		}{
			{About{Review: "tide"}, []string{"begun", "visit"}},
			{About{Review: "none"}, nil},
			{About{Review: "none", Storages: []string{"sandpiper"}}, []string{"model"}},
			{About{Review: "moon", Storages: []string{"lagoon", "x"}}, []string{"drive", "other", "said", "volume"}},
		} {
			got, err := logbook.IDs(Filter{About: &c.about})
			slices.Sort(got)
			if err != nil || !slices.Equal(got, c.want) {
				t.Errorf("about %+v are %q, want %q (%v)", c.about, got, c.want, err)
			}
		}
		if got, _, err := logbook.List(Filter{Conditions: map[string]string{"fan": "on"}}); err != nil || len(got) != 7 {
			t.Errorf("with the fan on are %d, %v", len(got), err)
		}
		if err := logbook.Amend("model", func(s *session.Session) error {
			s.Conditions = map[string]string{"drive": "lagoon"}
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		if got, err := logbook.IDs(Filter{About: &About{Storages: []string{"lagoon"}}}); err != nil ||
			!slices.Contains(got, "model") {
			t.Errorf("after it was put right they are %q, %v", got, err)
		}
	})
}
