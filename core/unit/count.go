package unit

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Count writes how many there are of something: "1 visit", "3 visits". Irregular plurals
// are given with the one.
func Count(count int, one string, many ...string) string {
	if count == 1 {
		return "1 " + one
	}
	plural := one + "s"
	if len(many) > 0 {
		plural = many[0]
	}
	return Grouped(int64(count)) + " " + plural
}

// Given writes a share that somebody chose, with the digits that it was given with: "5 %".
func Given(share float64) string { return fmt.Sprintf("%.6g %%", share*100) }

// Digits writes a number with so many significant digits, and all of those before the
// point, grouped: "41.8", "1 042", "86 400". It knows no exponents.
func Digits(value float64, digits int) string {
	size := math.Abs(value)
	switch {
	case math.IsNaN(value) || math.IsInf(value, 0):
		return fmt.Sprint(value)
	case size >= math.Pow(10, float64(digits))-0.5 || size >= 1000:
		return strings.Replace(Grouped(int64(math.Round(value))), "-", "−", 1)
	case size != 0 && size < 1e-4:
		return "under 0.0001"
	}
	text := strconv.FormatFloat(value, 'g', digits, 64)
	return strings.Replace(text, "-", "−", 1)
}

// Price writes a price: whole where it is, else to the cent.
func Price(value float64) string {
	if value == math.Trunc(value) {
		return Grouped(int64(value))
	}
	return strconv.FormatFloat(value, 'f', 2, 64)
}

// Sure writes how sure something is at the least: never that it is certain.
func Sure(share float64) string {
	if share >= mostSure {
		return "more than 99 %"
	}
	return "at least " + SureCell(share)
}

// SureCell is [Sure] for the cell of a table: "95 %", "> 99 %".
func SureCell(share float64) string {
	if share >= mostSure {
		return "> 99 %"
	}
	return Percent(math.Floor(share*100) / 100)
}

// mostSure is from where on nobody says how sure.
const mostSure = 0.99
