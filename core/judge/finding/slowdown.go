package finding

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Figures that separate heat from a full fast write area.
const (
	// nearPeak is how close to its highest of the pass the temperature is when
	// heat is the cause: sensors report whole degrees, late.
	nearPeak = 2.5
	// leastRise is what the pass has to have warmed the drive by.
	leastRise = 4.0
	// leastCooling is what the drive has to have cooled by when throughput comes
	// back because of it.
	leastCooling = 2.0
	// sameTemperature is how close together the temperatures of repeated drops
	// lie when one threshold causes them.
	sameTemperature = 3.0
	// aroundSeconds is how far from a drop its temperature is looked for.
	aroundSeconds = 3.0
	// tooCool is a temperature at which no drive protects itself yet: their
	// limits are at 60 degrees and above.
	tooCool unit.Celsius = 52
	// pastHysteresis is more than a drive that slows itself cools by before it is
	// fast again.
	pastHysteresis = 12.0
	// levelSeconds, or levelShare of the time so far, and levelRise say when a
	// temperature stands still: then no threshold is crossed.
	levelSeconds, levelShare, levelRise = 45.0, 0.15, 0.6
	// settledSeconds is how long a slow stretch has to last before it is known
	// not to end.
	settledSeconds = 40.0
	// evenCycles is how alike the lengths of slow stretches are that a hysteresis
	// makes, as their deviation over their mean.
	evenCycles = 0.35
	// evenLevel is how flat a provisioned limit holds a level, as the deviation of
	// its samples over their mean.
	evenLevel = 0.04
)

// slowdown is a drop in a pass with what the recording says about it.
type slowdown struct {
	drop
	// temperature at the drop, and the lowest until throughput came back, or until
	// the end; known says whether there are any.
	temperature, cooledTo unit.Celsius
	known                 bool
	hot                   bool // at the highest temperature of the pass so far
	levelBefore           bool // the temperature stood still before
	bytes                 unit.Bytes
}

func (d slowdown) returns() bool { return d.returned != nil }

func (d slowdown) cooling() float64 { return float64(d.temperature - d.cooledTo) }

// cycle says whether throughput came back when the drive had cooled.
func (d slowdown) cycle() bool { return d.known && d.returns() && d.cooling() >= leastCooling }

// Rejections of the two causes, in words for people.
func (d slowdown) notHeat(counters slowdownCounts) string {
	switch {
	case counters.known && counters.grown == 0:
		return "the drive counted no slowdown of its own"
	case !d.known:
		return ""
	case d.temperature < tooCool:
		return fmt.Sprintf("at %s no drive protects itself yet", d.temperature)
	case !d.hot:
		return fmt.Sprintf("it had been warmer before, at full speed, than the %s at the drop", d.temperature)
	case d.levelBefore && !d.returns():
		return fmt.Sprintf("the temperature had stood still at %s, so no threshold was crossed", d.temperature)
	case !d.returns() && d.cooling() > pastHysteresis && d.lasts() > settledSeconds:
		return fmt.Sprintf("it cooled by %.0f °C and stayed slow", d.cooling())
	}
	return ""
}

func (d slowdown) notCache(pass *session.Pass, counters slowdownCounts) string {
	switch {
	case pass.Operation == plan.Read:
		return "reads have no write area to fill"
	case counters.known && counters.grown > 0:
		return fmt.Sprintf("the drive itself counted %d slowdowns", counters.grown)
	case d.returns():
		return "throughput came back at the same load, without a rest"
	}
	return ""
}

// lasts is how long the slow stretch is.
func (d slowdown) lasts() float64 { return d.after.to - d.at }

// slowdownCounts is how often a drive says that it slowed itself in a pass.
type slowdownCounts struct {
	known bool
	grown int64
}

