package outcome

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func TestOutcomeOfSeveralHosts(t *testing.T) {
	member := func(seconds float64, bytes unit.Bytes, failed int64) session.Member {
		return session.Member{Together: session.Pass{ElapsedSeconds: seconds, Bytes: bytes, Errors: failed}}
	}
	s := &session.Session{MergedFrom: []string{"a", "b"}, Contentions: []session.Contention{
		{Members: []session.Member{member(5, 100, 0), member(4, 200, 3)}}, {Members: []session.Member{member(2, 50, 0)}}}}
	if o := Of(s, nil); !(math.Abs(o.Seconds-7) <= 1e-9) || o.Bytes != 350 || o.Errors != 3 {
		t.Errorf("it came to %v s, %d B, %d errors", o.Seconds, o.Bytes, o.Errors)
	}
}

// session300 is five minutes of a drive that warms to 70 °C, when a fan starts and cools it
// to 60 °C, at 10 W and 1 GB/s.
func session300() *session.Session {
	s := &session.Session{}
	p := session.Pass{Index: 0, StartedSeconds: 20, ElapsedSeconds: 300, Bytes: 300 * unit.GB}
	for i := 1; i <= 300; i++ {
		celsius, fan := min(40+float64(i)*0.3, 70), 0.0
		if i > 120 {
			celsius, fan = max(70-float64(i-120)*0.1, 60), 1
		}
		p.Samples = append(p.Samples, session.Sample{TSeconds: float64(i), ElapsedSeconds: 1, Bytes: unit.GB,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(celsius), "host cpu": 95, "ambient": 23},
			Readings:            map[string]float64{"fan_running": fan, "power_watts": 10},
		})
	}
	s.Passes = []session.Pass{p}
	return s
}

func TestWhatBecameOfASession(t *testing.T) {
	o := Of(session300(), nil)
	if o.Warmest == nil || o.Warmest.Sensor != "drive" || o.Warmest.Value != 70 || !(math.Abs(o.Warmest.After-97) <= 1) {
		t.Errorf("warmest: %+v", o.Warmest)
	}
	if o.Fan == nil || o.Fan.After != 121 || !(math.Abs(float64(o.Fan.At)-69.9) <= 0.1) ||
		!(math.Abs(o.Fan.Cooled-10) <= 0.1) {
		t.Errorf("fan: %+v", o.Fan)
	}
	if o.Power == nil || !(math.Abs(o.Power.MeanWatts-10) <= 1e-9) || !(math.Abs(o.Power.JoulesPerGB-10) <= 1e-9) {
		t.Errorf("power: %+v", o.Power)
	}
	if want := "0 errors, 0 dropouts, 5 min, 300 GB, warmest 70 °C"; o.Says() != want {
		t.Errorf("%q, want %q", o.Says(), want)
	}
	if !o.Clean() || o.Failed() || o.Failures() != "" {
		t.Errorf("nothing happened: %+v", o)
	}
}

func TestWhatFailed(t *testing.T) {
	s := session300()
	s.Passes[0].CutShort = true
	findings := []session.Finding{
		{Kind: finding.DropoutKind}, {Kind: finding.DropoutKind},
		{Kind: explain.HeatThrottle, Evidence: session.NewEvidence(finding.HeatThrottleEvidence{TimeSlow: 45})},
	}
	o := Of(s, findings)
	if o.Dropouts != 2 || o.CutShort != 1 || o.Clean() || !o.Failed() || !(math.Abs(o.Slowed-45) <= 1e-9) {
		t.Errorf("%+v", o)
	}
	// Twice in 5 minutes and 0.3 TB.
	if got := o.Failures(); !strings.Contains(got, "vanished 2 times (24 an hour, 6.67 a TB)") {
		t.Errorf("%q", got)
	}
	errors := session300()
	errors.Passes[0].Errors = 3
	if o := Of(errors, nil); o.Failures() != "had 3 errors (36 an hour, 10 a TB)" {
		t.Errorf("%q", o.Failures())
	}
}

