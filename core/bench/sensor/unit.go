package sensor

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// scale turns the numbers of an instrument into the unit of a quantity: value × factor + offset.
type scale struct {
	// unit is the one that the numbers are in as the user declared it, or empty where nobody did.
	unit           string
	factor, offset float64
}

// asIs is the scale of numbers that are in the unit of their quantity.
var asIs = scale{factor: 1}

func (s scale) of(number float64) float64 { return number*s.factor + s.offset }

// Scales by the units that instruments write (SI prefixes: The International System of Units, 9th edition,
// table 7). Signs for micro are those of Unicode and the letter u.
var (
	powerScales   = prefixed("W", "µ", "m", "", "k")
	currentScales = prefixed("A", "µ", "m", "")
	voltageScales = prefixed("V", "µ", "m", "", "k")
	thermalScales = map[string]scale{
		"C": asIs, "°C": asIs, "degC": asIs, "mC": {factor: 1e-3}, "m°C": {factor: 1e-3},
		"K": {factor: 1, offset: -273.15}, "F": {factor: 5.0 / 9, offset: -160.0 / 9},
		"°F": {factor: 5.0 / 9, offset: -160.0 / 9}, "degF": {factor: 5.0 / 9, offset: -160.0 / 9},
	}
	fanScales   = map[string]scale{"rpm": asIs, "RPM": asIs}
	soundScales = map[string]scale{"dB": asIs, "dBA": asIs, "dB(A)": asIs}
)

func prefixed(unit string, prefixes ...string) map[string]scale {
	factors := map[string]float64{"µ": 1e-6, "m": 1e-3, "": 1, "k": 1e3}
	made := map[string]scale{}
	for _, prefix := range prefixes {
		made[prefix+unit] = scale{factor: factors[prefix]}
	}
	return made
}

// writtenUnit is a unit with one sign for micro.
func writtenUnit(text string) string {
	for _, sign := range []string{"u", "\u03bc"} {
		if rest, ok := strings.CutPrefix(text, sign); ok && rest != "" {
			return "µ" + rest
		}
	}
	return text
}

// parseScale reads the part of a quantity in brackets: a unit, "mW", or a factor, "x0.1".
func (q Quantity) parseScale(text string) (scale, error) {
	if factor, ok := strings.CutPrefix(text, "x"); ok {
		value, err := strconv.ParseFloat(factor, 64)
		if err != nil || !(value > 0 && value < 1e12) {
			return scale{}, fmt.Errorf("[%s] is no factor like x0.1", text)
		}
		return scale{factor: value}, nil
	}
	made, ok := q.scales[writtenUnit(text)]
	if !ok {
		return scale{}, fmt.Errorf("%q is no unit of %s; there are %s", text, q.Name, q.unitNames())
	}
	made.unit = writtenUnit(text)
	return made, nil
}

func (q Quantity) unitNames() string {
	return strings.Join(slices.Sorted(maps.Keys(q.scales)), ", ") + ", or a factor like x0.1"
}

// base returns a number in the unit of the figure. Where the instrument writes a unit it has to be the
// declared one, or without that one of the quantity's.
func (s selected) base(number float64, written string) (float64, error) {
	if written == "" {
		return s.scale.of(number), nil
	}
	written = writtenUnit(written)
	if s.scale.unit != "" {
		if written != s.scale.unit {
			return 0, fmt.Errorf("it writes %q, and the probe says %s", written, s.scale.unit)
		}
		return s.scale.of(number), nil
	}
	q, _ := quantityOf(s.Quantity)
	own, ok := q.scales[written]
	if !ok && written != s.Unit {
		return 0, fmt.Errorf("it writes %q, which is no unit of %s: say which number is meant, or its unit in brackets",
			written, s.Quantity)
	}
	if s.scale != asIs || !ok {
		return s.scale.of(number), nil
	}
	return own.of(number), nil
}