func countsOf(pass *session.Pass) slowdownCounts {
	var counts slowdownCounts
	if pass.Link == nil {
		return counts
	}
	for name, after := range pass.Link.After.Counters {
		counter := firstWord(name)
		if counter == "nvme_light_slowdowns" || counter == "nvme_heavy_slowdowns" {
			counts.known = true
			counts.grown += after - pass.Link.Before.Counters[name]
		}
	}
	return counts
}

// slowdownsOf looks at every drop of a pass.
func slowdownsOf(pass *session.Pass) ([]slowdown, heat) {
	h, known := heatOf(pass)
	if known && float64(h.highest()-h.values[0]) < leastRise && h.highest() < tooCool {
		h.still = true
	}
	var found []slowdown
	for _, d := range drops(pass) {
		s := slowdown{drop: d, bytes: bytesUntil(pass, d.at)}
		if known {
			s.temperature, s.known = h.around(d.at, aroundSeconds)
		}
		if s.known {
			end := d.after.to
			if d.returned != nil {
				end = d.returned.from + aroundSeconds
			}
			s.cooledTo, _ = h.lowest(d.at, end)
			s.hot = float64(h.highestUntil(d.at+aroundSeconds)-s.temperature) <= nearPeak
			s.levelBefore = h.stood(d.at-max(levelSeconds, levelShare*d.at), d.at-1)
		}
		found = append(found, s)
	}
	return found, h
}

// slowdowns explains the drops of each pass: heat, a full fast write area, used
// up credits, or not settled.
func slowdowns(s *session.Session) []session.Finding {
	var found []session.Finding
	for at := range s.Passes {
		pass := &s.Passes[at]
		all, h := slowdownsOf(pass)
		all = slices.DeleteFunc(all, func(d slowdown) bool { return interrupted(s, pass, d) })
		if len(all) > 0 {
			found = append(found, explainPass(s, pass, all, h)...)
		}
	}
	addRecoveries(s, found)
	return found
}

// interrupted says whether a drop is that of a device that stopped answering,
// which is told on its own.
func interrupted(s *session.Session, pass *session.Pass, d slowdown) bool {
	for _, outage := range outages(pass) {
		if d.at >= outage.from-2 && d.at <= outage.to+2 || d.after.to >= outage.from-2 && d.at <= outage.to+2 && float64(d.after.rate) < 0.1*float64(d.before.rate) {
			return true
		}
	}
	for _, event := range s.Events {
		since := event.TSeconds - pass.StartedSeconds
		if event.Kind == session.EventDropout && math.Abs(since-d.at) < 5 {
			return true
		}
	}
	return false
}

func explainPass(s *session.Session, pass *session.Pass, all []slowdown, h heat) []session.Finding {
	counters := countsOf(pass)
	hot, confidence := heatDrops(pass, all, h, counters)
	var rest []slowdown
	for _, d := range all {
		if !slices.ContainsFunc(hot, func(other slowdown) bool { return other.at == d.at }) {
			rest = append(rest, d)
		}
	}
	var found []session.Finding
	if len(hot) > 0 {
		found = append(found, heatFinding(pass, h, hot, confidence, counters))
	}
	if len(rest) == 0 {
		return found
	}
	lasting := lastingDrop(rest)
	switch {
	case lasting == nil:
		if len(hot) > 0 {
			return found // dips beside a cause that is named
		}
	case provisioned(s):
		return append(found, creditFinding(pass, *lasting, 0.9))
	case lasting.notCache(pass, counters) == "" && (lasting.notHeat(counters) != "" || !lasting.known):
		return append(found, cacheFinding(pass, *lasting, counters))
	case !lasting.known && pass.Operation == plan.Read && evenLevels(pass, *lasting):
		return append(found, creditFinding(pass, *lasting, 0.7))
	case len(hot) > 0:
		return found
	}
	return append(found, unsettled(pass, rest, counters))
}

