// Package factor names the circumstances under which a session was measured (parts,
// conditions, the system), and says in which of them sessions differ. Its values are
// maps: they may be read at once, and not changed meanwhile.
package factor

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Set are the circumstances of a session that a figure may depend on: its
// conditions and parts, by name. What is not known is not in it.
type Set map[string]string

// Names of factors that are no conditions.
const (
	Host      = string(book.Host)
	Port      = "port"
	Cable     = string(book.Cable)
	Enclosure = string(book.Enclosure)
	Drive     = string(book.Drive)
	Volume    = string(book.Volume)
	Link      = "link"
	// Fill splits sessions by the fill level of their passes.
	Fill = "fill"
)

// Follows says which factors bring a difference in another one with them: another
// enclosure has another firmware, and that is no second change.
var Follows = map[string][]string{
	Port:                      {Host},
	"enclosure firmware":      {Enclosure},
	"drive firmware":          {Drive},
	"system":                  {Host},
	"kernel":                  {Host, "system"},
	"governor":                {Host},
	"scheduler":               {Host, Drive},
	"size touched":            {Drive, Volume},
	Link:                      {Host, Port, Cable, Enclosure, Drive, Volume},
	To + "enclosure firmware": {To + Enclosure},
	To + "drive firmware":     {To + Drive},
	To + "file system":        {To + Drive},
	To + Link:                 {To + Host, To + Port, To + Cable, To + Enclosure, To + Drive, To + Volume},
}

// To begins the names of what is at the destination of copies; what is at their source has
// the names of any other storage.
const To = "destination "

// sameAmbient is how far two temperatures in conditions may be apart and still be
// the same circumstance, in kelvins.
const sameAmbient = 2

// Of gives the circumstances of a session.
func Of(s *session.Session) Set {
	f := Set{}
	f.addParts(s)
	f.addEnvironment(s)
	for key, value := range s.Conditions {
		f.Put(key, value)
	}
	if hop, ok := s.Chain.Binding(); ok {
		f.Put(Link, hop.Standard)
	}
	for i := range s.Passes {
		if !s.Passes[i].Direct {
			f.Put("system cache", "in the way")
		}
	}
	if len(s.Ends) == 2 {
		f.addDestination(&s.Ends[1])
	}
	return f
}

// addDestination puts what is at the other end of copies.
func (f Set) addDestination(end *session.End) {
	there := session.Session{Parts: end.Parts, Chain: end.Chain, Simulated: true,
		Target: session.Target{Address: end.Address, FileSystem: end.FileSystem}}
	there.Environment.DeviceModel = end.DeviceModel
	for key, value := range Of(&there) {
		if key != "measured on" {
			f.Put(To+key, value)
		}
	}
}

// Put sets a factor, unless its value is empty: that is not known.
func (f Set) Put(key, value string) {
	if value != "" {
		f[key] = value
	}
}

func (f Set) addParts(s *session.Session) {
	for _, part := range s.Parts {
		f.Put(string(part.Kind), part.Name)
		switch part.Kind {
		case book.Host:
			f.Put(Port, PortOf(s, part.Name))
		case book.Enclosure, book.Drive:
			f.Put(string(part.Kind)+" firmware", part.Firmware)
		}
	}
	if f[Drive] == "" {
		f.Put(Drive, s.Environment.DeviceModel)
	}
	if f[Drive] == "" && f[Volume] == "" {
		f.Put("target", s.Target.Address)
	}
}

// PortOf gives the port of a host that the chain goes through: hops of the bench
// book are named after both.
func PortOf(s *session.Session, host string) string {
	for _, hop := range s.Chain.Hops {
		if port, named := strings.CutPrefix(hop.Name, host+" "); named {
			return port
		}
	}
	return ""
}

