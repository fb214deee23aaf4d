package finding_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"runtime"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"opengauge/core/judge/finding"
	"opengauge/core/measure/run"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/lab/night"
)

// A world is a simulated bench with a known truth: what has to be found there.
type world struct {
	name  string
	truth []string
	make  func(r *rand.Rand) (*session.Session, []string)
}

// judged are the kinds that are scored. Others, such as link-bound, may be found
// beside them.
var judged = []string{
	"heat-throttle", "cache-exhausted", "dropout", "fill-slowdown", "run-fade", "credit-exhausted", "cap-bound",
	"background-load", "data-sensitive", "link-degraded", "unsteady",
}

// between draws evenly from a range.
func between(r *rand.Rand, low, high float64) float64 { return low + (high-low)*r.Float64() }

// bench is a drive in an enclosure, both drawn anew, cool and without a write
// area until a world changes that.
type bench struct {
	drive     sim.Drive
	enclosure sim.Enclosure
	ambient   float64
}

func draw(r *rand.Rand) bench {
	demo, err := sim.DemoBench()
	if err != nil {
		panic(err)
	}
	b := bench{drive: demo.Drives["sandpiper"], enclosure: demo.Enclosures["limpet"], ambient: between(r, 16, 32)}
	b.drive.Throttle, b.drive.Flash = nil, sim.Flash{}
	b.enclosure.Carries = unit.BytesPerSecond(between(r, 400e6, 2500e6))
	b.enclosure.HeatCapacity = between(r, 6, 20)
	// Warm, but below what any drive minds.
	b.warm(between(r, 30, 50))
	return b
}

// warm sets how hot the drive would get in the end at full speed.
func (b *bench) warm(goal float64) {
	watts := b.drive.IdleWatts + b.drive.WriteJoules*float64(b.enclosure.Carries)
	b.enclosure.Resistance = max((goal-b.ambient)/watts, 0.5)
	b.drive.ReadJoules = b.drive.WriteJoules
}

// heat lets the drive slow itself some time into the pass, and come back.
func (b *bench) heat(r *rand.Rand) {
	at := between(r, 60, 84)
	b.warm(at + between(r, 6, 25))
	stage := sim.Stage{At: unit.Celsius(at), Until: unit.Celsius(at - between(r, 4, 9))}
	// So slow that it cools below Until.
	share := between(r, 0.1, 0.6)
	for range 20 {
		goal := b.ambient + b.enclosure.Resistance*(b.drive.IdleWatts+b.drive.WriteJoules*float64(b.enclosure.Carries)*share)
		if goal < float64(stage.Until)-4 {
			break
		}
		share *= 0.8
	}
	stage.Rate = unit.BytesPerSecond(float64(b.enclosure.Carries) * share)
	b.drive.Throttle = []sim.Stage{stage}
	// Reach it within the first minutes.
	tau := between(r, 60, 160)
	b.enclosure.HeatCapacity = tau / b.enclosure.Resistance
}

// fastArea gives the drive a write area that runs out within the pass.
func (b *bench) fastArea(r *rand.Rand, seconds float64) {
	size := unit.Bytes(float64(b.enclosure.Carries) * seconds * between(r, 0.2, 0.6))
	b.drive.Flash = sim.Flash{FastEmpty: size, FastLeast: size / 20,
		SpentRate: unit.BytesPerSecond(float64(b.enclosure.Carries) * between(r, 0.1, 0.7)), DrainRate: 200e6}
}

// measure runs a plan on the bench.
func (b *bench) measure(r *rand.Rand, source string) *session.Session {
	parts := sim.Bench{Drives: map[string]sim.Drive{"d": b.drive},
		Enclosures: map[string]sim.Enclosure{"e": b.enclosure}}
	part, err := parts.Open("d", sim.Options{Enclosure: "e", Ambient: unit.Celsius(b.ambient), Seed: r.Uint64()})
	if err != nil {
		panic(err)
	}
	return measure(part, source)
}

