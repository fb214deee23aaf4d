package explain_test

import (
	"math/rand/v2"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// long is a pass with a sample a second that goes up and down at its temperature.
func long(seconds int) (*session.Session, *session.Pass) {
	r := rand.New(rand.NewPCG(5, 5))
	p := session.Pass{Step: "sustain", Load: load.New(load.Write, load.Sequential, unit.MiB, 8), Direct: true}
	celsius, slow := 30.0, false
	for i := range seconds {
		slow = celsius > 70 || slow && celsius > 62
		speed, goal := 1e9, 90.0
		if slow {
			speed, goal = 4e8, 50
		}
		celsius += (goal - celsius) / 90
		bytes := unit.Bytes(speed * (1 + 0.02*r.NormFloat64()))
		p.Samples = append(p.Samples, session.Sample{TSeconds: float64(i + 1), ElapsedSeconds: 1, Bytes: bytes,
			BytesPerSecond:      unit.BytesPerSecond(bytes),
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(int(celsius))}})
	}
	p.ElapsedSeconds = float64(seconds)
	s := &session.Session{Passes: []session.Pass{p}}
	return s, &s.Passes[0]
}

func benchmark(b *testing.B, seconds int) {
	s, p := long(seconds)
	b.ReportAllocs()
	for b.Loop() {
		if v := explain.Pass(s, p); v.Of("heat-throttle") < 0.8 {
			b.Fatalf("heat %.2f", v.Of("heat-throttle"))
		}
	}
}

func BenchmarkPassOf300Seconds(b *testing.B) { benchmark(b, 300) }
func BenchmarkPassOf24Hours(b *testing.B)    { benchmark(b, 86400) }