func (f Set) addEnvironment(s *session.Session) {
	f.Put("size touched", s.Target.SpanBytes.Decimal())
	f.Put("file system", s.Target.FileSystem)
	if version := s.Environment.ProgramVersion; strings.Contains(version, "(") { // else all development is one
		f.Put("opengauge", version)
	}
	if s.Simulated {
		f.Put("measured on", "simulated parts")
		return
	}
	if f[Host] == "" {
		f.Put(Host, s.Environment.Host)
	}
	f.Put("system", strings.TrimSpace(s.Environment.System+" "+s.Environment.SystemVersion))
	f.Put("kernel", s.Environment.Kernel)
	f.Put("governor", s.Environment.Governor)
	f.Put("scheduler", s.Environment.Scheduler)
}

// Alike reports whether two values of a factor are the same circumstance.
func Alike(a, b string) bool {
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
	if !strings.HasSuffix(value, "C") {
		return false
	}
	_, err := unit.ParseCelsius(value)
	return err == nil
}

// Differing gives the factors in which two sessions are known to differ, without
// those that only follow from another, and those that are known of one only.
func Differing(a, b Set) (differ, unsaid []string) {
	for _, key := range Keys(a, b) {
		first, second := a[key], b[key]
		switch {
		case first == "" || second == "":
			unsaid = append(unsaid, key)
		case !Alike(first, second):
			differ = append(differ, key)
		}
	}
	return Own(differ), Own(unsaid, differ...)
}

// Own leaves out the factors that follow from another one of them, or of others.
func Own(keys []string, others ...string) []string {
	var kept []string
	for _, key := range keys {
		if !slices.ContainsFunc(Follows[key], func(cause string) bool {
			return slices.Contains(keys, cause) || slices.Contains(others, cause)
		}) {
			kept = append(kept, key)
		}
	}
	return kept
}

// Keys gives the keys of several sets of factors: parts first, in the order of a
// chain, then the others by name.
func Keys(sets ...Set) []string {
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

var partOrder = []string{Host, Port, Cable, Enclosure, Drive}

// IsPart reports whether a factor is a part of the chain, and no condition.
func IsPart(key string) bool { return place(key) < len(partOrder) }

// WithPort takes host and port together: another port of the same host is another
// part of the chain. It changes the set, and gives it.
func (f Set) WithPort() Set {
	if port := f[Port]; port != "" {
		delete(f, Port)
		f[Host] += "." + port
	}
	return f
}

func place(key string) int {
	if at := slices.Index(partOrder, key); at >= 0 {
		return at
	}
	return len(partOrder)
}

// With gives the factors with one of them changed as in another session, together
// with what follows from it there.
func (f Set) With(key string, other Set) Set {
	changed := maps.Clone(f)
	for _, each := range Keys(f, other) {
		if each != key && !slices.Contains(Follows[each], key) {
			continue
		}
		delete(changed, each)
		changed.Put(each, other[each])
	}
	return changed
}

// Same reports whether two sessions were measured under the same circumstances, as far
// as both are known.
func Same(a, b Set) bool {
	differ, unsaid := Differing(a, b)
	return len(differ) == 0 && len(unsaid) == 0
}

// Exact writes the factors that are alike only if they are equal.
func (f Set) Exact() string {
	var text []byte
	for _, key := range slices.Sorted(maps.Keys(f)) {
		if value := f[key]; !isTemperature(value) {
			text = append(strconv.AppendQuote(text, key), '=')
			text = append(strconv.AppendQuote(text, value), ';')
		}
	}
	return string(text)
}

// Words writes some of the factors for people: "enclosure=barnacle, fan=on".
func (f Set) Words(keys []string) string {
	texts := make([]string, len(keys))
	for i, key := range keys {
		value := f[key]
		if value == "" {
			value = "(not said)"
		}
		texts[i] = fmt.Sprintf("%s=%s", key, value)
	}
	return strings.Join(texts, ", ")
}

// InChainOrder sorts names of factors: parts first, in the order of a chain.
func InChainOrder(keys []string) []string {
	set := Set{}
	for _, key := range keys {
		set[key] = key
	}
	return Keys(set)
}

// Without leaves out a factor and what follows from it alone.
func (f Set) Without(key string) Set {
	rest := Set{}
	for each, value := range f {
		if each != key && !slices.Contains(Follows[each], key) {
			rest[each] = value
		}
	}
	return rest
}