func measure(part *sim.Device, source string) *session.Session {
	p, err := plan.Parse("p", []byte("plan: p\nsteps:\n"+source))
	if err != nil {
		panic(err)
	}
	s, err := run.Run(context.Background(), run.Request{
		ID: session.NewID(), Plan: p, Hold: time.Second, Target: part, Sensors: part, Chain: part.Chain(),
		Conditions: map[string]string{}, ReturnWithin: time.Minute,
	}, nowhere{}, nil)
	if err != nil && s == nil {
		panic(err)
	}
	return s
}

// nowhere keeps nothing.
type nowhere struct{}

func (nowhere) Begin(*session.Session) error       { return nil }
func (nowhere) AddPass(string, session.Pass) error { return nil }
func (nowhere) Finish(*session.Session) error      { return nil }
func (nowhere) Discard(string) error               { return nil }

func long(operation string, minutes float64) string {
	return fmt.Sprintf("  - sustain: {operation: %s, access: sequential, block: 8MiB, depth: 4, for: %.0fs}\n",
		operation, minutes*60)
}

func readOrWrite(r *rand.Rand) string { return []string{"read", "write"}[r.IntN(2)] }

var worlds = []world{
	{"healthy", nil, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		return b.measure(r, long(readOrWrite(r), between(r, 4, 15))), nil
	}},
	{"healthy and hot", nil, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.warm(between(r, 60, 88))
		return b.measure(r, long(readOrWrite(r), between(r, 8, 15))), nil
	}},
	{"healthy, several passes", nil, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		return b.measure(r, "  - fill:\n      levels: [0%, 30%, 60%, 90%]\n      steps:\n        - sweep: "+
			"{operation: read, access: sequential, block: 8MiB, depth: 4, hold: 20s}\n"+
			"  - repeat:\n      times: 6\n      steps:\n        - sweep: {operation: write, access: sequential, "+
			"block: 8MiB, depth: 4, hold: 10s, compressible: [0%, 100%]}\n"), nil
	}},
	{"heat", []string{"heat-throttle"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.heat(r)
		return b.measure(r, long(readOrWrite(r), between(r, 12, 20))), []string{"heat-throttle"}
	}},
	{"write area", []string{"cache-exhausted"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		minutes := between(r, 8, 15)
		b.fastArea(r, minutes*60)
		return b.measure(r, long("write", minutes)), []string{"cache-exhausted"}
	}},
	{"hot, and the write area", []string{"cache-exhausted"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.warm(between(r, 60, 80))
		b.enclosure.HeatCapacity = between(r, 40, 60) / b.enclosure.Resistance
		minutes := between(r, 14, 20)
		b.fastArea(r, minutes*60)
		return b.measure(r, long("write", minutes)), []string{"cache-exhausted"}
	}},
	{"heat, later the write area", []string{"heat-throttle", "cache-exhausted"},
		func(r *rand.Rand) (*session.Session, []string) {
			b := draw(r)
			b.heat(r)
			seconds := 1500.0
			size := unit.Bytes(float64(b.enclosure.Carries) * seconds * 0.45)
			spent := float64(b.drive.Throttle[0].Rate) * between(r, 0.15, 0.5)
			b.drive.Flash = sim.Flash{FastEmpty: size, FastLeast: size / 20, SpentRate: unit.BytesPerSecond(spent),
				DrainRate: 200e6}
			s := b.measure(r, long("write", seconds/60))
			samples, moved := s.Passes[0].Samples, 0.0
			for _, sample := range samples[len(samples)-120:] {
				moved += float64(sample.BytesPerSecond) / 120
			}
			if moved > spent*1.3 { // it had not run out for long, or at all
				return s, []string{"heat-throttle"}
			}
			return s, []string{"heat-throttle", "cache-exhausted"}
		}},
	{"drops off when hot", []string{"dropout"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		at := between(r, 58, 80)
		b.warm(at + between(r, 8, 25))
		b.enclosure.Vanish = sim.Vanish{At: unit.Celsius(at), For: time.Duration(between(r, 5, 40)) * time.Second}
		return b.measure(r, long(readOrWrite(r), 10)), []string{"dropout"}
	}},
	{"slower when full", []string{"fill-slowdown"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.drive.Flash = sim.Flash{FullRead: between(r, 0.3, 0.7)}
		b.drive.ReadRate = b.enclosure.Carries
		return b.measure(r, "  - fill:\n      levels: [0%, 25%, 50%, 75%, 90%]\n      steps:\n        - sweep: "+
			"{operation: read, access: sequential, block: 8MiB, depth: 4, hold: 20s}\n"), []string{"fill-slowdown"}
	}},
	{"fades from run to run", []string{"run-fade"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		s := b.measure(r, "  - repeat:\n      times: 8\n      steps:\n        - sweep: {operation: write, access: "+
			"sequential, block: 8MiB, depth: 4, hold: 15s}\n")
		scale(s, func(p *session.Pass) float64 { return math.Pow(between(r, 0.93, 0.96), float64(p.Repeat)) })
		return s, []string{"run-fade"}
	}},
	{"burst credits", []string{"credit-exhausted"}, func(r *rand.Rand) (*session.Session, []string) {
		base := between(r, 800, 5000)
		v := sim.Volume{Name: "v", Capacity: 500 * unit.GB, Latency: time.Millisecond, Jitter: 0.2, IOPS: base,
			Throughput: 1e9}
		demo, _ := sim.DemoBench()
		v.Network = demo.Volumes["lagoon-burst"].Network
		v.Burst = sim.Burst{IOPS: base * between(r, 1.5, 6), Throughput: 1e9}
		v.Burst.Credits = (v.Burst.IOPS - base) * between(r, 60, 400)
		part, err := sim.Bench{Volumes: map[string]sim.Volume{"v": v}}.Open("v", sim.Options{Seed: r.Uint64()})
		if err != nil {
			panic(err)
		}
		return measure(part, fmt.Sprintf("  - sustain: {operation: %s, access: random, block: 16KiB, depth: 32, "+
			"for: 10m}\n", readOrWrite(r))), []string{"credit-exhausted"}
	}},
	{"a limit of operations", []string{"cap-bound"}, func(r *rand.Rand) (*session.Session, []string) {
		demo, _ := sim.DemoBench()
		v := demo.Volumes["lagoon-steady"]
		v.IOPS, v.Throughput = between(r, 1000, 8000), 800e6
		part, err := sim.Bench{Volumes: map[string]sim.Volume{"v": v}}.Open("v", sim.Options{Seed: r.Uint64()})
		if err != nil {
			panic(err)
		}
		return measure(part, "  - sweep: {operation: read, access: random, block: [4KiB, 16KiB, 32KiB], depth: [1, "+
			"32], hold: 20s}\n"), []string{"cap-bound"}
	}},
	{"heat, held", []string{"heat-throttle"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		at := between(r, 62, 84)
		b.warm(at + between(r, 14, 30))
		b.enclosure.HeatCapacity = between(r, 60, 160) / b.enclosure.Resistance
		b.drive.Hold = sim.Hold{At: unit.Celsius(at), Gain: between(r, 0.003, 0.01), Least: 0.1}
		return b.measure(r, long(readOrWrite(r), between(r, 12, 20))), []string{"heat-throttle"}
	}},
	{"heat, seen by a probe", []string{"heat-throttle"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.heat(r)
		b.enclosure.Probe = sim.Probe{Sees: between(r, 0.4, 0.8), Lag: time.Duration(between(r, 5, 40) * 1e9)}
		s := b.measure(r, long("read", between(r, 15, 25)))
		keepOnly(s, "case-probe")
		return s, []string{"heat-throttle"}
	}},
	{"housekeeping", nil, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.drive.Housekeeping = sim.Moments{After: time.Duration(between(r, 5, 60) * 1e9),
			Every: time.Duration(between(r, 15, 90) * 1e9), For: time.Duration(between(r, 0.6, 4) * 1e9),
			Left: between(r, 0.15, 0.8)}
		return b.measure(r, long(readOrWrite(r), between(r, 6, 15))), nil
	}},
	{"somebody else, on the drive", []string{"background-load"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.enclosure.Others = sim.Moments{After: time.Duration(between(r, 40, 120) * 1e9),
			Every: time.Duration(between(r, 120, 240) * 1e9), For: time.Duration(between(r, 20, 80) * 1e9),
			Left: between(r, 0.25, 0.75), Warm: true}
		return b.measure(r, long(readOrWrite(r), between(r, 8, 15))), []string{"background-load"}
	}},
	{"the link falls", []string{"link-degraded"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		b.enclosure.Carries = 1040e6
		b.warm(between(r, 34, 48))
		b.enclosure.Refall = sim.Refall{After: time.Duration(between(r, 90, 300) * 1e9),
			Away: time.Duration(between(r, 1.2, 3) * 1e9), Rate: unit.BytesPerSecond(between(r, 425e6, 455e6))}
		return b.measure(r, long("read", between(r, 8, 15))), []string{"link-degraded"}
	}},
	{"somebody else", []string{"background-load"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		s := b.measure(r, long(readOrWrite(r), 4))
		moved := unit.Bytes(float64(s.Passes[0].Bytes) * between(r, 1.1, 1.6))
		s.Passes[0].DeviceBytes = &moved
		return s, []string{"background-load"}
	}},
	{"data matters", []string{"data-sensitive"}, func(r *rand.Rand) (*session.Session, []string) {
		b := draw(r)
		s := b.measure(r, "  - repeat:\n      times: 3\n      steps:\n        - sweep: {operation: write, access: "+
			"sequential, block: 8MiB, depth: 4, hold: 20s, compressible: [0%, 50%, 100%]}\n")
		gain := between(r, 0.25, 1.5)
		scale(s, func(p *session.Pass) float64 { return (1 + gain*p.CompressibleShare) / (1 + gain) })
		return s, []string{"data-sensitive"}
	}},
}

