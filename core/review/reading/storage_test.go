package reading

import (
	"slices"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/judge/factor"
	"opengauge/core/record/session"
)

// Logbooks find sessions by the names that their storage may have: whatever a review takes for the
// storage of a session is among them.
func TestStoragesAreFoundByTheirNames(t *testing.T) {
	for bits := range 1 << 5 {
		s := &session.Session{Conditions: map[string]string{}}
		for bit, add := range []func(){
			func() { s.Environment.DeviceModel = "model" },
			func() { s.Parts = append(s.Parts, book.Part{Kind: book.Drive, Name: "drive"}) },
			func() { s.Parts = append(s.Parts, book.Part{Kind: book.Volume, Name: "volume"}) },
			func() { s.Conditions[factor.Drive] = "said drive" },
			func() { s.Conditions[factor.Volume] = "said volume" },
		} {
			if bits>>bit&1 == 1 {
				add()
			}
		}
		set := factor.Of(s)
		for _, role := range []string{factor.Drive, factor.Volume} {
			if name := set[role]; name != "" && !slices.Contains(s.Storages(), name) {
				t.Errorf("case %05b: its %s is %q, and it is looked for by %q", bits, role, name, s.Storages())
			}
		}
		if bits == 0 && len(s.Storages()) != 0 {
			t.Errorf("of a session that says nothing they are %q", s.Storages())
		}
	}
}
