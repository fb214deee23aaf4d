package sim

import (
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// load is what drive keeps under way on a part.
type load struct {
	action     target.Action
	block      unit.Bytes
	depth      int
	random     bool
	start, end unit.Bytes // the part of the drive that is touched; 0 is all
}

// drive keeps a load under way for a stretch of virtual time, and gives the
// bytes a second of every second of it and the operations that failed.
func drive(t testing.TB, part *Device, l load, stretch time.Duration) (perSecond []float64, failed int) {
	t.Helper()
	queue, err := part.Open(target.Shape{Slots: l.depth, Block: l.block})
	if err != nil {
		t.Fatal(err)
	}
	if l.end == 0 {
		l.end = part.drive.Capacity
	}
	at, state := int64(l.start), uint64(1)
	next := func() int64 {
		blocks := (int64(l.end) - int64(l.start)) / int64(l.block)
		if l.random {
			state = state*6364136223846793005 + 1442695040888963407
			return int64(l.start) + int64(state>>11)%blocks*int64(l.block)
		}
		offset := at
		if at += int64(l.block); at+int64(l.block) > int64(l.end) {
			at = int64(l.start)
		}
		return offset
	}
	began, done := part.Now(), make([]target.Completion, l.depth)
	perSecond = make([]float64, int(stretch.Seconds()))
	batch := make([]target.Operation, 0, l.depth)
	for slot := range l.depth {
		batch = append(batch, target.Operation{Action: l.action, Slot: slot, Offset: next(), Length: int(l.block)})
	}
	for part.Now() < began+stretch && failed < 100 {
		if err := queue.Submit(batch); err != nil {
			t.Fatal(err)
		}
		filled, err := queue.Wait(done, began+stretch)
		if err != nil {
			t.Fatal(err)
		}
		batch = batch[:0]
		for _, c := range done[:filled] {
			if second := int((c.Completed - began) / time.Second); c.Err == nil && second < len(perSecond) {
				perSecond[second] += float64(l.block)
			} else if c.Err != nil {
				failed++
			}
			batch = append(batch, target.Operation{Action: l.action, Slot: c.Slot, Offset: next(),
				Length: int(l.block)})
		}
	}
	return perSecond, failed
}

func open(t testing.TB, name string, options Options) *Device {
	t.Helper()
	bench, err := DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	if options.Ambient == 0 {
		options.Ambient = 20
	}
	part, err := bench.Open(name, options)
	if err != nil {
		t.Fatal(err)
	}
	return part
}

func near(t *testing.T, what string, got, want, within float64) {
	t.Helper()
	if !(math.Abs(got-want) <= within*want) {
		t.Errorf("%s is %.4g, want %.4g", what, got, want)
	}
}

var write1MiB = load{action: target.Write, block: unit.MiB, depth: 8}

func TestTheFastWriteAreaRunsOut(t *testing.T) {
	part := open(t, "dunlin", Options{Enclosure: "barnacle", Cooling: AlwaysOn})
	rates, _ := drive(t, part, write1MiB, 200*time.Second)
	written := 0.0
	for _, rate := range rates {
		if rate < 1000e6 {
			break
		}
		written += rate
	}
	// The area shrinks while the drive fills: 180 GB less 9 % of what lies
	// between empty and full.
	near(t, "what is written fast", written, 180e9-172e9*written/2000e9, 0.03)
	near(t, "the rate after it", rates[150], 190e6, 0.02)
	// A rest gives back what the drive folds away meanwhile.
	part.Sleep(5 * time.Minute)
	again, _ := drive(t, part, write1MiB, 60*time.Second)
	fast := 0.0
	for _, rate := range again {
		if rate > 1000e6 {
			fast += rate
		}
	}
	near(t, "what is fast again", fast, 160e6*300, 0.1)
}

func TestAFullDriveIsSlower(t *testing.T) {
	part := open(t, "dunlin", Options{Enclosure: "barnacle", Cooling: AlwaysOn})
	read := load{action: target.Read, block: unit.MiB, depth: 16}
	empty, _ := drive(t, part, read, 5*time.Second)
	for chunk := range part.cells.held { // as after writing all of it
		part.cells.take(int64(chunk)*int64(64*unit.MiB), int(64*unit.MiB))
	}
	near(t, "the fill", part.Fill(), 1, 0.01)
	full, _ := drive(t, part, read, 5*time.Second)
	near(t, "reads of the full drive", full[3], 3500e6*0.45, 0.05)
	if empty[3] < 2700e6 {
		t.Errorf("reads of the empty drive run at %.0f MB/s", empty[3]/1e6)
	}
	if err := part.Discard(0); err != nil || part.Fill() != 0 {
		t.Errorf("after a discard the drive is full to %v, %v", part.Fill(), err)
	}
}

func TestDiskZonesAndSeeks(t *testing.T) {
	outer, _ := drive(t, open(t, "turnstone", Options{}), load{action: target.Read, block: unit.MiB, depth: 4},
		5*time.Second)
	near(t, "the outermost zone", outer[2], 210e6, 0.02)
	inner, _ := drive(t, open(t, "turnstone", Options{}), load{action: target.Read, block: unit.MiB, depth: 4,
		start: 3990 * unit.GB}, 5*time.Second)
	near(t, "the innermost zone", inner[2], 95e6, 0.04)
	random, _ := drive(t, open(t, "turnstone", Options{}), load{action: target.Read, block: 4 * unit.KiB, depth: 1,
		random: true}, 20*time.Second)
	// A mean seek over random pairs takes E sqrt|x-y| = 8/15 of the way, and half
	// a turn.
	each := 1e-3 + 14e-3*8/15 + 8.3e-3/2
	near(t, "random reads a second", random[10]/4096, 1/each, 0.15)
}

func TestVolumesHoldTheirLimits(t *testing.T) {
	small := load{action: target.Read, block: 4 * unit.KiB, depth: 32, random: true}
	large := load{action: target.Read, block: 256 * unit.KiB, depth: 32}
	iops, _ := drive(t, open(t, "lagoon-steady", Options{}), small, 5*time.Second)
	near(t, "operations a second", iops[3]/4096, 6000, 0.01)
	bytes, _ := drive(t, open(t, "lagoon-steady", Options{}), large, 5*time.Second)
	near(t, "bytes a second", bytes[3], 250e6, 0.01)
}

func TestCreditsRunOutAndComeBack(t *testing.T) {
	part := open(t, "lagoon-burst", Options{})
	small := load{action: target.Read, block: 4 * unit.KiB, depth: 32, random: true}
	rates, _ := drive(t, part, small, 400*time.Second)
	near(t, "the burst", rates[10]/4096, 3000, 0.01)
	near(t, "afterwards", rates[390]/4096, 1500, 0.01)
	lasted := 0
	for lasted < len(rates) && rates[lasted]/4096 > 2250 {
		lasted++
	}
	// 450 000 credits, spent at 3000 and earned at 1500 a second.
	near(t, "how long it lasts", float64(lasted), 450_000.0/1500, 0.02)
	part.Sleep(100 * time.Second)
	again, _ := drive(t, part, small, 200*time.Second)
	lasted = 0
	for lasted < len(again) && again[lasted]/4096 > 2250 {
		lasted++
	}
	near(t, "how long it lasts again", float64(lasted), 100, 0.05)
}

func TestAnEnclosureDropsOffWhenHot(t *testing.T) {
	part := open(t, "sandpiper", Options{Enclosure: "whelk"})
	rates, failed := drive(t, part, write1MiB, 300*time.Second)
	if failed == 0 || !part.gone() || part.Reopen(nil) == nil {
		t.Fatalf("nothing failed; the drive is at %s", part.heat.temperature)
	}
	if part.Temperatures() != nil {
		t.Error("a drive that is gone reports its temperature")
	}
	part.Sleep(19 * time.Second)
	if err := part.Reopen(nil); err != nil {
		t.Fatal("the drive is not back: ", err)
	}
	back, _ := drive(t, part, write1MiB, 5*time.Second)
	near(t, "the rate when it is back", back[2], 430e6, 0.02)
	near(t, "the rate before", rates[5], 1010e6, 0.02)
}

func TestABridgeThatStalls(t *testing.T) {
	bench, _ := DemoBench()
	limpet := bench.Enclosures["limpet"]
	limpet.StallEvery, limpet.StallFor = 10*time.Second, 2*time.Second
	bench.Enclosures["limpet"] = limpet
	part, err := bench.Open("sandpiper", Options{Ambient: 20})
	if err != nil {
		t.Fatal(err)
	}
	rates, _ := drive(t, part, write1MiB, 30*time.Second)
	if rates[5] < 1000e6 || rates[11] > 50e6 || rates[15] < 1000e6 {
		t.Errorf("the rates are %v", rates)
	}
}

func TestTwoDrivesOnOneHopTakeFromEachOther(t *testing.T) {
	hop := &SharedHop{Carries: 1200e6}
	part := func(seed uint64) *Device { return open(t, "sandpiper", Options{Shared: hop, Seed: seed}) }
	alone, _ := drive(t, part(1), write1MiB, 5*time.Second)
	near(t, "one alone", alone[3], 1042e6, 0.02) // its own bridge
	hop.free = 0
	both, moved := []*Device{part(2), part(3)}, []float64{0, 0}
	var queues []target.Queue
	for _, p := range both {
		queue, _ := p.Open(target.Shape{})
		for slot := range 8 {
			_ = queue.Submit([]target.Operation{{Action: target.Write, Slot: slot, Length: int(unit.MiB)}})
		}
		queues = append(queues, queue)
	}
	done := make([]target.Completion, 8)
	for i := 0; both[i].Now() < 5*time.Second; {
		filled, _ := queues[i].Wait(done, 5*time.Second)
		for _, c := range done[:filled] {
			moved[i] += float64(unit.MiB)
			_ = queues[i].Submit([]target.Operation{{Action: target.Write, Slot: c.Slot, Length: int(unit.MiB)}})
		}
		if both[1-i].Now() < both[i].Now() {
			i = 1 - i
		}
	}
	near(t, "the share of one", moved[0]/(moved[0]+moved[1]), 0.5, 0.05)
	near(t, "both together", (moved[0]+moved[1])/5, 1200e6, 0.03)
}

func TestThrottleStages(t *testing.T) {
	d := &Drive{IdleWatts: 0, Throttle: []Stage{{At: 60, Until: 50, Rate: 800e6}, {At: 70, Until: 65, Rate: 200e6}}}
	h := newThermal(d, &Enclosure{HeatCapacity: 10, Resistance: 5, Cooling: Passive}, 20)
	for _, c := range []struct {
		celsius unit.Celsius
		want    unit.BytesPerSecond
	}{{40, unlimited}, {61, 800e6}, {71, 200e6}, {66, 200e6}, {64, 800e6}, {51, 800e6}, {49, unlimited}} {
		h.temperature = c.celsius
		h.throttle()
		if h.limit != c.want {
			t.Errorf("at %s the limit is %v, want %v", c.celsius, h.limit, c.want)
		}
	}
}

func TestPartsRefuseNonsense(t *testing.T) {
	for want, change := range map[string][2]string{
		"lower temperature":   {"until: 63C", "until: 73C"},
		"not a share":         {"jitter: 12%", "jitter: 0.12"},
		"needs iops":          {"iops: 6000", "iops: 0"},
		"the key \"rate\" is": {"{at: 70C, until: 63C, rate: 450MB/s}", "{at: 70C, until: 63C}"},
	} {
		source := strings.Replace(string(benchSource), change[0], change[1], 1)
		if _, err := ParseBench("b.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: error is %v, want %q in it", change[1], err, want)
		}
	}
}

func FuzzParseBench(f *testing.F) {
	f.Add(string(benchSource))
	f.Fuzz(func(t *testing.T, source string) {
		bench, err := ParseBench("f.yaml", []byte(source))
		if err != nil {
			return
		}
		for name := range bench.Volumes {
			if _, err := bench.Open(name, Options{}); err != nil {
				t.Fatal(err)
			}
		}
	})
}
