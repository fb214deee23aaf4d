package witness

import "testing"

// Again asks for a fault up to four times, and fails the test if there is one each time: a
// machine that does other things may be late once, and what is wrong is wrong each time.
func Again(tb testing.TB, fault func() string) {
	tb.Helper()
	said := ""
	for range 4 {
		if said = fault(); said == "" {
			return
		}
	}
	tb.Error(said)
}
