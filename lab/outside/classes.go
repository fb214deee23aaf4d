package outside

import (
	"math"
	"math/rand/v2"
)

const (
	heat      = "heat-throttle"
	area      = "cache-exhausted"
	allowance = "credit-exhausted"
	linkFell  = "link-degraded"
	gone      = "dropout"
	others    = "background-load"
)

// classes are all.
var classes = append(named, open...)

// named are those whose cause is on the list.
var named = []Class{
	{Name: "steady", Healthy: true, set: func(*rand.Rand, *world) {}},
	{Name: "steady, no thermometer", Healthy: true, set: func(_ *rand.Rand, w *world) { w.sensors = nil }},
	{Name: "neighbours alike", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.alike, w.noise = uniform(r, 0.8, 0.95), uniform(r, 0.01, 0.035)
	}},
	{Name: "outliers", Healthy: true, set: func(r *rand.Rand, w *world) { w.tails = uniform(r, 0.01, 0.04) }},
	{Name: "slow drift", Healthy: true, set: func(r *rand.Rand, w *world) {
		loss := uniform(r, 0.03, 0.18)
		w.policy = func(w *world) float64 { return 1 - loss*w.now/w.seconds }
	}},
	{Name: "a disk's zones", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.full, w.seconds, w.step = uniform(r, 150e6, 290e6), uniform(r, 3600, 9000), pick(r, 5, 10, 30)
		inner, zones := uniform(r, 0.42, 0.55), 12+float64(r.IntN(12))
		w.policy = func(w *world) float64 {
			zone := math.Floor(w.now/w.seconds*zones) / zones
			return math.Sqrt(1 - (1-inner*inner)*zone)
		}
	}},
	{Name: "warm-up ramp", Healthy: true, set: func(r *rand.Rand, w *world) {
		low, lasts := uniform(r, 0.3, 0.8), uniform(r, 3, 30)
		w.policy = func(w *world) float64 { return 1 - (1-low)*math.Exp(-w.now/lasts) }
	}},
	{Name: "regular housekeeping", Healthy: true, set: func(r *rand.Rand, w *world) {
		every, lasts, to := uniform(r, 15, 70), uniform(r, 1, 4), uniform(r, 0.2, 0.8)
		shift := uniform(r, 0, every)
		w.policy = func(w *world) float64 {
			if math.Mod(w.now+shift, every) < lasts {
				return to
			}
			return 1
		}
	}},
	{Name: "irregular housekeeping", Healthy: true, set: func(r *rand.Rand, w *world) {
		mean, until, to := uniform(r, 25, 90), -1.0, 1.0
		w.policy = func(w *world) float64 {
			if w.now > until && r.Float64() < tick/mean {
				until, to = w.now+uniform(r, 0.5, 5), uniform(r, 0.2, 0.8)
			}
			if w.now <= until {
				return to
			}
			return 1
		}
	}},
	{Name: "hot and healthy", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.warmTo(r, uniform(r, 62, 92))
		w.pace(uniform(r, 60, 300))
	}},
	{Name: "slow for its first seconds", Healthy: true, set: func(r *rand.Rand, w *world) {
		lasts, share := uniform(r, 1, 6), uniform(r, 0.2, 0.7)
		w.policy = func(w *world) float64 {
			if w.now < lasts {
				return share
			}
			return 1
		}
	}},
	{Name: "a limit, flat", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.noise, w.full = uniform(r, 0.001, 0.004), pick(r, 125e6, 250e6, 500e6, 1e9)
	}},
	{Name: "rows missing", Healthy: true, set: func(r *rand.Rand, w *world) {
		from, until := uniform(r, 0.2, 0.5)*w.seconds, uniform(r, 0.5, 0.8)*w.seconds
		w.hidden = func(w *world) bool { return w.now > from && w.now < until }
	}},
	{Name: "a sensor that jumps", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.sensors[0].wrong = func(r *rand.Rand, value float64) float64 {
			if r.Float64() < 0.1 {
				return pick(r, 0, 255, 20, 99)
			}
			return value
		}
	}},
	{Name: "a sensor in Fahrenheit", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.warmTo(r, uniform(r, 45, 65))
		w.sensors[0].wrong = func(_ *rand.Rand, value float64) float64 { return value*9/5 + 32 }
	}},
	{Name: "a row a minute", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.seconds, w.step = uniform(r, 7200, 14400), 60
	}},
	{Name: "a probe on the case", Healthy: true, set: func(r *rand.Rand, w *world) {
		w.warmTo(r, uniform(r, 50, 85))
		w.sensors = []*sensor{boxProbe(r)}
	}},

	{Name: "heat on and off", Kinds: []string{heat}, set: onOff(60, 240), valid: cycles(2)},
	{Name: "heat, one long cycle", Kinds: []string{heat}, set: onOff(250, 500), valid: cycles(1)},
	{Name: "heat in stages", Kinds: []string{heat}, set: stages, valid: cycles(1)},
	{Name: "heat held by a controller", Kinds: []string{heat}, set: controller,
		valid: func(w *world) bool { return w.reached && w.share < 0.8 }},
	{Name: "heat that latches, reading", Kinds: []string{heat}, set: func(r *rand.Rand, w *world) {
		onOff(100, 300)(r, w)
		w.writes = false
		on, to, latched := w.truth["on_celsius"], w.truth["slow_share"], false
		w.policy = func(w *world) float64 {
			if latched = latched || w.flash >= on; latched {
				return to
			}
			return 1
		}
		w.storage = "drive"
	}, valid: func(w *world) bool { return w.falls == 1 }},
	{Name: "heat, until a fan starts", Kinds: []string{heat}, set: fan,
		valid: func(w *world) bool { return w.falls > 0 && w.returns > 0 }},
	{Name: "heat in a hot room", Kinds: []string{heat}, set: func(r *rand.Rand, w *world) {
		w.room = uniform(r, 36, 46)
		onOff(50, 200)(r, w)
	}, valid: cycles(2)},
	{Name: "heat, seen by a slow probe", Kinds: []string{heat}, set: func(r *rand.Rand, w *world) {
		onOff(100, 260)(r, w)
		w.seconds = uniform(r, 1200, 2400)
		w.sensors = []*sensor{boxProbe(r)}
	}, valid: cycles(3)},
	{Name: "heat, a row each ten seconds", Kinds: []string{heat}, set: func(r *rand.Rand, w *world) {
		onOff(300, 700)(r, w)
		w.seconds, w.step = uniform(r, 2400, 5400), 10
	}, valid: cycles(2)},
	{Name: "heat for hours", Kinds: []string{heat}, set: func(r *rand.Rand, w *world) {
		onOff(150, 500)(r, w)
		w.seconds, w.step = uniform(r, 7200, 14000), pick(r, 1, 2, 5)
	}, valid: cycles(4)},

	{Name: "write area, cool", Kinds: []string{area}, set: cliff, valid: fellOnce},
	{Name: "write area, several cliffs", Kinds: []string{area}, set: func(r *rand.Rand, w *world) {
		cliff(r, w)
		first := w.truth["area_bytes"]
		second, middle := first*uniform(r, 1.5, 2.2), uniform(r, 0.45, 0.75)
		low := middle * uniform(r, 0.3, 0.7)
		w.policy = func(w *world) float64 {
			switch {
			case w.moved < first:
				return 1
			case w.moved < second:
				return middle
			}
			return low
		}
	}, valid: func(w *world) bool { return w.falls == 2 }},
	{Name: "write area, gradual", Kinds: []string{area}, set: func(r *rand.Rand, w *world) {
		cliff(r, w)
		first, low, width := w.truth["area_bytes"], w.truth["slow_share"], uniform(r, 0.1, 0.4)
		w.policy = func(w *world) float64 {
			past := min(max((w.moved-first)/(first*width), 0), 1)
			return 1 - (1-low)*past
		}
	}},
	{Name: "write area, refilled by rests", Kinds: []string{area}, set: rests, valid: cycles(1)},
	{Name: "write area, refilled all the time", Kinds: []string{area}, set: func(r *rand.Rand, w *world) {
		cliff(r, w)
		w.seconds = uniform(r, 900, 1800)
		low, first := w.truth["slow_share"], w.truth["area_bytes"]
		burst, pause, until, from := uniform(r, 0.03, 0.1)*first, uniform(r, 40, 90), 0.0, 0.0
		fast, spent := true, 0.0
		left := first
		w.policy = func(w *world) float64 {
			if fast && w.moved-spent >= left {
				fast, from, until = false, w.now, w.now+pause*uniform(r, 0.9, 1.1)
			}
			if !fast && w.now > until && from > 0 {
				fast, spent, left = true, w.moved, burst*uniform(r, 0.9, 1.1)
			}
			if fast {
				return 1
			}
			return low
		}
	}, valid: cycles(3)},
	{Name: "write area, hot and level", Kinds: []string{area}, set: func(r *rand.Rand, w *world) {
		w.warmTo(r, uniform(r, 60, 74))
		w.pace(uniform(r, 40, 90))
		fast := w.pace
		cliff(r, w)
		fast(uniform(r, 40, 80))
		w.seconds = uniform(r, 900, 1500)
		size := w.full * w.seconds * uniform(r, 0.5, 0.7)
		low := w.truth["slow_share"]
		w.truth["area_bytes"] = size
		w.policy = func(w *world) float64 {
			if w.moved < size {
				return 1
			}
			return low
		}
	}, valid: fellOnce},
	{Name: "write area, a probe on the case", Kinds: []string{area}, set: func(r *rand.Rand, w *world) {
		cliff(r, w)
		w.sensors = []*sensor{boxProbe(r)}
		w.storage = "drive"
	}, valid: fellOnce},

	{Name: "allowance, reading", Kinds: []string{allowance}, set: bucket(false, "volume"), valid: fellOnce},
	{Name: "allowance, writing", Kinds: []string{allowance}, set: bucket(true, "volume"), valid: fellOnce},
	{Name: "allowance, a thermometer beside it", Kinds: []string{allowance}, set: func(r *rand.Rand, w *world) {
		bucket(r.IntN(2) == 0, "volume")(r, w)
		wave, at := uniform(r, 0.2, 1), uniform(r, 30, 50)
		w.sensors = []*sensor{{column: "temperature_celsius:host", steps: pick(r, 0, 1),
			of: func(w *world) float64 { return at + wave*math.Sin(w.now/90) }}}
	}, valid: fellOnce},
	{Name: "allowance, refilled by rests", Kinds: []string{allowance}, set: bucketRests, valid: cycles(1)},

	{Name: "link falls, relinking", Kinds: []string{linkFell}, set: linkFalls(true), valid: fellAtAll},
	{Name: "link falls, between known rates", Kinds: []string{linkFell}, set: linkFalls(false), valid: fellAtAll},

	{Name: "gone once", Kinds: []string{gone}, set: outages(1, 5, 40)},
	{Name: "gone again and again", Kinds: []string{gone}, set: outages(3, 4, 25)},
	{Name: "gone for good", Kinds: []string{gone}, set: func(r *rand.Rand, w *world) {
		at := uniform(r, 0.3, 0.9) * w.seconds
		w.seconds = max(w.seconds, at+20)
		w.policy = func(w *world) float64 {
			w.absent = w.now > at
			return 1
		}
	}},
	{Name: "gone, blank rows", Kinds: []string{gone}, set: func(r *rand.Rand, w *world) {
		outages(1, 8, 40)(r, w)
		w.step, w.blanks = pick(r, 0.5, 1, 1, 2), true
	}},
	{Name: "gone, with errors", Kinds: []string{gone}, set: func(r *rand.Rand, w *world) {
		outages(2, 3, 20)(r, w)
		w.step = pick(r, 0.5, 1)
		policy := w.policy
		w.policy = func(w *world) float64 {
			share := policy(w)
			if w.absent && r.Float64() < 0.2 {
				w.messages = 1 + r.IntN(4)
			}
			return share
		}
	}},

	{Name: "somebody else for a while", Kinds: []string{others}, set: somebody(1, 2), valid: func(w *world) bool {
		return w.returns > 0
	}},
	{Name: "noisy neighbours", Kinds: []string{others}, set: somebody(4, 9), valid: func(w *world) bool {
		return w.returns > 2
	}},

	{Name: "heat, then the cliff", Kinds: []string{heat, area}, set: func(r *rand.Rand, w *world) {
		onOff(60, 160)(r, w)
		w.writes, w.seconds = true, uniform(r, 1400, 2200)
		size := w.full * w.seconds * uniform(r, 0.3, 0.45)
		low := w.truth["slow_share"] * uniform(r, 0.2, 0.5)
		policy := w.policy
		w.policy = func(w *world) float64 {
			w.reached = w.moved > size
			if w.reached {
				return low
			}
			return policy(w)
		}
	}, valid: func(w *world) bool { return w.reached && w.returns >= 2 }},
	{Name: "the cliff, then heat", Kinds: []string{area, heat}, set: cliffThenHeat,
		valid: func(w *world) bool { return w.falls >= 3 && w.returns >= 2 && w.reached }},
	{Name: "allowance, and neighbours", Kinds: []string{allowance, others}, set: func(r *rand.Rand, w *world) {
		bucket(false, "volume")(r, w)
		w.seconds = uniform(r, 1200, 2400)
		policy, until, next := w.policy, -1.0, uniform(r, 30, 100)
		w.policy = func(w *world) float64 {
			share := policy(w)
			if w.now > next {
				until = w.now + uniform(r, 20, 60)
				next = until + uniform(r, 60, 200)
			}
			if w.now < until {
				share *= 0.55
			}
			return share
		}
	}, valid: cycles(3)},
}
