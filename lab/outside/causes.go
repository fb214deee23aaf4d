package outside

import (
	"math"
	"math/rand/v2"
)

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
			slowed = w.flash >= on || slowed && w.flash > on-band
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
		slowed = w.flash >= on || slowed && w.flash > on-band
		if slowed {
			return to
		}
		return after
	}
}
