package cooling

import (
	"math"
	"math/rand/v2"
	"testing"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// resting is a rest in which a thermometer says what a law gives.
func resting(seconds int, law func(t float64) float64) *session.Session {
	rest := session.Rest{ElapsedSeconds: float64(seconds)}
	for i := range seconds + 1 {
		rest.Samples = append(rest.Samples, session.RestSample{TSeconds: float64(i),
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(law(float64(i)))}})
	}
	return &session.Session{Rests: []session.Rest{{}, rest}}
}

func newton(start, floor, constant float64) func(float64) float64 {
	return func(t float64) float64 { return floor + (start-floor)*math.Exp(-t/constant) }
}

func TestTheTimeConstant(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	noisy := func(law func(float64) float64) func(float64) float64 {
		return func(t float64) float64 { return law(t) + random.NormFloat64()*0.3 }
	}
	whole := func(law func(float64) float64) func(float64) float64 {
		return func(t float64) float64 { return math.Round(law(t)) }
	}
	delayed := func(law func(float64) float64) func(float64) float64 { // a thermometer that still rises
		return func(t float64) float64 { return law(max(t-8, 0)) - 0.2*max(8-t, 0) }
	}
	for _, c := range []struct {
		name    string
		seconds int
		law     func(float64) float64
		want    float64 // 0 for none
		within  float64
	}{
		{"clean", 120, newton(71, 30, 40), 40, 0.02},
		{"noise", 120, noisy(newton(71, 30, 40)), 40, 0.1},
		{"whole degrees", 120, whole(newton(71, 30, 40)), 40, 0.1},
		{"still rising", 120, delayed(newton(71, 30, 40)), 40, 0.05},
		{"fast", 60, newton(50, 40, 4), 4, 0.05},
		{"a straight line tells no constant", 60, func(t float64) float64 { return 60 - t/10 }, 0, 0},
		{"too short a rest", 20, whole(newton(71, 30, 200)), 0, 0},
		{"steps up and down", 120, func(t float64) float64 { return 50 - t/30 + 5*math.Sin(t) }, 0, 0},
	} {
		curves := Of(resting(c.seconds, c.law))
		if len(curves) != 1 || curves[0].Rest != 1 || curves[0].Sensor != "drive" {
			t.Errorf("%s: %d curves", c.name, len(curves))
			continue
		}
		fit := curves[0].Fit
		switch {
		case c.want == 0 && fit != nil:
			t.Errorf("%s: it tells %+v", c.name, *fit)
		case c.want > 0 && (fit == nil || !(math.Abs(fit.TimeConstantSeconds/c.want-1) <= c.within)):
			t.Errorf("%s: it tells %+v, want %v s", c.name, fit, c.want)
		case c.want > 0 && (!(fit.Low <= c.want*1.02) || !(fit.High >= c.want*0.98)):
			t.Errorf("%s: %v s are not within %v to %v s", c.name, c.want, fit.Low, fit.High)
		}
	}
	told, ok := Told(resting(120, newton(71, 30, 40)))
	if !ok || !(math.Abs(told.Fit.At(40)-(30+41/math.E)) <= 0.1) || told.From != 71 {
		t.Errorf("after 40 s it is %v °C", told.Fit)
	}
}

func TestNothingCools(t *testing.T) {
	for name, s := range map[string]*session.Session{
		"no rest": {}, "steady": resting(60, func(float64) float64 { return 41 }),
		"warms up": resting(60, func(t float64) float64 { return 30 + t }), "short": resting(3, newton(70, 20, 1)),
	} {
		if curves := Of(s); curves != nil {
			t.Errorf("%s: %+v", name, curves)
		}
	}
}
