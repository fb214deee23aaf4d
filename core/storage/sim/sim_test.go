package sim

import (
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// openDemo opens the sandpiper as the demo bench has it.
func openDemo(t *testing.T, options Options) *Device {
	t.Helper()
	bench, err := DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	if options.Ambient == 0 {
		options.Ambient = 23
	}
	part, err := bench.Open("sandpiper", options)
	if err != nil {
		t.Fatal(err)
	}
	return part
}

// write keeps eight 1 MiB writes under way for a stretch of virtual time and
// gives the throughput.
func write(t *testing.T, part *Device, stretch time.Duration) unit.BytesPerSecond {
	t.Helper()
	queue, err := part.Open(target.Shape{Slots: 8, Block: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	began, done, bytes := part.Now(), make([]target.Completion, 8), 0
	for slot := range 8 {
		_ = queue.Submit([]target.Operation{{Action: target.Write, Slot: slot, Length: int(unit.MiB)}})
	}
	for part.Now() < began+stretch {
		filled, err := queue.Wait(done, began+stretch)
		if err != nil {
			t.Fatal(err)
		}
		for _, completion := range done[:filled] {
			bytes += int(unit.MiB)
			_ = queue.Submit([]target.Operation{{Action: target.Write, Slot: completion.Slot, Length: int(unit.MiB)}})
		}
	}
	return unit.BytesPerSecond(float64(bytes) / stretch.Seconds())
}

func TestLinkIsTheCeiling(t *testing.T) {
	for enclosure, want := range map[string]float64{"limpet": 1042e6, "barnacle": 2810e6} {
		part := openDemo(t, Options{Enclosure: enclosure})
		if got := float64(write(t, part, 5*time.Second)); !(math.Abs(got/want-1) <= 0.01) {
			t.Errorf("%s carries %.0f MB/s, want %.0f", enclosure, got/1e6, want/1e6)
		}
	}
}

func TestHeatThrottlesAndResumes(t *testing.T) {
	part := openDemo(t, Options{Enclosure: "limpet"})
	var states []bool
	for range 300 {
		write(t, part, time.Second)
		if throttled := part.heat.limit != unlimited; len(states) == 0 || states[len(states)-1] != throttled {
			states = append(states, throttled)
		}
		if celsius := part.Temperatures()["drive"]; celsius > part.drive.Throttle[0].At+1 {
			t.Fatalf("the drive is at %s, above its throttle temperature", celsius)
		}
	}
	if len(states) < 3 {
		t.Errorf("throttle went through the states %v, want at least fast, slow, fast", states)
	}
}

// A thermal mass that is heated with a constant power approaches the balance
// temperature as 1 - e^(-t/RC).
func TestThermalFollowsTheEquation(t *testing.T) {
	drive := &Drive{IdleWatts: 2}
	enclosure := &Enclosure{HeatCapacity: 10, Resistance: 12, Cooling: Passive}
	h := newThermal(drive, enclosure, 20)
	if h.temperature != 44 {
		t.Fatalf("idle balance is %s, want 44 °C", h.temperature)
	}
	for second := range 120 {
		for i := range 10 {
			h.spend(3 * tick.Seconds())
			h.advance(time.Duration(second)*time.Second + time.Duration(i+1)*tick)
		}
	}
	want := 44 + 36*(1-math.Exp(-1))
	if got := float64(h.temperature); !(math.Abs(got-want) <= 0.05) {
		t.Errorf("after RC seconds the temperature is %.2f, want %.2f", got, want)
	}
}

func TestFanModes(t *testing.T) {
	highest := func(cooling Cooling) (hottest unit.Celsius, throttled bool) {
		part := openDemo(t, Options{Enclosure: "barnacle", Cooling: cooling})
		for range 300 {
			write(t, part, time.Second)
			hottest = max(hottest, part.heat.temperature)
			throttled = throttled || part.heat.limit != unlimited
		}
		return hottest, throttled
	}
	if hottest, throttled := highest(AlwaysOn); throttled || hottest > 68 {
		t.Errorf("with the fan on: throttled %v, hottest %s", throttled, hottest)
	}
	if _, throttled := highest(Automatic); !throttled {
		t.Error("with an automatic fan that starts late the drive ought to throttle")
	}
	if _, throttled := highest(FanOff); !throttled {
		t.Error("without the fan the drive ought to throttle")
	}
}

func TestSameSeedSameCompletions(t *testing.T) {
	trace := func(seed uint64) []time.Duration {
		part := openDemo(t, Options{Seed: seed})
		queue, _ := part.Open(target.Shape{Slots: 4, Block: 4096})
		done, times := make([]target.Completion, 4), []time.Duration{}
		for slot := range 4 {
			_ = queue.Submit([]target.Operation{{Action: target.Read, Slot: slot, Length: 4096}})
		}
		for len(times) < 200 {
			filled, _ := queue.Wait(done, part.Now()+time.Second)
			for _, completion := range done[:filled] {
				times = append(times, completion.Completed)
				_ = queue.Submit([]target.Operation{{Action: target.Read, Slot: completion.Slot, Length: 4096}})
			}
		}
		return times
	}
	first, again, other := trace(7), trace(7), trace(8)
	differs := false
	for i := range first {
		if first[i] != again[i] {
			t.Fatalf("completion %d is at %s, then at %s", i, first[i], again[i])
		}
		differs = differs || i < len(other) && first[i] != other[i]
	}
	if !differs {
		t.Error("another seed gives the same completions")
	}
}

func TestWaitMovesTheClockWhenNothingIsUnderWay(t *testing.T) {
	part := openDemo(t, Options{})
	queue, _ := part.Open(target.Shape{Slots: 1, Block: 512})
	if filled, err := queue.Wait(make([]target.Completion, 1), time.Minute); filled != 0 || err != nil {
		t.Fatalf("an empty queue gives %d completions, %v", filled, err)
	}
	if part.Now() != time.Minute {
		t.Errorf("the clock is at %s, want 1m0s", part.Now())
	}
}

func TestOpenRefuses(t *testing.T) {
	bench, _ := DemoBench()
	for _, c := range []struct {
		drive   string
		options Options
		want    string
	}{
		{"albatross", Options{}, "known are curlew, dunlin, sandpiper, turnstone, lagoon-burst, lagoon-steady"},
		{"sandpiper", Options{Enclosure: "hull"}, "known are barnacle, limpet, whelk"},
		{"sandpiper", Options{Enclosure: "limpet", Cooling: AlwaysOn}, "has no fan"},
		{"sandpiper", Options{Span: 2 * unit.TB}, "larger than"},
	} {
		if _, err := bench.Open(c.drive, c.options); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s %+v: error is %v, want one with %q", c.drive, c.options, err, c.want)
		}
	}
}

func TestParseBenchErrors(t *testing.T) {
	for name, c := range map[string]struct{ source, want string }{
		"unknown key":   {"drives: {x: {speed: 1}}", `unknown key "speed"`},
		"missing key":   {"enclosures: {x: {about: y}}", "is missing"},
		"unknown group": {"cables: {}", `unknown key "cables"`},
		"bad link": {strings.Replace(string(benchSource), "usb4 40g", "string", 1),
			`unknown link standard "string"`},
		"bad cooling": {strings.Replace(string(benchSource), "cooling: passive", "cooling: ice", 1),
			`unknown cooling "ice"`},
	} {
		if _, err := ParseBench("b.yaml", []byte(c.source)); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v, want one with %q", name, err, c.want)
		}
	}
}

func BenchmarkQueue(b *testing.B) {
	bench, _ := DemoBench()
	part, _ := bench.Open("sandpiper", Options{Ambient: 23})
	queue, _ := part.Open(target.Shape{Slots: 32, Block: 4096})
	done, batch := make([]target.Completion, 32), make([]target.Operation, 0, 32)
	for slot := range 32 {
		batch = append(batch, target.Operation{Action: target.Read, Slot: slot, Length: 4096})
	}
	_ = queue.Submit(batch)
	b.ReportAllocs()
	for completed := 0; completed < b.N; {
		filled, _ := queue.Wait(done, part.Now()+time.Second)
		batch = batch[:0]
		for _, completion := range done[:filled] {
			batch = append(batch, target.Operation{Action: target.Read, Slot: completion.Slot, Length: 4096})
		}
		_ = queue.Submit(batch)
		completed += filled
	}
}
