package finding

import (
	"math"
	"slices"

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

// level is a stretch of a pass over which its throughput held.
type level struct {
	from, to float64 // seconds since the pass began to count
	rate     unit.BytesPerSecond
}

// drop is a fall from one level to a lower one.
type drop struct {
	before, after level
	at            float64
	// returned is the level that throughput rose to afterwards, if it did.
	returned *level
}

// drops finds where the throughput of a pass fell, and where it came back.
func drops(pass *session.Pass) []drop {
	levels := levelsOf(pass)
	var found []drop
	for i := 1; i < len(levels); i++ {
		before, after := levels[i-1], levels[i]
		if float64(after.rate) > float64(before.rate)*(1-leastDrop) {
			continue
		}
		d := drop{before: before, after: after, at: after.from}
		for next := i + 1; next < len(levels); next++ {
			if float64(levels[next].rate) >= float64(before.rate)*(1-leastDrop) {
				d.returned = &levels[next]
				break
			}
			d.after.to = levels[next].to
		}
		found = append(found, d)
	}
	return found
}

// levelsOf cuts a pass into levels.
func levelsOf(pass *session.Pass) []level {
	samples := pass.Samples
	stride := (len(samples) + mostSamples - 1) / mostSamples
	var rates, ends []float64
	for i := 0; i < len(samples); i += max(stride, 1) {
		var bytes, seconds float64
		group := samples[i:min(i+max(stride, 1), len(samples))]
		for _, sample := range group {
			bytes += float64(sample.Bytes)
			seconds += sample.ElapsedSeconds
		}
		if seconds > 0 {
			rates = append(rates, bytes/seconds)
			ends = append(ends, group[len(group)-1].TSeconds)
		}
	}
	var levels []level
	for _, segment := range stat.Segments(rates, leastSegment) {
		from := 0.0
		if segment.From > 0 {
			from = ends[segment.From-1]
		}
		// The median, so that a slow second or two do not make a level.
		median := stat.Median(slices.Clone(rates[segment.From:segment.To]))
		levels = append(levels, level{from: from, to: ends[segment.To-1], rate: unit.BytesPerSecond(median)})
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
	best, most := "", -1.0
	for name, risen := range rise {
		if risen > most || risen == most && name < best {
			best, most = name, risen
		}
	}
	return best, best != ""
}

// heat is a pass's temperature over time.
type heat struct {
	times  []float64
	values []unit.Celsius
}

// fewestReadings are what a pass's temperature is worth telling from.
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
	best, found := unit.Celsius(math.Inf(-1)), false
	for i, t := range h.times {
		if math.Abs(t-at) <= within {
			best, found = max(best, h.values[i]), true
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

// lastTemperature is what the telling sensor of a pass said last.
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
