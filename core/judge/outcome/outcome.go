// Package outcome sums up a session besides how fast it was: whether it vanished, its failures, how warm it
// grew, the effect of its fan, and the power it drew. It only reads sessions and findings, and its functions
// may be called at once.
package outcome

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/cooling"
	"opengauge/core/judge/energy"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Outcome is the fate of a session besides its speed.
type Outcome struct {
	// Seconds is for how long it measured, and Bytes the data it moved.
	Seconds float64
	Bytes   unit.Bytes
	// Dropouts is how often the device vanished or stopped answering, Errors how many
	// operations failed, and CutShort how many passes and copies did not come to their
	// end.
	Dropouts int
	Errors   int64
	CutShort int
	// Warmest is nil where no temperature was recorded.
	Warmest *Warmest
	// Slowed is for how many seconds heat slowed it.
	Slowed float64
	// Fan is nil where no fan was seen to start.
	Fan *Fan
	// Power is nil where none was recorded.
	Power *Power
	// Cooling is how it cooled down at rest; nil where no rest tells it.
	Cooling *cooling.Curve
}

// Warmest is the highest temperature of the thermometer that tells most.
type Warmest struct {
	Sensor string
	Value  unit.Celsius
	// After is how long after the first pass began it was within a kelvin of that.
	After float64
}

// Fan is the effect of a fan that started.
type Fan struct {
	// After is when it started, in seconds since the first pass began, and At how warm it
	// was there; 0 where that is not known.
	After float64
	At    unit.Celsius
	// Cooled is by how many kelvins it was cooler a minute and more later than it had been
	// at most until then.
	Cooled float64
}

// Power is the power drawn while data was moved.
type Power struct {
	MeanWatts, PeakWatts float64
	// Machine says that it is a whole machine's, whose idle power is taken off for the energy.
	Machine bool
	// IdleWatts is the power while the storage was let be; nil without a rest.
	IdleWatts *float64
	// JoulesPerGB is the energy to move 10^9 bytes, and BytesPerJoule the data moved for one joule, which is
	// also the rate for a watt; 0 where that is not known.
	JoulesPerGB, BytesPerJoule float64
}

// Of returns the outcome of a session with its findings; its recorded findings serve where its samples are
// not at hand.
func Of(s *session.Session, findings []session.Finding) Outcome {
	o := Outcome{Slowed: slowSeconds(findings)}
	for i := range s.Passes {
		p := &s.Passes[i]
		o.Seconds = o.Seconds + p.ElapsedSeconds
		o.Bytes = o.Bytes + p.Bytes
		o.Errors = o.Errors + p.Errors
		if p.CutShort {
			o.CutShort++
		}
	}
	for i := range s.Copies {
		c := &s.Copies[i]
		o.Seconds = o.Seconds + c.ElapsedSeconds
		o.Bytes = o.Bytes + c.Bytes
		if c.CutShort {
			o.CutShort++
		}
	}
	if len(s.MergedFrom) > 0 { // its passes are those of its members
		o.addContentions(s.Contentions)
	}
	for _, f := range findings {
		if f.Kind == finding.DropoutKind {
			o.Dropouts++
		}
	}
	trace := traceOf(s)
	o.Warmest = trace.warmest()
	o.Fan = trace.fan()
	o.Power = powerOf(s)
	if curve, ok := cooling.Told(s); ok {
		o.Cooling = &curve
	}
	return o
}

// addContentions adds the work of several hosts at once: the time counts once.
func (o *Outcome) addContentions(contentions []session.Contention) {
	for i := range contentions {
		longest := 0.0
		for j := range contentions[i].Members {
			p := &contentions[i].Members[j].Together
			longest = max(longest, p.ElapsedSeconds)
			o.Bytes = o.Bytes + p.Bytes
			o.Errors = o.Errors + p.Errors
		}
		o.Seconds += longest
	}
}

// Failed says whether the storage failed: it vanished, or operations did not come back
// well.
func (o *Outcome) Failed() bool { return o.Dropouts > 0 || o.Errors > 0 }

