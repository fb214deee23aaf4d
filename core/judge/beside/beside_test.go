package beside

import (
	"math"
	"testing"

	"opengauge/core/bench/sensor"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func pass(rate float64, frames ...float64) session.Pass {
	p := session.Pass{Load: load.New(load.Read, load.Random, 4096, 8), BytesPerSecond: unit.BytesPerSecond(rate),
		ElapsedSeconds: 4, Operations: 100, Bytes: 4 << 20}
	for i := range 4 {
		sample := session.Sample{TSeconds: float64(i + 1)}
		if i < len(frames) {
			sample.Readings = map[string]float64{"game": frames[i]}
		}
		p.Samples = append(p.Samples, sample)
	}
	return p
}

func TestWhatEachLoses(t *testing.T) {
	game := sensor.Figure{Name: "game", Key: "game", Quantity: sensor.Number, Unit: "frames/s", Better: sensor.Higher}
	rest := session.Rest{ElapsedSeconds: 5}
	for i := range 6 {
		rest.Samples = append(rest.Samples, session.RestSample{TSeconds: float64(i),
			Readings: map[string]float64{"game": 60}})
	}
	rest.Samples[0].Readings["game"] = 5 // it only just began
	with := &session.Session{Name: "with", Instruments: []sensor.Figure{game}, Rests: []session.Rest{rest},
		Passes: []session.Pass{pass(300e6, 44, 46, 45, 45), pass(100e6, 45)}}
	without := &session.Session{Name: "alone", Passes: []session.Pass{pass(400e6)}}
	pairs := Of([]*session.Session{without, with})
	if len(pairs) != 1 {
		t.Fatalf("%+v", pairs)
	}
	p := pairs[0]
	storage, both := p.Storage.Loses(false)
	other, known := p.Other.Loses(p.Lower)
	if p.Session != "with" || !both || !known || !(math.Abs(storage-0.25) <= 1e-9) || !(math.Abs(other-0.25) <= 1e-9) {
		t.Errorf("%+v: the storage loses %v, the game %v", p, storage, other)
	}
	alone := Of([]*session.Session{with})
	if _, known := alone[0].Storage.Loses(false); known || !math.IsNaN(alone[0].Storage.Alone) {
		t.Errorf("nobody measured the storage alone: %+v", alone[0])
	}
	game.Better = sensor.Lower
	with.Instruments[0] = game
	if lost, _ := Of([]*session.Session{with})[0].Other.Loses(true); !(math.Abs(lost+0.25) <= 1e-9) {
		t.Errorf("fewer of what should be few is a loss of %v", lost)
	}
	with.Instruments[0].Quantity = sensor.Power
	if pairs := Of([]*session.Session{with}); pairs != nil {
		t.Errorf("a power is taken for another load: %+v", pairs)
	}
}
