package unit

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// BytesPerSecond is a throughput.
type BytesPerSecond float64

// Notation is how throughput is shown to a person.
type Notation int

// The notations: decimal bytes as drives and links are sold, binary bytes, and
// decimal bits as links are signalled.
const (
	Decimal Notation = iota // MB/s, 10^6 bytes a second
	Binary                  // MiB/s, 2^20 bytes a second
	Bits                    // Gbit/s, 10^9 bits a second
)

// NotationNames are the spellings that [ParseNotation] takes.
var NotationNames = []string{"decimal", "binary", "bits"}

// ParseNotation reads "decimal", "binary" or "bits".
func ParseNotation(name string) (Notation, error) {
	for i, known := range NotationNames {
		if name == known {
			return Notation(i), nil
		}
	}
	return 0, fmt.Errorf("unknown units %q; use %s", name, strings.Join(NotationNames, ", "))
}

// Unit is the unit's symbol: "MB/s", "MiB/s" or "Gbit/s".
func (n Notation) Unit() string {
	return [...]string{"MB/s", "MiB/s", "Gbit/s"}[n]
}

// Value is the rate as a number of the notation's units.
func (n Notation) Value(rate BytesPerSecond) float64 {
	switch n {
	case Binary:
		return float64(rate) / float64(MiB)
	case Bits:
		return float64(rate) * 8 / 1e9
	default:
		return float64(rate) / 1e6
	}
}

// Number writes the rate's value without the unit, to a resolution that a
// reader can use: whole numbers from 100 up, three digits below.
func (n Notation) Number(rate BytesPerSecond) string {
	value := n.Value(rate)
	if math.Abs(value) >= 999.5 { // else it would be rounded to a thousand, ungrouped
		return Grouped(int64(math.Round(value)))
	}
	return threeDigits(value)
}

// Rate writes the rate with its unit: "1 042 MB/s", "8.34 Gbit/s".
func (n Notation) Rate(rate BytesPerSecond) string {
	return n.Number(rate) + " " + n.Unit()
}

// Between writes a range of rates without its unit: "961 to 1 084", or the one figure
// of a range without width.
func (n Notation) Between(low, high BytesPerSecond) string {
	if low == high {
		return n.Number(low)
	}
	return n.Number(low) + " to " + n.Number(high)
}

// Grouped writes a whole number with its thousands set apart by a no-break
// space (SI brochure, 5.4.4): "12 400".
func Grouped(value int64) string {
	digits := strconv.FormatInt(value, 10)
	sign := ""
	if digits[0] == '-' {
		sign, digits = "-", digits[1:]
	}
	var out strings.Builder
	for i, digit := range digits {
		if i > 0 && (len(digits)-i)%3 == 0 {
			out.WriteRune('\u00a0')
		}
		out.WriteRune(digit)
	}
	return sign + out.String()
}

// ParseRate reads a throughput such as "450MB/s", "1.2 GiB/s" or "10Gbit/s".
func ParseRate(text string) (BytesPerSecond, error) {
	quantity, found := strings.CutSuffix(strings.TrimSpace(text), "/s")
	if !found {
		return 0, fmt.Errorf("%q is not a rate; write one like 450MB/s or 10Gbit/s", text)
	}
	if bits, found := strings.CutSuffix(quantity, "bit"); found {
		return parseBits(text, bits)
	}
	bytes, err := ParseBytes(quantity)
	if err != nil {
		return 0, fmt.Errorf("%q is not a rate; write one like 450MB/s or 10Gbit/s", text)
	}
	return BytesPerSecond(bytes), nil
}

// parseBits reads what stands before "bit/s": "10G", "100 M".
func parseBits(text, quantity string) (BytesPerSecond, error) {
	number, prefix := splitQuantity(quantity)
	factor, ok := map[string]float64{"": 1, "k": 1e3, "M": 1e6, "G": 1e9, "T": 1e12}[prefix]
	value, err := strconv.ParseFloat(number, 64)
	if err != nil || !ok || value < 0 {
		return 0, fmt.Errorf("%q is not a rate; write one like 450MB/s or 10Gbit/s", text)
	}
	return BytesPerSecond(value * factor / 8), nil
}
