package conduct

import (
	"context"
	"fmt"
	"math"
	"time"

	"opengauge/core/unit"
)

// room is the surroundings of a rest: a thermometer and a clock.
type room interface {
	// Temperature is how warm the storage is, as far as it says.
	Temperature() (unit.Celsius, bool)
	Now() time.Duration
	// Wait lets time go by, and ends early once the context is over.
	Wait(ctx context.Context, span time.Duration)
}

// Limits of a rest: as warm as the first time within nearEnough, or where there was no first time, no more
// than steady warmer or cooler than a minute before.
const (
	nearEnough unit.Celsius  = 2
	steady     unit.Celsius  = 1
	lookEvery  time.Duration = 5 * time.Second
	steadyFor  time.Duration = time.Minute
)

// rest waits: as long as the storage was used before at the least, so that it can look after itself, and
// until it is as warm as it was. It returns how warm it is then, and the differences from before.
func rest(ctx context.Context, in room, before Before) (start *unit.Celsius, unprepared []string) {
	began := in.Now()
	in.Wait(ctx, min(before.Least, before.Most))
	if before.Least > before.Most {
		unprepared = append(unprepared, fmt.Sprintf("it rested for %s, and had been used for %s: what it does for itself "+
			"then may not be over", unit.Span(before.Most), unit.Span(before.Least.Round(time.Second))))
	}
	now, known := in.Temperature()
	if !known {
		if before.Start != nil {
			unprepared = append(unprepared, "it does not say how warm it is any more")
		}
		return nil, unprepared
	}
	minuteAgo := now
	looked := in.Now()
	for ctx.Err() == nil && in.Now()-began < before.Most && !near(now, before.Start) {
		in.Wait(ctx, lookEvery)
		if now, known = in.Temperature(); !known {
			return nil, append(unprepared, "it does not say how warm it is any more")
		}
		if in.Now()-looked < steadyFor {
			continue
		}
		still := math.Abs(float64(now-minuteAgo)) < float64(steady)
		if still && (before.Start == nil || now < *before.Start) {
			break
		}
		minuteAgo = now
		looked = in.Now()
	}
	if before.Start != nil && !near(now, before.Start) {
		unprepared = append(unprepared, fmt.Sprintf("it began at %s, and at its first visit at %s", now, *before.Start))
	}
	return &now, unprepared
}

func near(now unit.Celsius, start *unit.Celsius) bool {
	return start != nil && math.Abs(float64(now-*start)) <= float64(nearEnough)
}
