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

func boxProbe(r *rand.Rand) *sensor {
	return &sensor{column: "temperature_celsius:case-probe", of: func(w *world) float64 { return w.box },
		late: uniform(r, 5, 45), off: uniform(r, -4, 1), steps: pick(r, 0.1, 0.5, 1)}
}

func cycles(least int) func(w *world) bool {
	return func(w *world) bool { return w.falls > least && w.returns >= least }
}

func fellOnce(w *world) bool { return w.falls == 1 }

func fellAtAll(w *world) bool { return w.falls > 0 }

// onOff is a drive that slows itself at one temperature until it has cooled to
// another; its heat takes about so many seconds.
func onOff(quickest, slowest float64) func(r *rand.Rand, w *world) {
	return func(r *rand.Rand, w *world) {
		on, band, to := uniform(r, 62, 86), uniform(r, 3, 11), uniform(r, 0.12, 0.65)
		w.warmTo(r, on+uniform(r, 5, 22))
		// Slow enough that it cools below the band.
		for range 30 {
			slow := w.room + (w.idleWatts+w.joulesPerByte*w.full*to)*(w.between+w.outward)
			if slow < on-band-3 {
				break
			}
			to *= 0.85
		}
		w.pace(uniform(r, quickest, slowest))
		slowed := false
		w.truth["on_celsius"], w.truth["off_celsius"], w.truth["slow_share"] = on, on-band, to
		w.policy = func(w *world) float64 {
			if w.flash >= on {
				slowed = true
			} else if w.flash <= on-band {
				slowed = false
			}
			if slowed {
				return to
			}
			return 1
		}
		w.seconds = max(w.seconds, 700)
	}
}

// stages slow it a little, then much.
func stages(r *rand.Rand, w *world) {
	first := uniform(r, 62, 76)
	second, band := first+uniform(r, 4, 9), uniform(r, 3, 6)
	mild, hard := uniform(r, 0.6, 0.8), uniform(r, 0.15, 0.4)
	w.warmTo(r, second+uniform(r, 25, 45))
	w.pace(uniform(r, 100, 260))
	one, two := false, false
	w.policy = func(w *world) float64 {
		one = w.flash >= first || one && w.flash > first-band
		two = w.flash >= second || two && w.flash > second-band
		w.reached = w.reached || two
		switch {
		case two:
			return hard
		case one:
			return mild
		}
		return 1
	}
	w.truth["on_celsius"] = first
	w.seconds = max(w.seconds, 900)
}

// controller holds a temperature by as much as it has to.
func controller(r *rand.Rand, w *world) {
	goal := uniform(r, 64, 84)
	w.warmTo(r, goal+uniform(r, 14, 30))
	w.pace(uniform(r, 80, 200))
	share, gain, every := 1.0, uniform(r, 0.003, 0.012), uniform(r, 0.5, 2)
	next := 0.0
	w.truth["on_celsius"] = goal
	w.policy = func(w *world) float64 {
		if w.now >= next {
			next = w.now + every
			error := w.flash - goal
			share = min(max(share-gain*every*error, 0.08), 1)
			w.reached = w.reached || error > 0
		}
		return share
	}
	w.seconds = max(w.seconds, 800)
}

// fan is a drive that slows itself until its case's fan starts, and stays on.
func fan(r *rand.Rand, w *world) {
	onOff(100, 250)(r, w)
	policy, started, from := w.policy, false, uniform(r, 30, 150)
	asked, outward := -1.0, w.outward
	w.policy = func(w *world) float64 {
		share := policy(w)
		if share < 1 && asked < 0 {
			asked = w.now
		}
		if !started && asked >= 0 && w.now > asked+from {
			started = true
			w.outward = outward * 0.3
		}
		return share
	}
	w.seconds = uniform(r, 900, 1600)
}

// cliff is a cool drive whose fast write area runs out.
func cliff(r *rand.Rand, w *world) {
	w.writes, w.storage = true, []string{"drive", "drive", ""}[r.IntN(3)]
	size, low := w.full*w.seconds*uniform(r, 0.15, 0.6), uniform(r, 0.08, 0.7)
	w.truth["area_bytes"], w.truth["slow_share"] = size, low
	w.noiseBelow = uniform(r, 1, 3)
	w.pace(uniform(r, 60, 400))
	w.policy = func(w *world) float64 {
		if w.moved < size {
			return 1
		}
		return low
	}
}

// rests pauses now and then, in which the write area empties.
func rests(r *rand.Rand, w *world) {
	cliff(r, w)
	w.seconds = uniform(r, 1000, 2000)
	size, low := w.full*uniform(r, 40, 120), w.truth["slow_share"]
	w.truth["area_bytes"] = size
	work, rest, drained := uniform(r, 180, 300), uniform(r, 40, 120), uniform(r, 0.5, 1.5)
	used := 0.0
	w.policy = func(w *world) float64 {
		if math.Mod(w.now, work+rest) > work {
			w.resting = true
			used = max(used-size*drained*tick/rest, 0)
			return 1
		}
		if used < size {
			used += w.full * tick
			return 1
		}
		return low
	}
}

