package sensor

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"opengauge/core/unit"
)

// Quantity is a kind of thing that a probe reads.
type Quantity struct {
	Name string
	// Unit is as people write it, and Ending how the names of its readings end.
	Unit, Ending string
	// Says describes the quantity in a few words.
	Says string
	// Lowest and Highest are the limits of belief.
	Lowest, Highest float64
	// Of is the consumer of a power, [Storage] or [Machine], and empty for other quantities.
	Of string
	// scales are those of the units that instruments write it in.
	scales map[string]scale
}

// Consumers of power.
const (
	Storage = "storage"
	Machine = "machine"
)

// Names of quantities that others ask for.
const (
	Temperature  = "temperature"
	Power        = "power"
	MachinePower = "machine-power"
	Current      = "current"
	Voltage      = "voltage"
	// Number is anything else: its unit and which way is better are given with it.
	Number = "number"
)

// How the names of readings of power end.
const (
	PowerEnding        = "_power_watts"
	MachinePowerEnding = "_machine_watts"
)

// quantities lists the quantities that a probe may read. Their limits are far wider than usual
// values on a bench, and far narrower than the results of a wrong scale or a damaged line.
var quantities = []Quantity{
	{Name: Temperature, Unit: "°C", Says: "a thermometer", Lowest: float64(unit.Coldest), Highest: float64(unit.Hottest),
		scales: thermalScales},
	{Name: Power, Unit: "W", Ending: PowerEnding, Says: "the power of the storage alone", Lowest: -1, Highest: 1000,
		Of: Storage, scales: powerScales},
	{Name: MachinePower, Unit: "W", Ending: MachinePowerEnding, Says: "the power of a whole machine, at the wall",
		Lowest: -1, Highest: 5000, Of: Machine, scales: powerScales},
	{Name: Current, Unit: "A", Ending: "_amperes", Says: "a current", Lowest: -50, Highest: 50, scales: currentScales},
	{Name: Voltage, Unit: "V", Ending: "_volts", Says: "a voltage", Lowest: -60, Highest: 500,
		scales: voltageScales},
	{Name: "fan", Unit: "a minute", Ending: "_fan_rpm", Says: "the turns of a fan", Lowest: 0, Highest: 60000,
		scales: fanScales},
	{Name: "sound", Unit: "dB", Ending: "_decibels", Says: "a level of sound", Lowest: 0, Highest: 140,
		scales: soundScales},
	{Name: Number, Says: "anything else, with its unit and which way is better: number(frames/s,higher)",
		Lowest: -math.MaxFloat64, Highest: math.MaxFloat64},
}

// Quantities gives those that a probe may read.
func Quantities() []Quantity { return slices.Clone(quantities) }

// Directions in which a figure is better.
const (
	Higher = "higher"
	Lower  = "lower"
)

// Figure is one of the things that a source reads.
type Figure struct {
	// Name is the name shown, and Key the name among readings or temperatures.
	Name string `json:"name"`
	Key  string `json:"key"`
	// Quantity is the name of its quantity, and Unit the unit of its readings.
	Quantity string `json:"quantity"`
	Unit     string `json:"unit"`
	// Of is the consumer of a power: "storage" or "machine".
	Of string `json:"of,omitempty"`
	// Better is "higher" or "lower", of a number.
	Better string `json:"better,omitempty"`
}

// numberPattern is a number with its unit and its direction.
var numberPattern = regexp.MustCompile(`^number\(([^,()]{1,24}),\s*(higher|lower)\)$`)

// scaledPattern is a quantity with a unit or a factor in brackets.
var scaledPattern = regexp.MustCompile(`^([a-z-]+)\[([^\[\]]{1,16})\]$`)

// newScaled makes the figure of a name and a quantity, and the scale of its numbers: "power", "power[mW]",
// "power[x0.1]".
func newScaled(name, quantity string) (Figure, scale, error) {
	parts := scaledPattern.FindStringSubmatch(quantity)
	if parts == nil {
		figure, err := newFigure(name, quantity)
		return figure, asIs, err
	}
	figure, err := newFigure(name, parts[1])
	if err != nil {
		return figure, asIs, err
	}
	q, _ := quantityOf(parts[1]) // of which the figure is
	by, err := q.parseScale(parts[2])
	return figure, by, err
}

// newFigure makes the figure of a name and a quantity as a probe names it; a temperature
// where it names none.
func newFigure(name, quantity string) (Figure, error) {
	if quantity == "" {
		quantity = Temperature
	}
	if parts := numberPattern.FindStringSubmatch(quantity); parts != nil {
		return Figure{Name: name, Key: name, Quantity: Number, Unit: strings.TrimSpace(parts[1]), Better: parts[2]}, nil
	}
	if q, ok := quantityOf(quantity); ok && q.Name != Number {
		return Figure{Name: name, Key: name + q.Ending, Quantity: q.Name, Unit: q.Unit, Of: q.Of}, nil
	}
	return Figure{}, fmt.Errorf("%q is no quantity; there are %s", quantity, quantityNames())
}

func quantityNames() string {
	var names []string
	for _, q := range quantities {
		name := q.Name
		if name == Number {
			name = "number(UNIT,higher) and number(UNIT,lower)"
		}
		names = append(names, name)
	}
	return strings.Join(names, ", ")
}

// isQuantity says whether a text begins as a quantity does.
func isQuantity(text string) bool {
	word, _, _ := strings.Cut(text, "(")
	word, _, _ = strings.Cut(word, "[")
	_, ok := quantityOf(word)
	return ok
}

// quantityOf returns the quantity of a name.
func quantityOf(name string) (q Quantity, ok bool) {
	at := slices.IndexFunc(quantities, func(q Quantity) bool { return q.Name == name })
	if at < 0 {
		return Quantity{}, false
	}
	return quantities[at], true
}

// check says why a value cannot be true of a figure, or nothing.
func (f Figure) check(value float64) error {
	q, ok := quantityOf(f.Quantity)
	if !ok {
		return fmt.Errorf("%q is no quantity", f.Quantity)
	}
	if !(value >= q.Lowest && value <= q.Highest) {
		if f.Quantity == Temperature {
			return fmt.Errorf("%v degrees Celsius cannot be true", value)
		}
		return fmt.Errorf("%v %s cannot be true of %s", value, f.Unit, q.Says)
	}
	return nil
}

// enter puts a value into a reading, if it can be true.
func (f Figure) enter(value float64, into *Reading) error {
	if err := f.check(value); err != nil {
		return fmt.Errorf("%s: %w", f.Name, err)
	}
	if f.Quantity == Temperature {
		if into.Temperatures == nil {
			into.Temperatures = map[string]unit.Celsius{}
		}
		into.Temperatures[f.Key] = unit.Celsius(value)
		return nil
	}
	if into.Values == nil {
		into.Values = map[string]float64{}
	}
	into.Values[f.Key] = value
	return nil
}
