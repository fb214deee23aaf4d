// Package sim holds simulated drives in simulated enclosures, on a virtual
// clock: targets whose truth is known, in physical units, so that everything
// that runs on a real drive can be run on them, faster and without wear.
package sim

import (
	_ "embed"
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/link"
	"opengauge/core/unit"
)

//go:embed bench.yaml
var benchSource []byte

// Drive is what a simulated drive is made of.
type Drive struct {
	Name, About   string
	Capacity      unit.Bytes
	Link          link.Standard
	Parallelism   int
	ReadLatency   time.Duration
	WriteLatency  time.Duration
	FlushLatency  time.Duration
	Jitter        float64
	ReadRate      unit.BytesPerSecond
	WriteRate     unit.BytesPerSecond
	ThrottledRate unit.BytesPerSecond
	ThrottleAt    unit.Celsius
	ResumeAt      unit.Celsius
	IdleWatts     float64
	// ReadJoules and WriteJoules are the energy to move one byte.
	ReadJoules  float64
	WriteJoules float64
}

// Enclosure is what a simulated enclosure is made of.
type Enclosure struct {
	Name, About string
	Link        link.Standard
	Latency     time.Duration
	// PerOperation is the least time that the bridge is busy with an operation.
	PerOperation time.Duration
	Carries      unit.BytesPerSecond
	// HeatCapacity is in joules a kelvin, resistances are in kelvins a watt.
	HeatCapacity  float64
	Resistance    float64
	FanResistance float64
	FanOnAt       unit.Celsius
	FanOffAt      unit.Celsius
	FanDelay      time.Duration
	Cooling       Cooling
}

// Cooling is how an enclosure's fan behaves.
type Cooling string

// The ways of cooling. A passive enclosure has no fan.
const (
	Passive   Cooling = "passive"
	Automatic Cooling = "automatic"
	AlwaysOn  Cooling = "on"
	FanOff    Cooling = "off"
)

// Bench is the simulated parts by name.
type Bench struct {
	Drives     map[string]Drive
	Enclosures map[string]Enclosure
}

// DemoBench gives the parts that ship with the program.
func DemoBench() (Bench, error) { return ParseBench("bench.yaml", benchSource) }

// ParseBench reads simulated parts written in YAML. Errors name file, line and
// column.
func ParseBench(file string, source []byte) (Bench, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Bench{}, err
	}
	fields, err := root.Fields("drives", "enclosures")
	if err != nil {
		return Bench{}, err
	}
	bench := Bench{}
	if bench.Drives, err = parts(fields, "drives", parseDrive); err != nil {
		return Bench{}, err
	}
	bench.Enclosures, err = parts(fields, "enclosures", parseEnclosure)
	return bench, err
}

func parts[T any](fields map[string]document.Node, key string, parse func(name string, node document.Node) (T, error)) (map[string]T, error) {
	found := map[string]T{}
	node, given := fields[key]
	if !given {
		return found, nil
	}
	entries, err := node.Entries()
	if err != nil {
		return nil, err
	}
	for _, entry := range entries {
		if found[entry.Key], err = parse(entry.Key, entry.Value); err != nil {
			return nil, err
		}
	}
	return found, nil
}

func parseDrive(name string, node document.Node) (Drive, error) {
	drive := Drive{Name: name}
	err := read(node, map[string]func(string) error{
		"about":          into(&drive.About, asText),
		"capacity":       into(&drive.Capacity, unit.ParseBytes),
		"link":           into(&drive.Link, link.Find),
		"parallelism":    into(&drive.Parallelism, asCount),
		"read-latency":   into(&drive.ReadLatency, time.ParseDuration),
		"write-latency":  into(&drive.WriteLatency, time.ParseDuration),
		"flush-latency":  into(&drive.FlushLatency, time.ParseDuration),
		"jitter":         into(&drive.Jitter, asNumber),
		"read-rate":      into(&drive.ReadRate, unit.ParseRate),
		"write-rate":     into(&drive.WriteRate, unit.ParseRate),
		"throttled-rate": into(&drive.ThrottledRate, unit.ParseRate),
		"throttle-at":    into(&drive.ThrottleAt, unit.ParseCelsius),
		"resume-at":      into(&drive.ResumeAt, unit.ParseCelsius),
		"idle-power":     into(&drive.IdleWatts, asNumber),
		"read-energy":    into(&drive.ReadJoules, asJoulesPerGigabyte),
		"write-energy":   into(&drive.WriteJoules, asJoulesPerGigabyte),
	}, nil)
	return drive, err
}