func TestSensorsThatSayNothing(t *testing.T) {
	s := session300()
	for i := range s.Passes[0].Samples {
		s.Passes[0].Samples[i].TemperaturesCelsius = map[string]unit.Celsius{"drive": 988}
		s.Passes[0].Samples[i].Readings = map[string]float64{"fan_running": 1}
	}
	if o := Of(s, nil); o.Warmest != nil || o.Fan != nil || o.Power != nil {
		t.Errorf("%+v %+v %+v", o.Warmest, o.Fan, o.Power)
	}
	if o := Of(&session.Session{}, nil); o.Warmest != nil || !o.Clean() {
		t.Errorf("%+v", o)
	}
}

func TestCopiesCountToo(t *testing.T) {
	s := &session.Session{Copies: []session.Copy{{ElapsedSeconds: 60, Bytes: 30 * unit.GB},
		{ElapsedSeconds: 30, Bytes: 10 * unit.GB, CutShort: true}}}
	o := Of(s, nil)
	if o.Seconds != 90 || o.Bytes != 40*unit.GB || o.CutShort != 1 || o.Clean() || o.Failed() {
		t.Errorf("%+v", o)
	}
	if got := o.Says(); got != "0 errors, 0 dropouts, 1 pass cut short, 1 min 30 s, 40 GB" {
		t.Errorf("%q", got)
	}
	if o.CutShort = 2; !strings.Contains(o.Says(), "2 passes cut short") {
		t.Errorf("%q", o.Says())
	}
}

// A drive's own thermometer tells more than a probe, and that more than the host's.
func TestTheThermometerThatTellsMost(t *testing.T) {
	for want, names := range map[string][]string{
		"drive": {"probe", "host cpu", "drive"}, "probe": {"ambient", "host cpu", "probe"}, "host cpu": {"host cpu", "room"},
		"nvme a": {"nvme b", "nvme a"},
	} {
		known := map[string]bool{}
		for _, name := range names {
			known[name] = true
		}
		if got := tellingOf(known); got != want {
			t.Errorf("of %q it is %q, want %q", names, got, want)
		}
	}
}

// What a fan did is judged within the pass in which it started.
func TestAFanIsJudgedWithinItsPass(t *testing.T) {
	s := session300()
	later := s.Passes[0]
	later.Index, later.StartedSeconds = 1, 2000
	later.Samples = []session.Sample{{TSeconds: 1, ElapsedSeconds: 1, Bytes: 1,
		TemperaturesCelsius: map[string]unit.Celsius{"drive": 30}, Readings: map[string]float64{"fan_running": 1}}}
	s.Passes = append(s.Passes, later)
	if o := Of(s, nil); o.Fan == nil || !(math.Abs(o.Fan.Cooled-10) <= 0.1) {
		t.Errorf("%+v", o.Fan)
	}
	turns := session300()
	for i := range turns.Passes[0].Samples {
		turns.Passes[0].Samples[i].Readings["fan_running"] = 1
	}
	if o := Of(turns, nil); o.Fan != nil {
		t.Errorf("it ran from the start: %+v", o.Fan)
	}
}

func TestPowerIsIntegratedOverWhatWasRecorded(t *testing.T) {
	s := session300()
	for i := range s.Passes[0].Samples {
		sample := &s.Passes[0].Samples[i]
		switch {
		case i >= 200:
			sample.Readings = nil // the meter fell silent
		case i >= 100:
			sample.Readings["power_watts"] = 20
		}
	}
	o := Of(s, nil)
	if o.Power == nil || !(math.Abs(o.Power.MeanWatts-15) <= 1e-9) || o.Power.PeakWatts != 20 ||
		!(math.Abs(o.Power.JoulesPerGB-15) <= 1e-9) {
		t.Errorf("%+v", o.Power)
	}
}
