package conduct

import (
	"context"
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// cooling is storage that cools towards the air, or has no thermometer.
type cooling struct {
	now      time.Duration
	from, to float64
	silent   bool
}

func (c *cooling) Now() time.Duration                         { return c.now }
func (c *cooling) Wait(_ context.Context, span time.Duration) { c.now += span }
func (c *cooling) Temperature() (unit.Celsius, bool) {
	const timeConstant = 200.0
	return unit.Celsius(c.to + (c.from-c.to)*math.Exp(-c.now.Seconds()/timeConstant)), !c.silent
}

func TestRest(t *testing.T) {
	celsius := func(value unit.Celsius) *unit.Celsius { return &value }
	for name, c := range map[string]struct {
		in       cooling
		before   Before
		from, to time.Duration // for how long it rests
		start    *unit.Celsius // about
		says     string
	}{
		"until it is as warm as it was": {cooling{from: 60, to: 30}, Before{Start: celsius(35), Most: time.Hour},
			270 * time.Second, 300 * time.Second, celsius(37), ""},
		"at the first visit until nothing changes": {cooling{from: 60, to: 30}, Before{Most: time.Hour},
			400 * time.Second, 700 * time.Second, celsius(32.7), ""},
		"as long as it was used": {cooling{from: 36, to: 36}, Before{Start: celsius(36), Least: 5 * time.Minute,
			Most: time.Hour}, 5 * time.Minute, 5 * time.Minute, celsius(36), ""},
		"no longer than it may": {cooling{from: 90, to: 50}, Before{Start: celsius(36), Most: 3 * time.Minute},
			3 * time.Minute, 3*time.Minute + lookEvery, celsius(66), "it began at"},
		"less than it was used": {cooling{from: 36, to: 36}, Before{Start: celsius(36), Least: 2 * time.Hour,
			Most: time.Hour}, time.Hour, time.Hour, celsius(36), "had been used for 2 h"},
		"a room that has cooled": {cooling{from: 30, to: 30}, Before{Start: celsius(40), Most: time.Hour},
			time.Minute, 3 * time.Minute, celsius(30), "and at its first visit at 40"},
		"without a thermometer": {cooling{silent: true}, Before{Least: time.Minute, Most: time.Hour},
			time.Minute, time.Minute, nil, ""},
		"one that is silent now": {cooling{silent: true}, Before{Start: celsius(36), Most: time.Hour}, 0, 0, nil,
			"does not say how warm it is any more"},
	} {
		start, unprepared := rest(context.Background(), &c.in, c.before)
		if c.in.now < c.from || c.in.now > c.to {
			t.Errorf("%s: it rests for %s, want %s to %s", name, c.in.now, c.from, c.to)
		}
		if (start == nil) != (c.start == nil) || start != nil && !(math.Abs(float64(*start-*c.start)) <= 1) {
			t.Errorf("%s: it begins at %v, want about %v", name, start, c.start)
		}
		if got := strings.Join(unprepared, "; "); !strings.Contains(got, c.says) || (c.says == "") != (got == "") {
			t.Errorf("%s: %q, want %q", name, got, c.says)
		}
	}
	stopped, stop := context.WithCancel(context.Background())
	stop()
	in := cooling{from: 90, to: 30}
	if rest(stopped, &in, Before{Start: new(unit.Celsius), Most: time.Hour}); in.now > time.Minute {
		t.Errorf("once it is stopped it rests for %s", in.now)
	}
}

// A session whose program died has no end, and no time runs backwards for that.
func TestASessionWithoutAnEndWasUsedForItsPasses(t *testing.T) {
	at := time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC)
	passes := []session.Pass{{StartedSeconds: 5, ElapsedSeconds: 60}, {StartedSeconds: 70, ElapsedSeconds: 30}}
	for _, c := range []struct {
		of   session.Session
		want time.Duration
	}{
		{session.Session{Started: at, Ended: at.Add(3 * time.Minute), Passes: passes}, 3 * time.Minute},
		{session.Session{Started: at, Passes: passes}, 100 * time.Second}, {session.Session{Started: at}, 0},
	} {
		if got := usedFor(&c.of); got != c.want {
			t.Errorf("used for %s, want %s", got, c.want)
		}
	}
}