// keepOnly leaves one sensor.
func keepOnly(s *session.Session, name string) {
	for j := range s.Passes {
		for i := range s.Passes[j].Samples {
			readings := s.Passes[j].Samples[i].TemperaturesCelsius
			s.Passes[j].Samples[i].TemperaturesCelsius = map[string]unit.Celsius{name: readings[name]}
		}
	}
}

// needThermometers are the worlds of which nobody could tell the cause without them.
var needThermometers = []string{"heat, later the write area", "somebody else, on the drive"}

// scale makes passes slower by a share each.
func scale(s *session.Session, share func(*session.Pass) float64) {
	for j := range s.Passes {
		p := &s.Passes[j]
		by := share(p)
		p.BytesPerSecond *= unit.BytesPerSecond(by)
		p.IOPS *= by
		p.Bytes = unit.Bytes(float64(p.Bytes) * by)
		for i := range p.Samples {
			p.Samples[i].Bytes = unit.Bytes(float64(p.Samples[i].Bytes) * by)
			p.Samples[i].BytesPerSecond *= unit.BytesPerSecond(by)
		}
	}
}

// blur makes a recording as imperfect as real ones: noise, single slow seconds,
// sensors that are coarse, late, or not there. It says whether temperatures are
// left.
func blur(r *rand.Rand, s *session.Session, keepSensors bool) bool {
	noise, grain, late := between(r, 0.003, 0.04), float64(1+r.IntN(2)), r.IntN(4)
	missing := !keepSensors && r.Float64() < 0.2
	for j := range s.Passes {
		p := &s.Passes[j]
		var total unit.Bytes
		readings := make([]map[string]unit.Celsius, len(p.Samples))
		for i := range p.Samples {
			sample := &p.Samples[i]
			by := 1 + noise*r.NormFloat64()
			if r.Float64() < 0.004 {
				by *= between(r, 0.3, 0.9)
			}
			sample.Bytes = unit.Bytes(float64(sample.Bytes) * max(by, 0))
			sample.BytesPerSecond *= unit.BytesPerSecond(max(by, 0))
			total += sample.Bytes
			readings[i] = sample.TemperaturesCelsius
		}
		for i := range p.Samples {
			sample := &p.Samples[i]
			sample.TemperaturesCelsius = map[string]unit.Celsius{}
			if missing {
				continue
			}
			for name, value := range readings[max(i-late, 0)] {
				sample.TemperaturesCelsius[name] = unit.Celsius(math.Round(float64(value)/grain) * grain)
			}
		}
		if p.DeviceBytes == nil && total > 0 {
			p.BytesPerSecond *= unit.BytesPerSecond(float64(total) / float64(max(p.Bytes, 1)))
			p.Bytes = total
		}
	}
	return !missing
}

