// Package recorded has sessions for the tests of what reads them: those of the demo,
// as they ship in examples, and small ones made of nothing but rates.
//
// Each call gives sessions of its own, to any goroutine.
package recorded

import (
	"os"
	"path/filepath"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/load"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// examples is where the demo's sessions are, below the root of the project.
const examples = "examples/sessions.json.gz"

// All gives all sessions of the demo.
func All(t testing.TB) []*session.Session {
	t.Helper()
	var all []*session.Session
	for s, err := range exchange.Read([]string{find(t)}) {
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, s)
	}
	return all
}

// Named gives sessions of the demo by their names, in that order.
func Named(t testing.TB, names ...string) []*session.Session {
	t.Helper()
	byName := map[string]*session.Session{}
	for _, s := range All(t) {
		byName[s.Name] = s
	}
	var chosen []*session.Session
	for _, name := range names {
		if byName[name] == nil {
			t.Fatalf("no session of the demo is called %s", name)
		}
		chosen = append(chosen, byName[name])
	}
	return chosen
}

// find goes up from the package under test to where the examples are.
func find(t testing.TB) string {
	t.Helper()
	folder, err := filepath.Abs(".")
	for err == nil && folder != filepath.Dir(folder) {
		file := filepath.Join(folder, filepath.FromSlash(examples))
		if _, err := os.Stat(file); err == nil {
			return file
		}
		folder = filepath.Dir(folder)
	}
	t.Fatalf("%s is nowhere above this folder (%v)", examples, err)
	return ""
}

// Chain is the order of parts in the sessions that [Through] makes.
var Chain = []book.Role{book.Host, book.Cable, book.Enclosure, book.Drive}

// Through makes a session of one sequential write through a chain of parts, with a
// repeat of it for each rate.
func Through(name string, parts map[book.Role]string, rates ...float64) *session.Session {
	s := &session.Session{ID: name, Name: name, State: session.Complete, Conditions: map[string]string{}}
	for _, role := range Chain {
		if parts[role] != "" {
			s.Parts = append(s.Parts, book.Part{Kind: role, Name: parts[role]})
		}
	}
	for i, rate := range rates {
		s.Passes = append(s.Passes, session.Pass{
			Index: i, Repeat: i, Load: load.New(load.Write, load.Sequential, unit.MiB, 8), Direct: true,
			BytesPerSecond: unit.BytesPerSecond(rate),
		})
	}
	return s
}
