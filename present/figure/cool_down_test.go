package figure

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// rested is a session whose drive cools down to 30 °C with a time constant.
func rested(name string, start, constant float64) *session.Session {
	rest := session.Rest{ElapsedSeconds: 120}
	for i := range 121 {
		celsius := 30 + (start-30)*math.Exp(-float64(i)/constant)
		rest.Samples = append(rest.Samples, session.RestSample{TSeconds: float64(i),
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(celsius)}})
	}
	return &session.Session{ID: name, Name: name, Rests: []session.Rest{rest}}
}

func TestCoolDown(t *testing.T) {
	c, ok := NewCoolDown([]*session.Session{rested("limpet", 70, 40), {Name: "none"}, rested("barnacle", 60, 20)})
	if !ok || len(c.Curves) != 2 || c.Seconds != 120 {
		t.Fatalf("%d curves over %v s", len(c.Curves), c.Seconds)
	}
	if message := c.Head().Message; message != "limpet cools from 70 °C to 32 °C, with a time constant of 39.9 s" {
		t.Errorf("it says %q", message)
	}
	if summary := c.Summary(); !strings.Contains(summary, "barnacle, drive: from 60 °C to 30.1 °C, time constant 20 s (") {
		t.Errorf("in words: %s", summary)
	}
	if rows := c.Table().Rows; len(rows) != 2 || rows[1][0] != "barnacle" {
		t.Errorf("its table is %v", rows)
	}
	first := c.Curves[0]
	if at := first.Fitted.Points[20]; !(math.Abs(at.Value-(30+40*math.Exp(-at.Seconds/40))) <= 0.3) {
		t.Errorf("the exponential is at %v °C after %v s", at.Value, at.Seconds)
	}
	if _, ok := NewCoolDown([]*session.Session{{}}); ok {
		t.Error("a session without a rest has a figure")
	}
}

// A meter's own times are drawn, and what was read with the samples where it has none.
func TestTheLaneOfPower(t *testing.T) {
	pass := &session.Pass{ElapsedSeconds: 2, Samples: []session.Sample{
		{TSeconds: 1, Readings: map[string]float64{"usb_power_watts": 3, "power_watts": 5, "processor_watts": 30}},
		{TSeconds: 2, Readings: map[string]float64{"usb_power_watts": 4, "power_watts": 6, "lid_fan_rpm": 900}},
	}, Tracks: []session.Track{{Key: "usb_power_watts", TSeconds: []float64{-0.4, 0.3, 1.6}, Values: []float64{1, 2, 3}}}}
	lines := powerLines(pass)
	if len(lines) != 2 || lines[0].Name != "storage" || lines[1].Name != "usb" || len(lines[1].Points) != 2 ||
		lines[1].Points[0] != (Point{0.3, 2}) || lines[0].Points[1] != (Point{2, 6}) {
		t.Errorf("%+v", lines)
	}
	trace := HeatTrace{Power: lines, Throughput: Line{Points: []Point{{0, 1}, {2, 1}}}}
	if lanes := trace.Lanes(); len(lanes) != 2 || lanes[1].Unit != "W" {
		t.Errorf("its lanes are %+v", lanes)
	}
	if with, without := trace.Height(1000), (HeatTrace{}).Height(1000); !(with >= without+powerHeight) {
		t.Errorf("it is %v high, and %v without power", with, without)
	}
}
