// Package night scales the tests that try many simulated worlds: in full where OPENGAUGE_NIGHT
// is set, as make night sets it, and at a twentieth in the gate.
//
// Its functions are safe for concurrent use.
package night

import (
	"os"
	"testing"
)

// gateShare is the share of a night's tries that the gate has time for.
const gateShare = 20

// IsOn reports whether tests run in full.
func IsOn() bool { return os.Getenv("OPENGAUGE_NIGHT") != "" }

// Tries returns how many of a number of tries a test makes: all of them at night, a twentieth
// otherwise, and at least one. In short mode the test is skipped.
func Tries(tb testing.TB, full int) int {
	tb.Helper()
	Longer(tb)
	if IsOn() {
		return full
	}
	return max(1, full/gateShare)
}

// Longer skips a test in short mode: it takes longer than make quick has.
func Longer(tb testing.TB) {
	tb.Helper()
	if testing.Short() {
		tb.Skip("make test runs it: it takes longer than make quick has")
	}
}

// Only skips a test except at night.
func Only(tb testing.TB) {
	tb.Helper()
	if !IsOn() {
		tb.Skip("make night runs it: it takes longer than the gate has")
	}
}
