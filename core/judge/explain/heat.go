package explain

import (
	"fmt"
	"math"
)

// Names of what heat explanations say of a drive.
const (
	OnFigure  = "throttle_at_celsius"
	OffFigure = "resume_at_celsius"
)

// fitOnOff is a drive that slows itself at a temperature, once or in steps, and is fast
// again at a lower one.
func fitOnOff(e *evidence) (fit, bool) {
	if len(e.changes) == 0 || !e.someFall() {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.order(e.levels, s, s.count), "the same levels come again")
	f.add(-1.2*float64(max(s.count-2, 0)), "there are %d levels", s.count)
	e.edges(&f)
	e.heatFacts(&f, e.levels, s)
	e.heatCounters(&f)
	return f, s.count > 1
}

func (e *evidence) someFall() bool {
	for _, c := range e.changes {
		if c.falls() {
			return true
		}
	}
	return false
}

// heatFacts adds what temperatures say of heat.
func (e *evidence) heatFacts(f *fit, levels []level, s states) {
	h, known := e.heatOf(levels, s)
	if !known {
		e.withoutSensors(f, levels, s)
		return
	}
	if h.sensor.place == HostSensor {
		f.add(-2, "the only temperatures are the host's")
	}
	e.fellAt(f, h)
	if h.nRises > 0 {
		f.either(h.rises, fmt.Sprintf("when it came back, it was at about %.0f °C (%s)", h.off.Value, Times(h.nRises)),
			"it came back at temperatures that are no threshold")
		f.figures = append(f.figures, h.off)
	} else {
		f.either(h.rises, "it did not come back, and did not cool by more than such a drive waits for",
			"it did not come back, as cool as it was")
	}
	f.figures = append(f.figures, h.on)
	e.rhythm(f, levels, s, 1)
	e.coupling(f, true)
}

// fellAt adds at which temperature throughput fell.
func (e *evidence) fellAt(f *fit, h heatFit) {
	f.either(h.falls, fmt.Sprintf("when it fell, the %s was at about %.0f °C (%s)", h.sensor.name, h.on.Value,
		Times(h.nFalls)), fmt.Sprintf("it fell at temperatures of the %s that are no threshold, or unlikely for one",
		h.sensor.name))
	for _, c := range e.changes {
		if !c.falls() {
			continue
		}
		if h.sensor.stood(e, c.at) {
			f.add(-1.5, "the temperature had stood still before it first fell")
		}
		break
	}
}

// Where a temperature has hardly changed for so long, in seconds or as a share of the
// time so far, and by so little, in kelvins, no threshold is crossed.
const standingSeconds, standingShare, standing = 40.0, 0.15, 0.35

// stood says whether a temperature stood still before a moving bin.
func (s *sensor) stood(e *evidence, before int) bool {
	width := e.recording.width
	bins := int(max(standingSeconds, standingShare*float64(before)*width) / width)
	if s.place != OwnSensor || bins < 8 || before < bins {
		return false
	}
	values := s.over(e.at[before-bins:before], width, 0)
	early, late := typicalOf(values[:bins/2]), typicalOf(values[bins/2:])
	low, high := math.Inf(1), math.Inf(-1)
	for _, v := range values {
		if !math.IsNaN(v) {
			low, high = min(low, v), max(high, v)
		}
	}
	return late-early <= standing && high-low <= max(2*s.grain, 1.5)
}

// Times writes "once" or "3 times".
func Times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// withoutSensors says what heat looks like that nobody measured.
func (e *evidence) withoutSensors(f *fit, levels []level, s states) {
	f.add(-0.7, "no temperature was recorded")
	if last := levels[len(levels)-1]; len(levels) == 2 && last.bins() > levels[0].bins() {
		f.add(-1.2, "it was slow for longer than it was fast, and did not come back")
	}
	if fast, slow := e.stretches(levels, s); len(fast) < 3 || len(slow) < 2 {
		return
	}
	if !e.regular(levels, s) {
		f.add(-2, "neither fast nor slow stretches are alike")
	}
	const alone = 0.7 // jobs of somebody else's have a rhythm too
	e.rhythm(f, levels, s, alone)
}

// heatCounters adds what the drive says itself.
func (e *evidence) heatCounters(f *fit) {
	switch {
	case !e.context.Counted:
	case e.context.Slowdowns > 0:
		f.add(6, "the drive counted %d slowdowns of its own", e.context.Slowdowns)
	default:
		f.add(-6, "the drive counted no slowdown of its own")
	}
}

// fitLatched is a drive that slowed itself at a temperature and stayed slow.
func fitLatched(e *evidence) (fit, bool) {
	if !e.onlyFalls(1) {
		return fit{}, false
	}
	s := e.statesOf(e.levels)
	if s.count != 2 {
		return fit{}, false
	}
	f := fit{curve: e.levelCurve(), slow: e.below()}
	f.add(e.order(e.levels, s, s.count), "one level, and a lower one")
	e.edges(&f)
	h, known := e.heatOf(e.levels, s)
	if !known {
		f.add(-1.5, "no temperature was recorded")
	} else {
		e.fellAt(&f, h)
		f.figures = append(f.figures, h.on)
		e.coupling(&f, true)
	}
	f.add(e.never(float64(e.levels[1].bins())), "it stayed slow")
	if half := e.levels[1].y - e.levels[0].y + math.Ln2; math.Abs(half) < 0.05 {
		f.add(0.5, "it fell to a half, as stages do")
	}
	e.heatCounters(&f)
	return f, true
}
