package finding

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat"

	"opengauge/core/bench/event"
	"opengauge/core/load"
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
	case pass.Operation == load.Read:
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
	h, ok := heatOf(pass)
	if ok && float64(h.highest()-h.values[0]) < leastRise && h.highest() < tooCool {
		h.still = true
	}
	var found []slowdown
	for _, d := range drops(pass) {
		s := slowdown{drop: d, bytes: bytesUntil(pass, d.at)}
		if ok {
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

// fall is a pass whose throughput fell, with what goes into explaining it.
type fall struct {
	session  *session.Session
	pass     *session.Pass
	heat     heat
	counters slowdownCounts
	n        unit.Notation
}

// findSlowdowns explains the drops of each pass: heat, a full fast write area, used
// up credits, or not settled.
func findSlowdowns(s *session.Session, n unit.Notation) []session.Finding {
	var found []session.Finding
	for i := range s.Passes {
		pass := &s.Passes[i]
		fallen, h := slowdownsOf(pass)
		fallen = slices.DeleteFunc(fallen, func(d slowdown) bool { return interrupted(s, pass, d) })
		if len(fallen) > 0 {
			f := fall{session: s, pass: pass, heat: h, counters: countsOf(pass), n: n}
			found = append(found, f.explain(fallen)...)
		}
	}
	addRecoveries(s, found)
	return found
}

// interrupted reports whether a drop is that of a device that stopped answering,
// which is told on its own.
func interrupted(s *session.Session, pass *session.Pass, d slowdown) bool {
	for _, outage := range outages(pass) {
		if d.at >= outage.from-2 && d.at <= outage.to+2 || d.after.to >= outage.from-2 && d.at <= outage.to+2 &&
			float64(d.after.rate) < 0.1*float64(d.before.rate) {
			return true
		}
	}
	for _, e := range s.Events {
		since := e.TSeconds - pass.StartedSeconds
		if e.Kind == event.Dropout && math.Abs(since-d.at) < 5 {
			return true
		}
	}
	return false
}

// explain names what made the throughput fall, as far as the recording settles it.
func (f *fall) explain(fallen []slowdown) []session.Finding {
	hot, confidence := f.hotDrops(fallen)
	var rest []slowdown
	for _, d := range fallen {
		if !slices.ContainsFunc(hot, func(other slowdown) bool { return other.at == d.at }) {
			rest = append(rest, d)
		}
	}
	var found []session.Finding
	if len(hot) > 0 {
		found = append(found, f.heatThrottle(hot, confidence))
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
	case provisioned(f.session):
		return append(found, f.creditExhausted(*lasting, 0.9))
	case lasting.notCache(f.pass, f.counters) == "" && (lasting.notHeat(f.counters) != "" || !lasting.known):
		return append(found, f.cacheExhausted(*lasting))
	case !lasting.known && f.pass.Operation == load.Read && evenLevels(f.pass, *lasting):
		return append(found, f.creditExhausted(*lasting, 0.7))
	case len(hot) > 0:
		return found
	}
	return append(found, f.unsettled(rest))
}

// hotDrops gives those drops that heat explains, and how sure that is.
func (f *fall) hotDrops(fallen []slowdown) ([]slowdown, float64) {
	counters := f.counters
	var hot []slowdown
	cycles, lowest, highest := 0, unit.Celsius(math.Inf(1)), unit.Celsius(math.Inf(-1))
	for _, d := range fallen {
		if !d.known || f.heat.still || d.notHeat(slowdownCounts{}) != "" && !d.cutOff(hot) {
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
	case f.pass.Operation == load.Read && len(hot) > 0:
		return hot, 0.75
	case sawTooth(fallen):
		return fallen, 0.7
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
	return last.cycle() && math.Abs(float64(d.temperature-last.temperature)) <= sameTemperature &&
		d.lasts() <= 1.3*last.lasts() &&
		math.Abs(float64(d.after.rate/last.after.rate)-1) <= 0.2
}

// withoutLasting leaves out a last drop of a write that does not end, unless it
// is like those that do.
func withoutLasting(hot []slowdown) []slowdown {
	last := hot[len(hot)-1]
	if len(hot) > 1 && !last.returns() && last.lasts() > 2*hot[0].lasts() &&
		float64(last.after.rate) < 0.8*float64(hot[0].after.rate) {
		return hot[:len(hot)-1]
	}
	return hot
}

// sawTooth says whether drops without temperatures come and go as a hysteresis
// makes them: at least three times, for stretches of like length, between the
// same two levels.
func sawTooth(fallen []slowdown) bool {
	var lengths, slow []float64
	for _, d := range fallen {
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
func lastingDrop(fallen []slowdown) *slowdown {
	for i := range fallen {
		if d := &fallen[i]; !d.returns() && d.lasts() >= settledSeconds {
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

// rejections lists the causes that were looked at and why they are not it, in the
// order of their names.
func rejections(why map[string]string) []session.Rejection {
	var rejected []session.Rejection
	for cause, reason := range why {
		if reason != "" {
			rejected = append(rejected, session.Rejection{Kind: cause, Why: reason})
		}
	}
	slices.SortFunc(rejected, func(a, b session.Rejection) int { return strings.Compare(a.Kind, b.Kind) })
	return rejected
}

// worst is of the slowest samples of a pass; it is part of several kinds' evidence.
type worst struct {
	// SlowestHundredth is what all but the slowest hundredth of the samples reached.
	SlowestHundredth unit.BytesPerSecond `json:"p1_bytes_per_second,omitempty"`
	Slowest          unit.BytesPerSecond `json:"worst_sample_bytes_per_second"`
}

func worstOf(pass *session.Pass) worst {
	var rates []float64
	for _, sample := range pass.Samples {
		rates = append(rates, float64(sample.BytesPerSecond))
	}
	slices.Sort(rates)
	var w worst
	if len(rates) >= 100 {
		w.SlowestHundredth = rate(math.Round(rates[len(rates)/100]))
	}
	if len(rates) > 0 {
		w.Slowest = rate(math.Round(rates[0]))
	}
	return w
}

// bytesUntil is how much a pass had moved by a time.
func bytesUntil(pass *session.Pass, at float64) unit.Bytes {
	var bytes unit.Bytes
	for _, sample := range pass.Samples {
		if sample.TSeconds > at+1e-9 {
			break
		}
		bytes += sample.Bytes
	}
	return bytes
}