func parseEnclosure(name string, node document.Node) (Enclosure, error) {
	enclosure := Enclosure{Name: name}
	err := read(node, map[string]func(string) error{
		"about":         into(&enclosure.About, asText),
		"link":          into(&enclosure.Link, link.Find),
		"latency":       into(&enclosure.Latency, time.ParseDuration),
		"per-operation": into(&enclosure.PerOperation, time.ParseDuration),
		"carries":       into(&enclosure.Carries, unit.ParseRate),
		"heat-capacity": into(&enclosure.HeatCapacity, asNumber),
		"resistance":    into(&enclosure.Resistance, asNumber),
		"cooling":       into(&enclosure.Cooling, ParseCooling),
	}, map[string]func(string) error{
		"fan-resistance": into(&enclosure.FanResistance, asNumber),
		"fan-on-at":      into(&enclosure.FanOnAt, unit.ParseCelsius),
		"fan-off-at":     into(&enclosure.FanOffAt, unit.ParseCelsius),
		"fan-delay":      into(&enclosure.FanDelay, time.ParseDuration),
	})
	if err == nil && enclosure.Cooling != Passive && enclosure.FanResistance <= 0 {
		return enclosure, node.Errorf("an enclosure with a fan needs \"fan-resistance\"")
	}
	return enclosure, err
}

// read sets every key of a mapping. Those in required must all be there.
func read(node document.Node, required, optional map[string]func(string) error) error {
	expected := make([]string, 0, len(required)+len(optional))
	for key := range required {
		expected = append(expected, key)
	}
	for key := range optional {
		expected = append(expected, key)
	}
	sort.Strings(expected)
	fields, err := node.Fields(expected...)
	if err != nil {
		return err
	}
	for _, key := range expected {
		value, given := fields[key]
		set, needed := required[key]
		switch {
		case !given && needed:
			return node.Errorf("the key %q is missing", key)
		case !given:
			continue
		case !needed:
			set = optional[key]
		}
		text, err := value.Text()
		if err != nil {
			return err
		}
		if err := set(text); err != nil {
			return value.Errorf("%s", err)
		}
	}
	return nil
}

// into makes a setter of a parser.
func into[T any](place *T, parse func(string) (T, error)) func(string) error {
	return func(text string) (err error) {
		*place, err = parse(text)
		return err
	}
}

func asText(text string) (string, error) { return text, nil }

func asCount(text string) (int, error) {
	count, err := strconv.Atoi(text)
	if err != nil || count < 1 || count > 4096 {
		return 0, fmt.Errorf("%q is not a whole number from 1 to 4096", text)
	}
	return count, nil
}

func asNumber(text string) (float64, error) {
	number, err := strconv.ParseFloat(text, 64)
	if err != nil || !(number >= 0 && number < 1e12) {
		return 0, fmt.Errorf("%q is not a number from 0 up", text)
	}
	return number, nil
}

func asJoulesPerGigabyte(text string) (float64, error) {
	joules, err := asNumber(text)
	return joules / 1e9, err
}

// ParseCooling reads "passive", "automatic", "on" or "off".
func ParseCooling(text string) (Cooling, error) {
	switch cooling := Cooling(text); cooling {
	case Passive, Automatic, AlwaysOn, FanOff:
		return cooling, nil
	}
	return "", fmt.Errorf("unknown cooling %q; expected %s, %s, %s or %s", text, Passive, Automatic, AlwaysOn, FanOff)
}

// names lists the keys of a map for a message.
func names[T any](parts map[string]T) string {
	list := make([]string, 0, len(parts))
	for name := range parts {
		list = append(list, name)
	}
	sort.Strings(list)
	return strings.Join(list, ", ")
}
