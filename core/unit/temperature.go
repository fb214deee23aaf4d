package unit

import (
	"fmt"
	"strconv"
	"strings"
)

// Celsius is a temperature in degrees Celsius.
type Celsius float64

// absoluteZero in degrees Celsius (SI brochure, 2.3.1).
const absoluteZero Celsius = -273.15

// ParseCelsius reads "45C", "45 °C" or "45". Other scales are refused.
func ParseCelsius(text string) (Celsius, error) {
	trimmed := strings.TrimSpace(text)
	for _, suffix := range []string{"°C", "C", "c"} {
		if rest, ok := strings.CutSuffix(trimmed, suffix); ok {
			trimmed = strings.TrimSpace(rest)
			break
		}
	}
	value, err := strconv.ParseFloat(trimmed, 64)
	if err != nil || Celsius(value) < absoluteZero || value > 1000 {
		return 0, fmt.Errorf("%q is not a temperature; write degrees Celsius, like 45C", text)
	}
	return Celsius(value), nil
}

// String writes the temperature to a tenth of a degree where it has one:
// "45 °C", "45.5 °C".
func (c Celsius) String() string {
	return strings.TrimSuffix(strconv.FormatFloat(float64(c), 'f', 1, 64), ".0") + " °C"
}

// Coldest and Hottest bound what a thermometer on a bench can truly report. Drives
// protect themselves far below the upper one, and no freezer reaches the lower.
// Sensors that fail report 255 or absolute zero, and those that count in
// Fahrenheit are soon above.
const Coldest, Hottest Celsius = -60, 150

// Believable reports whether a temperature may be true.
func (c Celsius) Believable() bool { return c >= Coldest && c <= Hottest }
