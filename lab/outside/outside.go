// Package outside makes recordings of storage whose physics, numbers and code have
// nothing in common with the simulator's, so that explanations are held against
// something that they were not made on. It was written from a list of what occurs,
// before anything was fitted, and does not change with what is found.
//
// Its functions keep nothing, and may be called by several goroutines at once.
package outside

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
)

// Recording is a table of throughput over time, with what is true of it.
type Recording struct {
	Class string
	// Writes says that it wrote; else it read.
	Writes bool
	// Storage is what is known of it: "drive", "volume", or nothing.
	Storage string
	// Kinds are the kinds of findings that are true; none of a healthy one.
	Kinds []string
	// Healthy says that nothing is wrong.
	Healthy bool
	// Open says that nobody can tell from the recording, or that it comes from
	// nothing that is on anybody's list.
	Open bool
	// Truth is what the world was made of, each name ending in its unit.
	Truth map[string]float64
	// Table is the recording as CSV.
	Table string
}

// Class is a kind of world.
type Class struct {
	Name    string
	Kinds   []string
	Healthy bool
	Open    bool
	set     func(r *rand.Rand, w *world)
	// valid says whether what the class is about came about; nil is always.
	valid func(w *world) bool
}

// Names are those of all classes.
func Names() []string {
	names := make([]string, len(classes))
	for i, class := range classes {
		names[i] = class.Name
	}
	return names
}

// Draw makes a recording of a class. The same seed gives the same one.
func Draw(class int, seed uint64) Recording {
	c := classes[class%len(classes)]
	for try := uint64(0); ; try++ {
		r := rand.New(rand.NewPCG(seed*1000+try, uint64(class)))
		w := blank(r)
		c.set(r, w)
		w.play(r)
		if try < 200 && c.valid != nil && !c.valid(w) {
			continue
		}
		return Recording{
			Class: c.Name, Writes: w.writes, Storage: w.storage, Kinds: c.Kinds, Healthy: c.Healthy, Open: c.Open,
			Truth: w.truth, Table: w.table(r),
		}
	}
}

// uniform and decades draw evenly, and evenly in the logarithm.
func uniform(r *rand.Rand, low, high float64) float64 { return low + (high-low)*r.Float64() }

func decades(r *rand.Rand, low, high float64) float64 {
	return math.Exp(uniform(r, math.Log(low), math.Log(high)))
}

func pick(r *rand.Rand, from ...float64) float64 { return from[r.IntN(len(from))] }

// world is a bench while it is played. The drive's heat is in two masses: the flash,
// and the case around it.
type world struct {
	writes   bool
	storage  string
	seconds  float64
	step     float64 // of the recording
	full     float64 // bytes a second that nothing holds back
	policy   func(w *world) float64
	truth    map[string]float64
	falls    int
	returns  int
	reached  bool
	now      float64
	moved    float64
	share    float64
	resting  bool // nothing is asked
	absent   bool // does not answer
	foreign  float64
	messages int // errors in this step

	room, flash, box         float64
	flashMass, boxMass       float64 // joules a kelvin
	between, outward         float64 // kelvins a watt
	idleWatts, joulesPerByte float64
	sensors                  []*sensor
	noise, alike, tails      float64
	noiseBelow               float64 // noise at shares below a half, over that above
	hidden                   func(w *world) bool
	blanks, noRows           bool

	rows []row
}

// sensor shows a temperature late, off, and in steps.
type sensor struct {
	column             string
	of                 func(w *world) float64
	late, off, steps   float64
	value              float64
	wrong              func(r *rand.Rand, value float64) float64
	goesWithTheStorage bool
}

type row struct {
	t, rate  float64
	errors   int
	readings []string
	blank    bool
	missing  bool
}

const tick = 0.1

// blank is a bench that is healthy, warm and recorded well.
func blank(r *rand.Rand) *world {
	w := &world{
		seconds: uniform(r, 300, 1500), step: pick(r, 0.2, 0.5, 1, 1, 1, 2, 5), full: decades(r, 150e6, 6e9),
		truth: map[string]float64{}, writes: r.IntN(2) == 0, room: uniform(r, 15, 31),
		noise: decades(r, 0.004, 0.035), alike: pick(r, 0, 0, 0.3, 0.6), tails: pick(r, 0, 0, 0.003, 0.01),
		noiseBelow: 1, policy: func(*world) float64 { return 1 },
		flashMass: uniform(r, 8, 30), boxMass: uniform(r, 40, 220), idleWatts: uniform(r, 0.4, 1.8),
	}
	w.warmTo(r, uniform(r, 34, 52))
	w.sensors = []*sensor{flashSensor(r)}
	return w
}

