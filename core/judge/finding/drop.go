package finding

import (
	"math"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

const (
	// leastSegment is the shortest level, in samples, that is not a blip.
	leastSegment = 5
	// leastDrop is the share of throughput that has to go for a drop to count.
	leastDrop = 0.15
	// mostSamples keeps the search for levels quick on very long passes, which
	// are averaged down to it.
	mostSamples = 3000
)

// drops says whether the throughput of a pass fell from one level to the next.
func drops(pass *session.Pass) bool {
	levels := levelsOf(pass)
	for i := 1; i < len(levels); i++ {
		if levels[i] <= levels[i-1]*(1-leastDrop) {
			return true
		}
	}
	return false
}

// levelsOf cuts a pass into levels, in bytes a second.
func levelsOf(pass *session.Pass) []float64 {
	samples := pass.Samples
	stride := max((len(samples)+mostSamples-1)/mostSamples, 1)
	var rates []float64
	for i := 0; i < len(samples); i += stride {
		var bytes, seconds float64
		for _, sample := range samples[i:min(i+stride, len(samples))] {
			bytes += float64(sample.Bytes)
			seconds += sample.ElapsedSeconds
		}
		if seconds > 0 {
			rates = append(rates, bytes/seconds)
		}
	}
	var levels []float64
	for _, segment := range stat.Segments(rates, leastSegment) {
		// The median, so that a slow second or two do not make a level.
		levels = append(levels, stat.Median(rates[segment.From:segment.To]))
	}
	return levels
}

// sensorName is the temperature that tells most about a pass: the drive's own,
// or else the one that rose most.
func sensorName(pass *session.Pass) (string, bool) {
	rise := map[string]float64{}
	first := map[string]unit.Celsius{}
	for _, sample := range pass.Samples {
		for name, temperature := range sample.TemperaturesCelsius {
			if _, seen := first[name]; !seen {
				first[name] = temperature
			}
			rise[name] = max(rise[name], float64(temperature-first[name]))
		}
	}
	if _, ok := rise["drive"]; ok {
		return "drive", true
	}
	best := ""
	most := -1.0
	for name, risen := range rise {
		if risen > most || risen == most && name < best {
			best = name
			most = risen
		}
	}
	return best, best != ""
}

// heat is a pass's temperature over time.
type heat struct {
	times  []float64
	values []unit.Celsius
}

// fewestReadings is the least number of readings from which a pass's temperature is told.
const fewestReadings = 10

func heatOf(pass *session.Pass) (heat, bool) {
	name, known := sensorName(pass)
	h := heat{}
	for _, sample := range pass.Samples {
		if value, there := sample.TemperaturesCelsius[name]; there {
			h.times = append(h.times, sample.TSeconds)
			h.values = append(h.values, value)
		}
	}
	return h, known && len(h.times) >= fewestReadings
}

// around is the highest temperature within a few seconds of a time.
func (h heat) around(at, within float64) (unit.Celsius, bool) {
	best := unit.Celsius(math.Inf(-1))
	found := false
	for i, t := range h.times {
		if math.Abs(t-at) <= within {
			best = max(best, h.values[i])
			found = true
		}
	}
	return best, found
}

// passAt gives the pass that was running at a time of the session, and how long
// it had counted by then.
func passAt(s *session.Session, at float64) (*session.Pass, float64) {
	for i := len(s.Passes) - 1; i >= 0; i-- {
		if pass := &s.Passes[i]; pass.StartedSeconds <= at {
			return pass, min(at-pass.StartedSeconds, pass.ElapsedSeconds)
		}
	}
	return nil, 0
}

// lastTemperature is the last reading of the telling sensor of a pass.
func lastTemperature(pass *session.Pass) (unit.Celsius, bool) {
	name, known := sensorName(pass)
	if !known {
		return 0, false
	}
	for i := len(pass.Samples) - 1; i >= 0; i-- {
		if temperature, there := pass.Samples[i].TemperaturesCelsius[name]; there {
			return temperature, true
		}
	}
	return 0, false
}
