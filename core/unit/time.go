package unit

import (
	"fmt"
	"math"
	"time"
)

// Latency writes a time that an operation took, in seconds, to three digits
// with the unit that suits it: "84.2 µs", "1.23 ms", "2.5 s".
func Latency(seconds float64) string {
	switch {
	case seconds <= 0:
		return "0 s"
	case seconds < 999.5e-9:
		return fmt.Sprintf("%.0f ns", seconds*1e9)
	case seconds < 999.5e-6:
		return threeDigits(seconds*1e6) + " µs"
	case seconds < 0.9995:
		return threeDigits(seconds*1e3) + " ms"
	default:
		return threeDigits(seconds) + " s"
	}
}

// Span writes a stretch of time for a person who waits: "45 s", "2 min 05 s",
// "3 h 20 min".
func Span(span time.Duration) string {
	seconds := int64(math.Round(span.Seconds()))
	switch {
	case seconds <= 0 && span > 0:
		return "under 1 s"
	case seconds < 60:
		return fmt.Sprintf("%d s", seconds)
	case seconds < 3600 && seconds%60 == 0:
		return fmt.Sprintf("%d min", seconds/60)
	case seconds < 3600:
		return fmt.Sprintf("%d min %02d s", seconds/60, seconds%60)
	default:
		return fmt.Sprintf("%d h %02d min", seconds/3600, seconds%3600/60)
	}
}

// Stretch writes a stretch of time in seconds with the digits that are known of it: "0.42 s",
// "12.3 s", and from three minutes on as [Span] does.
func Stretch(seconds float64) string {
	const long = 180
	if seconds >= long {
		return Span(Duration(seconds))
	}
	return Digits(seconds, 3) + " s"
}

// Duration is the inverse of [Seconds], to the nearest nanosecond.
func Duration(seconds float64) time.Duration {
	return time.Duration(math.Round(seconds * 1e9))
}
