package outside

import (
	"math"
	"math/rand/v2"
)

// open are what nobody can tell from the recording, and what is on nobody's list.
var open = []Class{
	Class{Name: "two levels, writing, no thermometer", Open: true, set: func(r *rand.Rand, w *world) {
		bucket(true, "")(r, w)
	}, valid: fellOnce},
	Class{Name: "one fall while it warms, writing", Open: true, set: func(r *rand.Rand, w *world) {
		cliff(r, w)
		w.warmTo(r, uniform(r, 74, 90))
		w.pace(w.seconds * uniform(r, 0.3, 0.5))
		low, at := w.truth["slow_share"], w.seconds*uniform(r, 0.45, 0.75)
		w.policy = func(w *world) float64 {
			if w.now < at {
				return 1
			}
			return low
		}
	}, valid: func(w *world) bool { return w.falls == 1 && w.flash > 50 }},
	Class{Name: "down to a half, reading, warm", Open: true, set: func(r *rand.Rand, w *world) {
		w.writes = false
		w.warmTo(r, uniform(r, 74, 88))
		w.pace(w.seconds * uniform(r, 0.3, 0.5))
		w.full = pick(r, 1030e6, 1890e6, 3550e6, 555e6)
		at := w.seconds * uniform(r, 0.6, 0.85)
		w.policy = func(w *world) float64 {
			if w.now < at {
				return 1
			}
			return 0.5
		}
	}},
	strange("a slow wave", func(r *rand.Rand, w *world) {
		deep, every := uniform(r, 0.2, 0.5), uniform(r, 0.2, 0.5)*w.seconds
		w.policy = func(w *world) float64 { return 1 - deep/2*(1+math.Sin(w.now/every*2*math.Pi)) }
	}),
	strange("a random walk", func(r *rand.Rand, w *world) {
		at, step := 0.0, uniform(r, 0.02, 0.05)
		w.policy = func(*world) float64 {
			at = min(max(at+step*math.Sqrt(tick)*r.NormFloat64(), -2), 0)
			return math.Exp(at)
		}
	}),
	strange("waves that quicken", func(r *rand.Rand, w *world) {
		deep := uniform(r, 0.3, 0.6)
		w.policy = func(w *world) float64 {
			return 1 - deep/2*(1+math.Sin(40*math.Pow(w.now/w.seconds, 2)))
		}
	}),
	strange("ramps down, jumps back", func(r *rand.Rand, w *world) {
		every, deep := uniform(r, 60, 200), uniform(r, 0.3, 0.7)
		w.policy = func(w *world) float64 { return 1 - deep*math.Mod(w.now, every)/every }
	}),
	strange("four levels at random", func(r *rand.Rand, w *world) {
		levels, at, mean := []float64{1, 0.75, 0.55, 0.35}, 0, uniform(r, 25, 70)
		w.policy = func(*world) float64 {
			if r.Float64() < tick/mean {
				at = r.IntN(4)
			}
			return levels[at]
		}
	}),
	strange("faster in steps", func(r *rand.Rand, w *world) {
		first, second := uniform(r, 0.2, 0.5)*w.seconds, uniform(r, 0.55, 0.8)*w.seconds
		low, middle := uniform(r, 0.2, 0.4), uniform(r, 0.5, 0.8)
		w.policy = func(w *world) float64 {
			switch {
			case w.now < first:
				return low
			case w.now < second:
				return middle
			}
			return 1
		}
	}),
	strange("a valley", func(r *rand.Rand, w *world) {
		middle, wide, deep := uniform(r, 0.4, 0.6)*w.seconds, uniform(r, 0.1, 0.2)*w.seconds, uniform(r, 0.3, 0.7)
		w.policy = func(w *world) float64 {
			return 1 - deep*math.Exp(-math.Pow((w.now-middle)/wide, 2)/2)
		}
	}),
	strange("noise that grows", func(r *rand.Rand, w *world) {
		most := uniform(r, 0.3, 0.6)
		w.policy = func(w *world) float64 { return math.Exp(-most * w.now / w.seconds * math.Abs(r.NormFloat64())) }
	}),
	strange("a beat of two", func(r *rand.Rand, w *world) {
		one, two, deep := uniform(r, 40, 60), uniform(r, 62, 90), uniform(r, 0.3, 0.6)
		w.policy = func(w *world) float64 {
			return 1 - deep/2*math.Abs(math.Sin(w.now/one)+math.Sin(w.now/two))
		}
	}),
	strange("up, down and up, warm", func(r *rand.Rand, w *world) {
		w.warmTo(r, uniform(r, 55, 75))
		low, up, down := uniform(r, 0.3, 0.6), uniform(r, 0.2, 0.4)*w.seconds, uniform(r, 0.5, 0.8)*w.seconds
		w.policy = func(w *world) float64 {
			if w.now > up && w.now < down {
				return 1
			}
			return low
		}
	}),
	strange("steps without an order", func(r *rand.Rand, w *world) {
		var at, level []float64
		for range 5 + r.IntN(5) {
			at, level = append(at, r.Float64()*w.seconds), append(level, uniform(r, 0.2, 1))
		}
		w.policy = func(w *world) float64 {
			nearest, share := math.Inf(1), 1.0
			for i := range at {
				if d := math.Abs(at[i] - w.now); d < nearest {
					nearest, share = d, level[i]
				}
			}
			return share
		}
	}),
	strange("drops, each deeper", func(r *rand.Rand, w *world) {
		every, more := uniform(r, 50, 120), uniform(r, 0.85, 0.95)
		w.policy = func(w *world) float64 {
			turn := math.Floor(w.now / every)
			if math.Mod(w.now, every) < every*0.5 {
				return 1
			}
			return math.Pow(more, 2+turn)
		}
	}),
	strange("half of what it was, then a rise", func(r *rand.Rand, w *world) {
		from := uniform(r, 0.2, 0.4) * w.seconds
		w.policy = func(w *world) float64 {
			if w.now < from {
				return 1
			}
			return min(0.4+0.5*(w.now-from)/(w.seconds-from), 1)
		}
	}),
}

func strange(name string, set func(r *rand.Rand, w *world)) Class {
	return Class{Name: "none of these: " + name, Open: true, set: set}
}
