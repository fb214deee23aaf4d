package unit

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Bytes is a size: of a block, a file or a device.
type Bytes int64

// Binary and decimal multiples (IEC 80000-13 and SI).
const (
	KiB Bytes = 1 << 10
	MiB Bytes = 1 << 20
	GiB Bytes = 1 << 30
	TiB Bytes = 1 << 40

	KB Bytes = 1e3
	MB Bytes = 1e6
	GB Bytes = 1e9
	TB Bytes = 1e12
)

// CommonDivisor is the greatest size that divides both (Euclid, Elements VII, 2).
func CommonDivisor(a, b Bytes) Bytes {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// sizeSuffixes maps a lower-case suffix to its factor.
var sizeSuffixes = map[string]Bytes{
	"": 1, "b": 1,
	"kib": KiB, "mib": MiB, "gib": GiB, "tib": TiB,
	"kb": KB, "mb": MB, "gb": GB, "tb": TB,
}

// ParseBytes reads a size such as "4KiB", "1 MiB", "512", "500 GB" or "1.5TB".
// The suffix may be in any case, but a final lower-case "b" after a capital
// ("Gb") is refused: it is how bits are written.
func ParseBytes(text string) (Bytes, error) {
	number, suffix := splitQuantity(text)
	if number == "" {
		return 0, fmt.Errorf("%q is not a size; write one like 4KiB, 1MiB or 500GB", text)
	}
	if looksLikeBits(suffix) {
		return 0, fmt.Errorf("%q could be read as bits; write bytes, like 4KiB, 1MiB or 500GB", text)
	}
	factor, ok := sizeSuffixes[strings.ToLower(suffix)]
	if !ok {
		return 0, fmt.Errorf("%q has an unknown unit %q; use B, KiB, MiB, GiB, TiB, kB, MB, GB or TB", text, suffix)
	}
	value, err := strconv.ParseFloat(number, 64)
	if err != nil {
		return 0, fmt.Errorf("%q is not a size; write one like 4KiB, 1MiB or 500GB", text)
	}
	bytes := value * float64(factor)
	if bytes < 0 || bytes > math.MaxInt64/2 {
		return 0, fmt.Errorf("size %q is out of range", text)
	}
	if bytes != math.Trunc(bytes) {
		return 0, fmt.Errorf("size %q is not a whole number of bytes", text)
	}
	return Bytes(bytes), nil
}

// looksLikeBits says whether a suffix is one that the trade uses for bits.
func looksLikeBits(suffix string) bool {
	if strings.Contains(strings.ToLower(suffix), "bit") {
		return true
	}
	return len(suffix) > 1 && strings.HasSuffix(suffix, "b") && suffix != strings.ToLower(suffix)
}

// splitQuantity parts "4 KiB" into "4" and "KiB".
func splitQuantity(text string) (number, suffix string) {
	text = strings.TrimSpace(text)
	end := strings.IndexFunc(text, func(r rune) bool {
		return (r < '0' || r > '9') && r != '.' && r != '-' && r != '+'
	})
	if end < 0 {
		return text, ""
	}
	return text[:end], strings.TrimSpace(text[end:])
}

// String writes the size as the largest binary multiple that is exact:
// "4 KiB", "1 MiB", "1000 B". It is the way block sizes are shown.
func (b Bytes) String() string {
	switch {
	case b != 0 && b%TiB == 0:
		return fmt.Sprintf("%d TiB", b/TiB)
	case b != 0 && b%GiB == 0:
		return fmt.Sprintf("%d GiB", b/GiB)
	case b != 0 && b%MiB == 0:
		return fmt.Sprintf("%d MiB", b/MiB)
	case b != 0 && b%KiB == 0:
		return fmt.Sprintf("%d KiB", b/KiB)
	}
	return fmt.Sprintf("%d B", int64(b))
}

// Capacity writes the size in both units: "512 GB (477 GiB)".
func (b Bytes) Capacity() string {
	return fmt.Sprintf("%s (%s)", b.Decimal(), b.binary())
}

// Decimal writes the size to three digits in decimal multiples: "512 GB".
func (b Bytes) Decimal() string {
	return scaled(float64(b), 1000, []string{"B", "kB", "MB", "GB", "TB", "PB"})
}

func (b Bytes) binary() string {
	return scaled(float64(b), 1024, []string{"B", "KiB", "MiB", "GiB", "TiB", "PiB"})
}

// scaled divides value by step until it is below step, then writes it to three
// significant digits with the unit reached.
func scaled(value, step float64, units []string) string {
	sign := ""
	if value < 0 {
		sign, value = "-", -value
	}
	at := 0
	for value >= step-step/2000 && at < len(units)-1 {
		value /= step
		at++
	}
	if at == 0 {
		return fmt.Sprintf("%s%.0f %s", sign, value, units[0])
	}
	return fmt.Sprintf("%s%s %s", sign, threeDigits(value), units[at])
}

// threeDigits writes a value to three significant digits without an exponent.
func threeDigits(value float64) string {
	switch magnitude := math.Abs(value); {
	case magnitude >= 99.95 || magnitude == 0:
		return strconv.FormatFloat(value, 'f', 0, 64)
	case magnitude >= 9.995:
		return strings.TrimSuffix(strconv.FormatFloat(value, 'f', 1, 64), ".0")
	default:
		text := strconv.FormatFloat(value, 'f', 2, 64)
		return strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
	}
}