// Clean says whether nothing happened at all.
func (o *Outcome) Clean() bool { return !o.Failed() && o.CutShort == 0 }

// SlowedShare is for how much of the time heat slowed it.
func (o *Outcome) SlowedShare() float64 { return o.Slowed / max(o.Seconds, 1e-9) }

// Hourly is how often a number of things comes an hour of measuring, and Terabyte how
// often in 10^12 bytes.
func (o *Outcome) Hourly(count float64) float64   { return count / max(o.Seconds/3600, 1e-9) }
func (o *Outcome) Terabyte(count float64) float64 { return count / max(float64(o.Bytes)/1e12, 1e-9) }

// Says is the outcome in a line: "0 errors, 0 dropouts, 5 min, 313 GB, warmest 61 °C".
func (o *Outcome) Says() string {
	texts := []string{count(o.Errors, "error"), count(int64(o.Dropouts), "dropout")}
	if o.CutShort > 0 {
		texts = append(texts, count(int64(o.CutShort), "pass")+" cut short")
	}
	texts = append(texts, unit.Span(unit.Duration(o.Seconds)), o.Bytes.Decimal())
	if o.Warmest != nil {
		texts = append(texts, "warmest "+o.Warmest.Value.String())
	}
	return strings.Join(texts, ", ")
}

func count(number int64, what string) string {
	if number != 1 {
		what += map[bool]string{true: "es", false: "s"}[strings.HasSuffix(what, "s")]
	}
	return unit.Grouped(number) + " " + what
}

// Failures describes the failures, with how often they come: "vanished 2 times (4.0 an hour, 12 a TB)"; empty
// where there were none.
func (o *Outcome) Failures() string {
	var texts []string
	if o.Dropouts > 0 {
		texts = append(texts, fmt.Sprintf("vanished %s (%s)", explain.Times(o.Dropouts), o.rates(float64(o.Dropouts))))
	}
	if o.Errors > 0 && o.Dropouts == 0 {
		texts = append(texts, fmt.Sprintf("had %s (%s)", count(o.Errors, "error"), o.rates(float64(o.Errors))))
	}
	return strings.Join(texts, ", and ")
}

func (o *Outcome) rates(count float64) string {
	return fmt.Sprintf("%s an hour, %s a TB", unit.Digits(o.Hourly(count), 3), unit.Digits(o.Terabyte(count), 3))
}

// slowSeconds is for how many seconds heat slowed a session.
func slowSeconds(findings []session.Finding) float64 {
	sum := 0.0
	for _, f := range findings {
		if evidence, ok := finding.EvidenceOf[finding.HeatThrottleEvidence](f); ok && f.Kind == explain.HeatThrottle {
			sum += evidence.TimeSlow
		}
	}
	return sum
}

// moment is the readings of a session's sensors at one time.
type moment struct {
	second  float64
	pass    int
	celsius float64 // NaN where nobody said
	fan     float64 // 0 where it stands; NaN where nobody said
}

type trace struct {
	sensor  string
	moments []moment
}

// traceOf puts a session's temperatures and fans in order, of the thermometer that tells
// most: a drive's own, or else the first by name that is on the storage.
func traceOf(s *session.Session) trace {
	t := trace{}
	names := map[string]bool{}
	each := func(temperatures map[string]unit.Celsius) {
		for name := range temperatures {
			names[name] = true
		}
	}
	for i := range s.Passes {
		for _, sample := range s.Passes[i].Samples {
			each(sample.TemperaturesCelsius)
		}
	}
	t.sensor = tellingOf(names)
	first := math.Inf(1)
	for i := range s.Passes {
		first = min(first, s.Passes[i].StartedSeconds)
	}
	for i := range s.Passes {
		p := &s.Passes[i]
		for _, sample := range p.Samples {
			m := moment{second: p.StartedSeconds - first + sample.TSeconds, pass: i, celsius: math.NaN(), fan: math.NaN()}
			if value, ok := sample.TemperaturesCelsius[t.sensor]; ok && value.Believable() {
				m.celsius = float64(value)
			}
			for name, value := range sample.Readings {
				if strings.Contains(name, "fan_") {
					m.fan = value
				}
			}
			t.moments = append(t.moments, m)
		}
	}
	return t
}

