// Package compare sets sessions against each other: what differs between them, by
// how much they differ and how sure that is, which part is to blame, what the
// money buys, and where a session stands among others.
package compare

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Factors are the circumstances of a session that a figure may depend on: its
// conditions and parts, by name. What is not known is not in it.
type Factors map[string]string

// Names of factors that are no conditions.
const (
	FactorHost      = string(book.Host)
	FactorPort      = "port"
	FactorCable     = string(book.Cable)
	FactorEnclosure = string(book.Enclosure)
	FactorDrive     = string(book.Drive)
	FactorVolume    = string(book.Volume)
	FactorLink      = "link"
	// FactorFill splits sessions by the fill level of their passes.
	FactorFill = "fill"
)

// follows says which factors bring a difference in another one with them: another
// enclosure has another firmware, and that is no second change.
var follows = map[string][]string{
	FactorPort:           {FactorHost},
	"enclosure firmware": {FactorEnclosure},
	"drive firmware":     {FactorDrive},
	"system":             {FactorHost},
	"kernel":             {FactorHost, "system"},
	"governor":           {FactorHost},
	"scheduler":          {FactorHost, FactorDrive},
	"size touched":       {FactorDrive, FactorVolume},
	FactorLink:           {FactorHost, FactorPort, FactorCable, FactorEnclosure, FactorDrive, FactorVolume},
}

// sameAmbient is how far two temperatures in conditions may be apart and still be
// the same circumstance, in kelvins.
const sameAmbient = 2

// FactorsOf gives the circumstances of a session.
func FactorsOf(s *session.Session) Factors {
	f := Factors{}
	f.addParts(s)
	f.addEnvironment(s)
	for key, value := range s.Conditions {
		f.set(key, value)
	}
	if hop, known := s.Chain.Binding(); known {
		f.set(FactorLink, hop.Standard)
	}
	for at := range s.Passes {
		if !s.Passes[at].Direct {
			f.set("system cache", "in the way")
		}
	}
	return f
}

func (f Factors) set(key, value string) {
	if value != "" {
		f[key] = value
	}
}

func (f Factors) addParts(s *session.Session) {
	for _, part := range s.Parts {
		f.set(string(part.Kind), part.Name)
		switch part.Kind {
		case book.Host:
			f.set(FactorPort, portOf(s, part.Name))
		case book.Enclosure, book.Drive:
			f.set(string(part.Kind)+" firmware", part.Firmware)
		}
	}
	if f[FactorDrive] == "" {
		f.set(FactorDrive, s.Environment.DeviceModel)
	}
	if f[FactorDrive] == "" && f[FactorVolume] == "" {
		f.set("target", s.Target.Address)
	}
}

// portOf gives the port of a host that the chain goes through: hops of the bench
// book are named after both.
func portOf(s *session.Session, host string) string {
	for _, hop := range s.Chain.Hops {
		if port, named := strings.CutPrefix(hop.Name, host+" "); named {
			return port
		}
	}
	return ""
}

func (f Factors) addEnvironment(s *session.Session) {
	f.set("size touched", s.Target.SpanBytes.Decimal())
	f.set("file system", s.Target.FileSystem)
	f.set("opengauge", s.Environment.ProgramVersion)
	if s.Simulated {
		f.set("measured on", "simulated parts")
		return
	}
	if f[FactorHost] == "" {
		f.set(FactorHost, s.Environment.Host)
	}
	f.set("system", strings.TrimSpace(s.Environment.System+" "+s.Environment.SystemVersion))
	f.set("kernel", s.Environment.Kernel)
	f.set("governor", s.Environment.Governor)
	f.set("scheduler", s.Environment.Scheduler)
}

// alike says whether two values of a factor are the same circumstance.
func alike(a, b string) bool {
	if a == b {
		return true
	}
	if !isTemperature(a) || !isTemperature(b) {
		return false
	}
	first, _ := unit.ParseCelsius(a)
	second, _ := unit.ParseCelsius(b)
	return math.Abs(float64(first-second)) <= sameAmbient
}

// isTemperature says whether a value is one, with its unit: a bare number may be
// anything.
func isTemperature(value string) bool {
	_, err := unit.ParseCelsius(value)
	return err == nil && strings.HasSuffix(value, "C")
}

// differing gives the factors in which two sessions are known to differ, without
// those that only follow from another, and those that are known of one only.
func differing(a, b Factors) (differ, unsaid []string) {
	for _, key := range keysOf(a, b) {
		first, second := a[key], b[key]
		switch {
		case first == "" || second == "":
			unsaid = append(unsaid, key)
		case !alike(first, second):
			differ = append(differ, key)
		}
	}
	return own(differ), own(unsaid, differ...)
}

// own leaves out the factors that follow from another one of them, or of others.
func own(keys []string, others ...string) []string {
	var kept []string
	for _, key := range keys {
		if !slices.ContainsFunc(follows[key], func(cause string) bool {
			return slices.Contains(keys, cause) || slices.Contains(others, cause)
		}) {
			kept = append(kept, key)
		}
	}
	return kept
}

// keysOf gives the keys of several sets of factors: parts first, in the order of a
// chain, then the others by name.
func keysOf(sets ...Factors) []string {
	seen := map[string]bool{}
	for _, set := range sets {
		for key := range set {
			seen[key] = true
		}
	}
	keys := slices.Collect(maps.Keys(seen))
	slices.SortFunc(keys, func(a, b string) int {
		if place := place(a) - place(b); place != 0 {
			return place
		}
		return strings.Compare(a, b)
	})
	return keys
}

var partOrder = []string{FactorHost, FactorPort, FactorCable, FactorEnclosure, FactorDrive}

func place(key string) int {
	if at := slices.Index(partOrder, key); at >= 0 {
		return at
	}
	return len(partOrder)
}

// with gives the factors with one of them changed as in another session, together
// with what follows from it there.
func (f Factors) with(key string, other Factors) Factors {
	changed := maps.Clone(f)
	for _, each := range keysOf(f, other) {
		if each != key && !slices.Contains(follows[each], key) {
			continue
		}
		delete(changed, each)
		changed.set(each, other[each])
	}
	return changed
}

// same says whether two sessions were measured under the same circumstances, as far
// as both are known.
func same(a, b Factors) bool {
	differ, unsaid := differing(a, b)
	return len(differ) == 0 && len(unsaid) == 0
}

// exact writes the factors that are alike only if they are equal.
func (f Factors) exact() string {
	var text strings.Builder
	for _, key := range slices.Sorted(maps.Keys(f)) {
		if value := f[key]; !isTemperature(value) {
			fmt.Fprintf(&text, "%q=%q;", key, value)
		}
	}
	return text.String()
}

// words writes some of the factors for people: "enclosure=barnacle, fan=on".
func (f Factors) words(keys []string) string {
	texts := make([]string, len(keys))
	for at, key := range keys {
		value := f[key]
		if value == "" {
			value = "(not said)"
		}
		texts[at] = fmt.Sprintf("%s=%s", key, value)
	}
	return strings.Join(texts, ", ")
}

// InChainOrder sorts names of factors: parts first, in the order of a chain.
func InChainOrder(keys []string) []string {
	set := Factors{}
	for _, key := range keys {
		set[key] = key
	}
	return keysOf(set)
}