func flashSensor(r *rand.Rand) *sensor {
	return &sensor{column: "temperature_celsius", of: func(w *world) float64 { return w.flash },
		late: uniform(r, 0, 4), off: uniform(r, -2, 2), steps: pick(r, 0, 1, 1, 1, 2), goesWithTheStorage: true}
}

// warmTo sets the heat's way out so that full speed ends at a temperature.
func (w *world) warmTo(r *rand.Rand, goal float64) {
	watts := uniform(r, 3, 9)
	w.joulesPerByte = (watts - w.idleWatts) / w.full
	total := (goal - w.room) / watts
	w.between = total * uniform(r, 0.3, 0.6)
	w.outward = total - w.between
	w.flash, w.box = w.room+w.idleWatts*total, w.room+w.idleWatts*w.outward
}

// pace sets the heat's masses so that the slower of its two times is about that.
func (w *world) pace(seconds float64) {
	w.boxMass = seconds / w.outward
	w.flashMass = min(w.flashMass, 0.25*seconds/w.between)
}

func (w *world) play(r *rand.Rand) {
	for _, s := range w.sensors {
		s.value = s.of(w)
	}
	var sum, count float64
	next, errors, drift, before := w.step, 0, 0.0, 1.0
	for w.now = 0; w.now < w.seconds; w.now += tick {
		w.messages, w.resting, w.absent = 0, false, false
		w.share = w.policy(w)
		if w.share < before*0.9 {
			w.falls++
		}
		if w.share > before*1.1 {
			w.returns++
		}
		before = w.share
		rate := w.full * max(w.share-w.foreign, 0)
		if w.resting || w.absent {
			rate = 0
		}
		w.moved += rate * tick
		w.heat(rate + w.full*w.foreign)
		noise := w.noise
		if w.share < 0.5 {
			noise *= w.noiseBelow
		}
		keep := math.Pow(w.alike, tick/max(w.step, 1))
		if w.alike == 0 {
			keep = 0
		}
		drift = keep*drift + math.Sqrt(1-keep*keep)*r.NormFloat64()
		sum, count = sum+rate*math.Exp(noise*drift*blockGain(w, keep)), count+1
		errors += w.messages
		if w.now+tick >= next-tick/2 {
			w.note(r, sum/count, errors)
			sum, count, errors, next = 0, 0, 0, next+w.step
		}
	}
}

// blockGain makes up for what a mean over a row takes from noise that is not alike.
func blockGain(w *world, keep float64) float64 {
	n := max(w.step/tick, 1)
	if keep > 0.5 {
		return 1
	}
	return math.Sqrt(n)
}

// heat follows both masses over a tick.
func (w *world) heat(rate float64) {
	watts := w.idleWatts + w.joulesPerByte*rate
	const parts = 2
	for range parts {
		over := (w.flash - w.box) / w.between
		w.flash += (watts - over) / w.flashMass * tick / parts
		w.box += (over - (w.box-w.room)/w.outward) / w.boxMass * tick / parts
	}
	for _, s := range w.sensors {
		s.value += (s.of(w) - s.value) * min(tick/max(s.late, tick), 1)
	}
}

func (w *world) note(r *rand.Rand, rate float64, errors int) {
	if r.Float64() < w.tails {
		rate *= uniform(r, 0.2, 0.9)
	}
	made := row{t: w.now + tick, rate: rate, errors: errors}
	if w.absent {
		made.blank, made.missing = w.blanks, w.noRows
	}
	if w.hidden != nil && w.hidden(w) {
		made.missing = true
	}
	for _, s := range w.sensors {
		value := s.value + s.off
		if s.steps > 0 {
			value = math.Round(value/s.steps) * s.steps
		}
		if s.wrong != nil {
			value = s.wrong(r, value)
		}
		text := fmt.Sprintf("%.1f", value)
		if w.absent && w.blanks && s.goesWithTheStorage {
			text = ""
		}
		made.readings = append(made.readings, text)
	}
	w.rows = append(w.rows, made)
}

func (w *world) table(r *rand.Rand) string {
	var text strings.Builder
	text.WriteString("t_seconds,bytes_per_second,errors")
	for _, s := range w.sensors {
		text.WriteString("," + s.column)
	}
	text.WriteString("\n")
	start := uniform(r, 0, 3)
	for _, each := range w.rows {
		if each.missing {
			continue
		}
		rate := fmt.Sprintf("%.0f", each.rate)
		if each.blank {
			rate = ""
		}
		fmt.Fprintf(&text, "%.2f,%s,%d", start+each.t, rate, each.errors)
		for _, reading := range each.readings {
			text.WriteString("," + reading)
		}
		text.WriteString("\n")
	}
	return text.String()
}
