package unit

import (
	"fmt"
	"math"
)

// Signed writes a share with its sign: "+22 %".
func Signed(share float64) string {
	if share < 0 {
		return "−" + Percent(-share)
	}
	return "+" + Percent(share)
}

// Percent writes a share with as many digits as matter.
func Percent(share float64) string {
	value := math.Abs(share) * 100
	switch {
	case value < 0.095:
		return fmt.Sprintf("%.2f %%", value)
	case value < 9.5:
		return fmt.Sprintf("%.1f %%", value)
	default:
		return Grouped(int64(value+0.5)) + " %"
	}
}