// heatDrops gives those drops that heat explains, and how sure that is.
func heatDrops(pass *session.Pass, all []slowdown, h heat, counters slowdownCounts) ([]slowdown, float64) {
	var hot []slowdown
	cycles, lowest, highest := 0, unit.Celsius(math.Inf(1)), unit.Celsius(math.Inf(-1))
	for _, d := range all {
		if !d.known || h.still || d.notHeat(slowdownCounts{}) != "" && !d.cutOff(hot) {
			continue
		}
		hot = append(hot, d)
		if d.cycle() {
			cycles++
		}
		lowest, highest = min(lowest, d.temperature), max(highest, d.temperature)
	}
	switch {
	case counters.known && counters.grown == 0:
		return nil, 0
	case counters.grown > 0 && len(hot) > 0:
		return hot, 0.98
	case cycles >= 2 && float64(highest-lowest) <= sameTemperature:
		return hot, 0.97
	case cycles >= 1:
		return withoutLasting(hot), 0.85
	case pass.Operation == plan.Read && len(hot) > 0:
		return hot, 0.75
	case sawTooth(all):
		return all, 0.7
	}
	return nil, 0
}

// cutOff says whether a drop that did not come back is one more like those
// before it, which the pass ended too early to see the end of: at the same
// temperature, to the same level.
func (d slowdown) cutOff(before []slowdown) bool {
	if d.returns() || len(before) == 0 {
		return false
	}
	last := before[len(before)-1]
	return last.cycle() && math.Abs(float64(d.temperature-last.temperature)) <= sameTemperature && d.lasts() <= 1.3*last.lasts() &&
		math.Abs(float64(d.after.rate/last.after.rate)-1) <= 0.2
}

// withoutLasting leaves out a last drop of a write that does not end, unless it
// is like those that do.
func withoutLasting(hot []slowdown) []slowdown {
	last := hot[len(hot)-1]
	if len(hot) > 1 && !last.returns() && last.lasts() > 2*hot[0].lasts() && float64(last.after.rate) < 0.8*float64(hot[0].after.rate) {
		return hot[:len(hot)-1]
	}
	return hot
}

// sawTooth says whether drops without temperatures come and go as a hysteresis
// makes them: at least three times, for stretches of like length, between the
// same two levels.
func sawTooth(all []slowdown) bool {
	var lengths, slow []float64
	for _, d := range all {
		if d.known {
			return false
		}
		if d.returns() {
			lengths, slow = append(lengths, d.returned.from-d.at), append(slow, float64(d.after.rate))
		}
	}
	return len(lengths) >= 3 && spread(lengths) <= evenCycles && spread(slow) <= 0.1
}

// spread is the deviation of figures over their mean.
func spread(values []float64) float64 {
	mean, deviation := stat.PopMeanStdDev(values, nil)
	if mean == 0 {
		return math.Inf(1)
	}
	return deviation / mean
}

// lastingDrop is the drop from which throughput did not come back, if it stayed
// down for long enough to be sure.
func lastingDrop(all []slowdown) *slowdown {
	for at := range all {
		if d := &all[at]; !d.returns() && d.lasts() >= settledSeconds {
			return d
		}
	}
	return nil
}

// provisioned says whether limits are provisioned somewhere in the chain.
func provisioned(s *session.Session) bool {
	return slices.ContainsFunc(s.Chain.Hops, isLimit)
}

// evenLevels says whether both levels of a drop are as flat as limits hold them.
func evenLevels(pass *session.Pass, d slowdown) bool {
	var before, after []float64
	for _, sample := range pass.Samples {
		switch {
		case sample.TSeconds > d.before.from && sample.TSeconds <= d.before.to-1:
			before = append(before, float64(sample.BytesPerSecond))
		case sample.TSeconds > d.at+1 && sample.TSeconds <= d.after.to:
			after = append(after, float64(sample.BytesPerSecond))
		}
	}
	return len(before) >= 10 && len(after) >= 10 && spread(before) <= evenLevel && spread(after) <= evenLevel
}
