package witness

import "testing"

// Again checks for a fault up to four times, and fails the test if there is one each time: a busy
// machine may be late once, but a wrong program is wrong every time.
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