// bucket is a volume with a burst allowance.
func bucket(writes bool, storage string) func(r *rand.Rand, w *world) {
	return func(r *rand.Rand, w *world) {
		w.writes, w.storage, w.sensors = writes, storage, nil
		w.full, w.noise = decades(r, 80e6, 1.2e9), uniform(r, 0.001, 0.012)
		base, lasts := uniform(r, 0.1, 0.7), w.seconds*uniform(r, 0.15, 0.6)
		left := lasts * (1 - base)
		size := left
		w.truth["burst_seconds"], w.truth["slow_share"] = lasts, base
		w.policy = func(w *world) float64 {
			left = min(left+base*tick, size)
			if left > tick {
				left -= tick
				return 1
			}
			left = max(left-base*tick, 0)
			return base
		}
	}
}

// bucketRests is a volume that is left alone now and then.
func bucketRests(r *rand.Rand, w *world) {
	w.writes, w.storage, w.sensors = r.IntN(2) == 0, "volume", nil
	w.full, w.noise, w.seconds = decades(r, 80e6, 1.2e9), uniform(r, 0.001, 0.01), uniform(r, 1200, 2400)
	base := uniform(r, 0.15, 0.5)
	size := uniform(r, 50, 120)
	left, work, rest := size, uniform(r, 200, 350), uniform(r, 50, 150)
	w.policy = func(w *world) float64 {
		left = min(left+base*tick, size)
		if math.Mod(w.now, work+rest) > work {
			w.resting = true
			return 1
		}
		if left > tick {
			left -= tick
			return 1
		}
		left = max(left-base*tick, 0)
		return base
	}
}

// ladders are what links carry at best, in bytes a second, from the lowest rate up.
var ladders = [][]float64{
	{42e6, 430e6, 1030e6, 2080e6}, {950e6, 1890e6, 3550e6, 7100e6}, {135e6, 280e6, 555e6},
}

// linkFalls is a link that comes back at a lower rate, cool.
func linkFalls(relinks bool) func(r *rand.Rand, w *world) {
	return func(r *rand.Rand, w *world) {
		ladder := ladders[r.IntN(len(ladders))]
		upper := 1 + r.IntN(len(ladder)-1)
		lower := r.IntN(upper)
		w.full = ladder[upper] * uniform(r, 0.985, 1.01)
		to := ladder[lower] * uniform(r, 0.985, 1.01) / w.full
		at, lasts := uniform(r, 0.25, 0.7)*w.seconds, uniform(r, 1.2, 3.5)
		w.noise, w.step = uniform(r, 0.002, 0.01), pick(r, 0.5, 1, 1)
		w.storage = "drive"
		w.pace(uniform(r, 40, 80))
		w.truth["slow_share"], w.truth["at_seconds"] = to, at
		w.writes = false
		w.policy = func(w *world) float64 {
			if relinks && w.now > at && w.now < at+lasts {
				w.absent = true
				if r.Float64() < 0.05 {
					w.messages = 1
				}
				return 1
			}
			if w.now > at {
				return to
			}
			return 1
		}
	}
}

// outages is a device that is away now and then.
func outages(most int, shortest, longest float64) func(r *rand.Rand, w *world) {
	return func(r *rand.Rand, w *world) {
		count := 1 + r.IntN(most)
		if most > 2 {
			count = 2 + r.IntN(most-1)
		}
		w.step = pick(r, 0.2, 0.5, 1, 1, 2)
		var from, until []float64
		for i := range count {
			part := w.seconds * 0.85 / float64(count)
			at := part*(float64(i)+uniform(r, 0.3, 0.7)) + 5
			from, until = append(from, at), append(until, at+uniform(r, shortest, longest))
		}
		w.policy = func(w *world) float64 {
			for i := range from {
				w.absent = w.absent || w.now > from[i] && w.now < until[i]
			}
			return 1
		}
	}
}

// somebody else uses the storage now and then; what the drive moves in all stays.
func somebody(least, most int) func(r *rand.Rand, w *world) {
	return func(r *rand.Rand, w *world) {
		count := least + r.IntN(most-least+1)
		w.pace(uniform(r, 40, 120))
		w.storage = "drive"
		var from, until, share []float64
		for i := range count {
			part := w.seconds / float64(count)
			at := part * (float64(i) + uniform(r, 0.15, 0.5))
			from, until = append(from, at), append(until, at+min(uniform(r, 20, 150), part*0.4))
			share = append(share, uniform(r, 0.25, 0.7))
		}
		w.policy = func(w *world) float64 {
			w.foreign = 0
			for i := range from {
				if w.now > from[i] && w.now < until[i] {
					w.foreign = share[i]
				}
			}
			if w.foreign > 0 != w.reached {
				w.reached = !w.reached
				if w.reached {
					w.falls++
				} else {
					w.returns++
				}
			}
			return 1
		}
	}
}

// cliffThenHeat runs out early, and is slowed by heat at its lower rate later.
func cliffThenHeat(r *rand.Rand, w *world) {
	w.writes, w.storage, w.seconds = true, "drive", uniform(r, 1500, 2600)
	after := uniform(r, 0.5, 0.75)
	on, band := uniform(r, 64, 80), uniform(r, 3, 7)
	to := after * uniform(r, 0.15, 0.4)
	w.warmTo(r, w.room+(on+uniform(r, 10, 20)-w.room)/after)
	w.pace(uniform(r, 150, 300))
	size, slowed := w.full*uniform(r, 25, 60), false
	w.truth["area_bytes"], w.truth["on_celsius"] = size, on
	w.policy = func(w *world) float64 {
		if w.moved < size {
			w.reached = w.flash < on-8
			return 1
		}
		if w.flash >= on {
			slowed = true
		} else if w.flash <= on-band {
			slowed = false
		}
		if slowed {
			return to
		}
		return after
	}
}
