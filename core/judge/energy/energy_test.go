package energy

import (
	"math"
	"testing"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// track is a meter that is read every so many seconds from a moment on.
func track(key string, from, to, every float64, watts func(t float64) float64) session.Track {
	made := session.Track{Key: key}
	for t := from; t <= to; t += every {
		made.TSeconds, made.Values = append(made.TSeconds, t), append(made.Values, watts(t))
	}
	return made
}

// steadyPass moves 100 MB every second for so many seconds.
func steadyPass(seconds int, readings map[string]float64) *session.Pass {
	p := &session.Pass{ElapsedSeconds: float64(seconds)}
	for i := range seconds {
		p.Samples = append(p.Samples, session.Sample{TSeconds: float64(i + 1), ElapsedSeconds: 1, Bytes: 100e6,
			Readings: readings})
	}
	return p
}

func close(got, want, share float64) bool { return math.Abs(got-want) <= share*math.Abs(want) }

// The energy of a line from 2 to 12 W over 10 s is 70 J, however often the meter is read.
func TestEnergyOverTheMetersOwnTimes(t *testing.T) {
	line := func(t float64) float64 { return 2 + t }
	for _, every := range []float64{0.05, 0.7, 1.3} {
		p := steadyPass(10, map[string]float64{"usb_power_watts": 999}) // what was read with the samples is not asked
		p.Tracks = []session.Track{track("usb_power_watts", -1.1, 12, every, line)}
		d, ok := OfStorage(&session.Session{}, p)
		joules, known := d.JoulesPerGB()
		if !ok || !known || !close(d.Joules, 70, 0.02) || !close(d.MeanWatts, 7, 0.02) || !close(joules, 70, 0.02) ||
			!close(d.CoveredSeconds, 10, 0.001) || !close(d.PeakWatts, 12, 0.01) || d.Bytes != unit.GB {
			t.Errorf("every %v s: %+v, %v J/GB", every, d, joules)
		}
	}
}

// In a gap nothing is known: it is neither no power nor what stood beside it.
func TestGapsAreNoWatts(t *testing.T) {
	p := steadyPass(100, nil)
	ten := track("usb_power_watts", 0, 20, 1, func(float64) float64 { return 10 })
	rest := track("usb_power_watts", 60, 100, 1, func(float64) float64 { return 20 })
	ten.TSeconds, ten.Values = append(ten.TSeconds, rest.TSeconds...), append(ten.Values, rest.Values...)
	p.Tracks = []session.Track{ten}
	d, ok := OfStorage(&session.Session{}, p)
	// 0 to 21 s at 10 W and 59 to 100 s at 20 W: 1030 J in 62 s, for 6.2 GB.
	joules, _ := d.JoulesPerGB()
	if !ok || !close(d.CoveredSeconds, 62, 1e-9) || !close(d.Joules, 1030, 1e-9) || !close(joules, 1030/6.2, 1e-6) {
		t.Errorf("%+v, %v J/GB", d, joules)
	}
	p.Tracks[0].TSeconds, p.Tracks[0].Values = p.Tracks[0].TSeconds[:20], p.Tracks[0].Values[:20]
	if d, ok := OfStorage(&session.Session{}, p); ok {
		t.Errorf("a meter that said something for a fifth of the pass tells %+v", d)
	}
	if d := Of(&session.Session{}, steadyPass(5, nil)); d != nil {
		t.Errorf("without a meter there is %+v", d)
	}
}

// What a whole machine draws idle is taken off, where a rest says it, and only there.
func TestAWholeMachine(t *testing.T) {
	p := steadyPass(10, map[string]float64{"wall_machine_watts": 65, "processor_power_watts": 30})
	s := &session.Session{}
	d := Of(s, p)
	if len(d) != 1 || !d[0].Machine || !close(d[0].MeanWatts, 65, 1e-9) || !math.IsNaN(d[0].IdleWatts) {
		t.Fatalf("%+v", d)
	}
	if _, known := d[0].JoulesPerGB(); known {
		t.Error("the energy of a whole machine is taken for the storage's")
	}
	rest := session.Rest{ElapsedSeconds: 20}
	for i := range 20 {
		watts := 80.0 // it goes on for a while
		if i >= 8 {
			watts = 60
		}
		rest.Samples = append(rest.Samples, session.RestSample{TSeconds: float64(i),
			Readings: map[string]float64{"wall_machine_watts": watts}})
	}
	s.Rests = []session.Rest{{ElapsedSeconds: 1, Samples: rest.Samples[8:]}, rest}
	d = Of(s, p)
	joules, known := d[0].JoulesPerGB()
	rate, _ := d[0].BytesPerJoule()
	if !known || !close(d[0].IdleWatts, 60, 1e-9) || !close(joules, 50, 1e-9) || !close(rate, 20e6, 1e-9) {
		t.Errorf("%+v, %v J/GB", d[0], joules)
	}
	if r := OfRest(&s.Rests[1]); len(r) != 1 || !close(r[0].PeakWatts, 80, 1e-9) || !close(r[0].CoveredSeconds, 19, 1e-9) {
		t.Errorf("the rest is %+v", r)
	}
	both := steadyPass(10, map[string]float64{"a_machine_watts": 65, "usb_power_watts": 4})
	if d, ok := OfStorage(s, both); !ok || d.Machine || !close(d.MeanWatts, 4, 1e-9) {
		t.Errorf("the storage's own meter does not go first: %+v", d)
	}
}