// nearness is how much thermometers tell of the storage.
var nearness = map[explain.Place]int{explain.OwnSensor: 3, explain.ProbeSensor: 2, explain.HostSensor: 1}

func tellingOf(names map[string]bool) string {
	best := ""
	rank := -1
	for name := range names {
		now := nearness[explain.PlaceOf(name)]
		if now > rank || now == rank && name < best {
			best = name
			rank = now
		}
	}
	return best
}

func (t trace) warmest() *Warmest {
	highest := math.Inf(-1)
	for _, m := range t.moments {
		if m.celsius > highest {
			highest = m.celsius
		}
	}
	if math.IsInf(highest, -1) {
		return nil
	}
	at := slices.IndexFunc(t.moments, func(m moment) bool { return m.celsius >= highest-1 })
	return &Warmest{Sensor: t.sensor, Value: unit.Celsius(highest), After: t.moments[at].second}
}

// fan finds the first moment at which a fan that stood turns.
func (t trace) fan() *Fan {
	stood := false
	for i, m := range t.moments {
		switch {
		case m.fan == 0:
			stood = true
		case m.fan > 0 && stood:
			return t.fanStarts(i)
		case m.fan > 0:
			return nil // it turned from the start
		}
	}
	return nil
}

func (t trace) fanStarts(at int) *Fan {
	const settled = 60
	f := &Fan{After: t.moments[at].second}
	if warm := t.moments[at].celsius; !math.IsNaN(warm) {
		f.At = unit.Celsius(warm)
	}
	before := math.Inf(-1)
	after := math.Inf(1)
	for i, m := range t.moments {
		switch {
		case m.pass != t.moments[at].pass: // in between it may have rested
		case i <= at || m.second <= f.After+settled:
			if m.celsius > before {
				before = m.celsius
			}
		case m.celsius < after:
			after = m.celsius
		}
	}
	if !math.IsInf(before, 0) && !math.IsInf(after, 0) {
		f.Cooled = before - after
	}
	return f
}

// powerOf puts together the meters' readings of all passes: the storage's own, or else a whole machine's.
func powerOf(s *session.Session) *Power {
	var own, whole sum
	for i := range s.Passes {
		for _, draw := range energy.Of(s, &s.Passes[i]) {
			if draw.Machine {
				whole.add(draw)
				continue
			}
			own.add(draw)
			break // several meters of the storage stand one behind the other
		}
	}
	if made := own.power(); made != nil {
		return made
	}
	return whole.power()
}

// sum adds up draws of one meter.
type sum struct {
	joules, seconds, peak float64
	counted, bytes        float64
	idle                  float64
	machine               bool
}

func (t *sum) add(d energy.Draw) {
	if !d.Told() {
		return
	}
	t.joules = t.joules + d.Joules
	t.seconds = t.seconds + d.CoveredSeconds
	t.peak = max(t.peak, d.PeakWatts)
	t.idle = d.IdleWatts
	t.machine = d.Machine
	if watts, known := d.CountedWatts(); known {
		t.counted = t.counted + watts*d.CoveredSeconds
		t.bytes = t.bytes + float64(d.Bytes)
	}
}

func (t *sum) power() *Power {
	if t.seconds == 0 {
		return nil
	}
	made := &Power{MeanWatts: t.joules / t.seconds, PeakWatts: t.peak, Machine: t.machine}
	if !math.IsNaN(t.idle) {
		made.IdleWatts = &t.idle
	}
	if t.bytes > 0 && t.counted > 0 {
		made.JoulesPerGB = t.counted / (t.bytes / 1e9)
		made.BytesPerJoule = t.bytes / t.counted
	}
	return made
}
