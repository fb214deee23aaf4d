package move

import (
	"math"

	"opengauge/core/unit"
)

// Crossing is an amount from which on another curve is ahead.
type Crossing struct {
	Amount unit.Bytes
	// Before and After are the numbers of the curves that are ahead, 0 for the first
	// and 1 for the second.
	Before, After int
}

const (
	// leastLead is by how much a curve has to be ahead for it to be told, as a share of
	// the time: what is less is neither's.
	leastLead = 0.02
	// leastSeconds is how long an amount takes at the least for anything to be told of
	// it: less is what starting costs.
	leastSeconds = 1.0
	// perDecade is how many amounts a decade are looked at.
	perDecade = 60
)

// Crossings are the amounts at which the one of two curves that is ahead changes, as far
// as the times of both are known.
func Crossings(a, b *Curve) []Crossing {
	reach := reachOf(a, b)
	if reach <= 0 {
		return nil
	}
	lead := func(amount float64) float64 {
		x, y := a.For(unit.Bytes(amount)), b.For(unit.Bytes(amount))
		if !x.Known() || !y.Known() || max(x.Seconds, y.Seconds) < leastSeconds {
			return 0
		}
		return leadOf(x, y)
	}
	var found []Crossing
	ahead, from := 0.0, 0.0
	steps := int(math.Ceil(math.Log10(reach/1e6) * perDecade))
	for i := 0; i <= steps; i++ {
		amount := min(1e6*math.Pow(10, float64(i)/perDecade), reach)
		now := lead(amount)
		if math.Abs(now) < leastLead {
			continue
		}
		if ahead*now < 0 {
			found = append(found, Crossing{Amount: unit.Bytes(meeting(lead, from, amount)), Before: which(ahead),
				After: which(now)})
		}
		ahead, from = now, amount
	}
	return found
}

// Alike is the amount up to which two curves take the same time, but for so little that
// it is neither's; 0 where they do not.
func Alike(a, b *Curve) unit.Bytes {
	reach, alike := reachOf(a, b), 0.0
	for amount := 1e9; amount <= reach; amount *= 1.005 {
		x, y := a.For(unit.Bytes(amount)), b.For(unit.Bytes(amount))
		if !x.Known() || !y.Known() || math.Abs(leadOf(x, y)) >= leastLead {
			break
		}
		alike = amount
	}
	return unit.Bytes(alike)
}

// leadOf is by how much the first of two times is ahead, on the scale of logarithms; below
// 0 the second is.
func leadOf(a, b Time) float64 { return math.Log(b.Seconds / a.Seconds) }

func which(lead float64) int {
	if lead > 0 {
		return 0
	}
	return 1
}

// reachOf is as far as both are known, in bytes.
func reachOf(a, b *Curve) float64 {
	const boundless = 100e12
	reach := boundless
	for _, c := range []*Curve{a, b} {
		if far := c.Reach(); far > 0 {
			reach = min(reach, float64(far))
		}
		if c.Capacity > 0 {
			reach = min(reach, float64(c.Capacity))
		}
	}
	return reach
}

// meeting is where a lead changes its sign between two amounts, by bisection.
func meeting(lead func(float64) float64, low, high float64) float64 {
	sign := lead(low)
	for range 40 {
		middle := (low + high) / 2
		if lead(middle)*sign > 0 {
			low = middle
		} else {
			high = middle
		}
	}
	return high
}