// score counts what was found rightly, wrongly, and not.
type score struct{ right, wrong, missed int }

func (s score) precision() float64 { return ratio(s.right, s.right+s.wrong) }
func (s score) recall() float64    { return ratio(s.right, s.right+s.missed) }

func ratio(part, whole int) float64 {
	if whole == 0 {
		return 1
	}
	return float64(part) / float64(whole)
}

// runsOf is how many worlds are tried: OPENGAUGE_ACCURACY says, else one of each.
func runsOf(t *testing.T) int {
	runs, err := strconv.Atoi(os.Getenv("OPENGAUGE_ACCURACY"))
	if err != nil || runs < 1 {
		return night.Tries(t, 20*len(worlds))
	}
	t.Logf("%d runs", runs)
	return runs
}

// leastRecall is what of a kind has to be found: of those that are told by temperatures,
// less, as a fifth of the recordings has none.
func leastRecall(kind string) float64 {
	if kind == "heat-throttle" || kind == "background-load" {
		return 0.87
	}
	return 0.95
}

func TestAccuracy(t *testing.T) {
	runs := runsOf(t)
	scores := map[string]*score{}
	for _, kind := range judged {
		scores[kind] = &score{}
	}
	healthy, falsely := 0, 0
	var mutex sync.Mutex
	var running sync.WaitGroup
	next := make(chan int)
	for range runtime.GOMAXPROCS(0) {
		running.Go(func() {
			for number := range next {
				r := rand.New(rand.NewPCG(uint64(number), 20))
				w := worlds[number%len(worlds)]
				s, truth := w.make(r)
				blur(r, s, slices.Contains(needThermometers, w.name))
				found := map[string]bool{}
				for _, f := range finding.Detect(s, unit.Decimal) {
					found[f.Kind] = true
				}
				mutex.Lock()
				wrong := ""
				for _, kind := range judged {
					switch there, wanted := found[kind], slices.Contains(truth, kind); {
					case there && wanted:
						scores[kind].right++
					case there:
						scores[kind].wrong++
						wrong += " +" + kind
					case wanted:
						scores[kind].missed++
						wrong += " -" + kind
					}
				}
				if len(w.truth) == 0 {
					healthy++
					if wrong != "" {
						falsely++
					}
				}
				if wrong != "" {
					t.Logf("run %d, %s:%s", number, w.name, wrong)
				}
				mutex.Unlock()
			}
		})
	}
	for number := range runs {
		next <- number
	}
	close(next)
	running.Wait()
	for _, kind := range judged {
		s := scores[kind]
		t.Logf("| %s | %d | %.3f | %.3f |", kind, s.right+s.missed, s.precision(), s.recall())
		if kind != "unsteady" && (s.precision() < 0.98 || s.missed > 1 && s.recall() < leastRecall(kind)) {
			t.Errorf("%s: precision %.3f, recall %.3f", kind, s.precision(), s.recall())
		}
	}
	t.Logf("| healthy, falsely found | %d | %d | |", healthy, falsely)
	if ratio(falsely, healthy) > 0.01 {
		t.Errorf("%d of %d healthy runs have findings", falsely, healthy)
	}
}
