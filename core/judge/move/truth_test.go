package move_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"opengauge/core/judge/explain"
	"opengauge/core/judge/move"
	"opengauge/core/measure/run"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/night"
)

// nowhere keeps nothing.
type nowhere struct{}

func (nowhere) Begin(*session.Session) error       { return nil }
func (nowhere) AddPass(string, session.Pass) error { return nil }
func (nowhere) Finish(*session.Session) error      { return nil }
func (nowhere) Discard(string) error               { return nil }

const block = 16 * unit.MiB

// recorded writes to a part for some seconds, with the program's own runner.
func recorded(t *testing.T, part *sim.Device, seconds float64) *session.Session {
	t.Helper()
	p, err := plan.Parse("p", fmt.Appendf(nil, "plan: p\nsteps:\n  - sustain: {operation: write, access: sequential, "+
		"block: 16MiB, depth: 4, for: %.0fs}\n", seconds))
	if err != nil {
		t.Fatal(err)
	}
	s, err := run.Run(context.Background(), run.Request{
		ID: session.NewID(), Plan: p, Hold: time.Second, Target: part, Sensors: part, Chain: part.Chain(),
		Conditions: map[string]string{}, ReturnWithin: time.Minute,
	}, nowhere{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// moved writes an amount to a part without the runner, and says how long that takes on
// the part's own clock.
func moved(t *testing.T, part *sim.Device, amount unit.Bytes) float64 {
	t.Helper()
	const depth = 4
	queue, err := part.Open(target.Shape{Slots: depth, Block: block})
	if err != nil {
		t.Fatal(err)
	}
	began, capacity := part.Now(), int64(part.Description().Capacity)
	var offset, left int64 = 0, int64(amount)
	underWay := 0
	done := make([]target.Completion, depth)
	submit := func(slot int) {
		length := min(left, int64(block))
		if length <= 0 {
			return
		}
		if offset+length > capacity {
			offset = 0
		}
		if err := queue.Submit([]target.Operation{{Action: target.Write, Slot: slot, Offset: offset,
			Length: int(length)}}); err != nil {
			t.Fatal(err)
		}
		offset, left, underWay = offset+length, left-length, underWay+1
	}
	for slot := range depth {
		submit(slot)
	}
	for underWay > 0 {
		n, err := queue.Wait(done, part.Now()+time.Hour)
		if err != nil {
			t.Fatal(err)
		}
		for _, each := range done[:n] {
			if each.Err != nil {
				t.Fatal(each.Err)
			}
			underWay--
			submit(each.Slot)
		}
	}
	return (part.Now() - began).Seconds()
}

// world is a simulated part of known behaviour, made anew each time it is opened, with
// how long it is recorded.
type world struct {
	name     string
	open     func() *sim.Device
	seconds  float64
	capacity unit.Bytes
}

func between(r *rand.Rand, low, high float64) float64 { return low + (high-low)*r.Float64() }

// worldOf draws a part of one of ten kinds: steady, with a write area that runs out, hot in
// several ways, a disk with zones, or a volume with an allowance.
func worldOf(t *testing.T, r *rand.Rand, number int) world {
	demo, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	drive, enclosure := demo.Drives["sandpiper"], demo.Enclosures["limpet"]
	drive.Throttle, drive.Flash, drive.Hold = nil, sim.Flash{}, sim.Hold{}
	drive.Capacity = unit.Bytes(between(r, 500e9, 2e12))
	drive.WriteRate = unit.BytesPerSecond(between(r, 800e6, 3500e6))
	enclosure.Carries = unit.BytesPerSecond(between(r, 400e6, 2500e6))
	fastest := min(float64(drive.WriteRate), float64(enclosure.Carries))
	w := world{seconds: between(r, 200, 700), capacity: drive.Capacity}
	seed, ambient := r.Uint64(), between(r, 18, 30)
	warm := func(goal float64) {
		watts := drive.IdleWatts + drive.WriteJoules*fastest
		enclosure.Resistance = max((goal-ambient)/watts, 0.5)
	}
	warm(between(r, 35, 55))
	area := func(seconds float64) {
		size := min(unit.Bytes(fastest*seconds*between(r, 0.2, 0.7)), drive.Capacity/3)
		drive.Flash = sim.Flash{FastEmpty: size, FastLeast: size,
			SpentRate: unit.BytesPerSecond(fastest * between(r, 0.07, 0.6)), DrainRate: 200e6}
	}
	heat := func() {
		at := between(r, 60, 84)
		warm(at + between(r, 8, 25))
		stage := sim.Stage{At: unit.Celsius(at), Until: unit.Celsius(at - between(r, 4, 9))}
		share := between(r, 0.1, 0.5)
		for range 20 {
			goal := ambient + enclosure.Resistance*(drive.IdleWatts+drive.WriteJoules*fastest*share)
			if goal < float64(stage.Until)-4 {
				break
			}
			share *= 0.8
		}
		stage.Rate = unit.BytesPerSecond(fastest * share)
		drive.Throttle = []sim.Stage{stage}
		enclosure.HeatCapacity = between(r, 40, 120) / enclosure.Resistance
		w.seconds = between(r, 800, 1500)
	}
	kinds := []string{"steady", "write area", "write area", "heat", "allowance", "held", "for good", "area and heat",
		"housekeeping", "disk"}
	w.name = kinds[number%len(kinds)]
	switch w.name {
	case "write area":
		area(w.seconds)
	case "heat":
		heat()
	case "held":
		at := between(r, 60, 80)
		warm(at + between(r, 8, 25))
		drive.Hold = sim.Hold{At: unit.Celsius(at), Gain: 0.02, Least: 0.1}
		enclosure.HeatCapacity = between(r, 40, 120) / enclosure.Resistance
		w.seconds = between(r, 800, 1500)
	case "for good":
		heat()
		drive.Throttle[0].Until = 0
	case "area and heat":
		heat()
		area(w.seconds)
	case "housekeeping":
		drive.Housekeeping = sim.Moments{Every: time.Duration(between(r, 20, 90)) * time.Second,
			For: time.Duration(between(r, 1, 4)) * time.Second, Left: between(r, 0.2, 0.6)}
	case "disk":
		drive = demo.Drives["turnstone"]
		w.capacity = drive.Capacity
	case "allowance":
		volume := demo.Volumes["lagoon-burst"]
		volume.IOPS = between(r, 8, 30) // of 16 MiB each
		volume.Burst.IOPS = volume.IOPS * between(r, 1.6, 2.3)
		volume.Throughput, volume.Burst.Throughput = 3e9, 3e9
		volume.Burst.Credits = w.seconds * between(r, 0.2, 0.6) * (volume.Burst.IOPS - volume.IOPS)
		volume.Capacity = w.capacity
		bench := sim.Bench{Volumes: map[string]sim.Volume{"v": volume}}
		w.open = func() *sim.Device { return opened(t, bench, "v", sim.Options{Seed: seed}) }
		return w
	}
	bench := sim.Bench{Drives: map[string]sim.Drive{"d": drive}, Enclosures: map[string]sim.Enclosure{"e": enclosure}}
	w.open = func() *sim.Device {
		return opened(t, bench, "d", sim.Options{Enclosure: "e", Ambient: unit.Celsius(ambient), Seed: seed})
	}
	return w
}

func opened(t *testing.T, bench sim.Bench, name string, options sim.Options) *sim.Device {
	t.Helper()
	part, err := bench.Open(name, options)
	if err != nil {
		t.Fatal(err)
	}
	return part
}

// A hundred parts and amounts, half of them beyond the recording: a time that is said is
// within 3 % of moving the amount, and what is said to be the least is no more than it.
func TestTimesAreThoseOfMovingIt(t *testing.T) {
	parts := 10 * max(1, night.Tries(t, 60))
	r := rand.New(rand.NewPCG(16, 1))
	silent := newTally()
	t.Run("parts", func(t *testing.T) {
		for number := range parts {
			w := worldOf(t, r, number)
			share := between(r, 0.05, 1)
			if number/10%2 == 1 {
				share = between(r, 1.05, 2.5)
			}
			t.Run(fmt.Sprintf("%d %s", number, w.name), func(t *testing.T) {
				t.Parallel()
				if !w.holds(t, share) {
					silent.add(w.name)
				}
			})
		}
	})
	t.Logf("not known beyond the recording: %v of %d parts of each kind", silent.each, parts/10)
	for kind, most := range map[string]int{"write area": 2, "allowance": 1, "heat": 3} {
		if silent.each[kind] > most {
			t.Errorf("of %s, %d are not known beyond the recording", kind, silent.each[kind])
		}
	}
}

// tally counts by name.
type tally struct {
	lock sync.Mutex
	each map[string]int
}

func newTally() *tally { return &tally{each: map[string]int{}} }

func (c *tally) add(name string) {
	c.lock.Lock()
	defer c.lock.Unlock()
	c.each[name]++
}

// holds checks what is said of a share of what a recording moved against moving it, and
// says whether a time is said at all.
func (w world) holds(t *testing.T, share float64) (known bool) {
	s := recorded(t, w.open(), w.seconds)
	if w.name == "allowance" {
		s.Conditions[explain.StorageCondition] = explain.StorageVolume
	}
	curves := move.Of(s)
	if len(curves) != 1 {
		t.Fatalf("%d curves", len(curves))
	}
	seen := float64(s.Passes[0].Bytes + s.Passes[0].SettleBytes)
	amount := min(unit.Bytes(seen*share), w.capacity)
	got, truth := curves[0].For(amount), moved(t, w.open(), amount)
	beyond := float64(amount) > seen
	if beyond != got.Extrapolated {
		t.Errorf("%s of %.0f GB recorded is extrapolated: %v", amount.Decimal(), seen/1e9, got.Extrapolated)
	}
	switch {
	case got.Known():
		if !(math.Abs(got.Seconds/truth-1) <= 0.03) {
			t.Errorf("%s of %.0f GB recorded take %.1f s, and it says %.1f s (%.1f to %.1f, %s): %+v", amount.Decimal(),
				seen/1e9, truth, got.Seconds, got.Low, got.High, got.Cause, curves[0].Phases)
		}
	case !beyond || !(got.Low <= truth*1.03) || !(got.Low > 0):
		t.Errorf("at least %.1f s, and it takes %.1f s", got.Low, truth)
	}
	return got.Known()
}
