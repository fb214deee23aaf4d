package finding

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var dataSensitive = Kind{
	Name:     "data-sensitive",
	Says:     "speed depends on how compressible the data is",
	Severity: session.Caution,
	Settles:  "repeat with --compressible 0% and with 100%",
	Evidence: DataSensitiveEvidence{},
}

// DataSensitiveEvidence compares the least compressible data with the most.
type DataSensitiveEvidence struct {
	LeastCompressible float64             `json:"least_compressible_share"`
	MostCompressible  float64             `json:"most_compressible_share"`
	AtLeast           unit.BytesPerSecond `json:"at_least_bytes_per_second"`
	AtMost            unit.BytesPerSecond `json:"at_most_bytes_per_second"`
}

// findDataSensitive finds writes whose speed depends on how compressible the data
// is.
func findDataSensitive(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for _, group := range groupsWithoutRate(s, func(k *session.Key) { k.Load.CompressibleShare = 0 }) {
		var shares, rates []float64
		for _, pass := range group {
			shares = append(shares, pass.CompressibleShare)
			rates = append(rates, float64(pass.BytesPerSecond))
		}
		levels := slices.Compact(slices.Sorted(slices.Values(shares)))
		if len(levels) < 2 {
			continue
		}
		low := levels[0]
		high := levels[len(levels)-1]
		least := meanWhere(shares, rates, low)
		most := meanWhere(shares, rates, high)
		if math.Abs(most/least-1) < leastSlower || overlapping(shares, rates, low, high) {
			continue
		}
		f := dataSensitive.new(0.9, indexesOf(group), DataSensitiveEvidence{
			LeastCompressible: low, MostCompressible: high, AtLeast: rate(math.Round(least)),
			AtMost: rate(math.Round(most)),
		})
		f.ToSeconds = group[0].ElapsedSeconds
		f.Summary = fmt.Sprintf("%s depends on the data: %s when %.0f %% of it can be compressed away, %s when "+
			"%.0f %% can.",
			group[0].Shape(), n.Rate(rate(least)), low*100, n.Rate(rate(most)), high*100)
		f.Advice = "Quote the figure of incompressible data: video, sound and archives are that."
		found = append(found, f)
	}
	return found
}

// overlapping reports whether some repeat of one level is on the wrong side of some
// of the other.
func overlapping(keys, values []float64, one, other float64) bool {
	var low, high []float64
	for i := range keys {
		switch keys[i] {
		case one:
			low = append(low, values[i])
		case other:
			high = append(high, values[i])
		}
	}
	return slices.Max(low) >= slices.Min(high) && slices.Max(high) >= slices.Min(low)
}
