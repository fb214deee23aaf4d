package figure

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/value"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func longSession() *session.Session {
	hop, _ := link.Find("usb 3.2 gen 2")
	s := &session.Session{
		ID: "k3f9abcdef", Target: session.Target{Address: "sim:sandpiper"}, Simulated: true,
		Chain: link.NewChain(hop.Hop("limpet")), Conditions: map[string]string{"fan": "on", "ambient": "23C"},
	}
	for index, samples := range []int{5, 60} {
		pass := session.Pass{Index: index, Load: load.Load{Operation: load.Write, Access: load.Sequential,
			Block: unit.MiB, Depth: 8}}
		for second := range samples {
			rate := unit.BytesPerSecond(1000e6)
			if second >= 30 {
				rate = 400e6
			}
			pass.Samples = append(pass.Samples, session.Sample{
				TSeconds: float64(second + 1), BytesPerSecond: rate,
				TemperaturesCelsius: map[string]unit.Celsius{"drive": 50, "bridge": 44},
			})
		}
		s.Passes = append(s.Passes, pass)
	}
	return s
}

func TestNewHeatTrace(t *testing.T) {
	s := longSession()
	findings := []session.Finding{
		{Kind: "heat-throttle", Severity: session.Caution, Passes: []int{1}, FromSeconds: 30, ToSeconds: 60},
		{Kind: "unsteady", Severity: session.Caution, Passes: []int{0}, FromSeconds: 1, ToSeconds: 2},
		{Kind: "link-bound", Severity: session.Note, Passes: []int{1}, ToSeconds: 60}, // all of it marks nothing
	}
	trace := NewHeatTrace(s, longestPass(s), findings, unit.Bits)
	if trace.Unit != "Gbit/s" || trace.Colour != Writes || trace.Seconds != 60 {
		t.Errorf("trace is in %s, %s, over %v s", trace.Unit, trace.Colour, trace.Seconds)
	}
	if first := trace.Throughput.Points[0]; first.Seconds != 0 || first.Value != 8 {
		t.Errorf("the trace begins at %+v, want 8 Gbit/s at 0", first)
	}
	if len(trace.Temperatures) != 2 || trace.Temperatures[0].Name != "bridge" {
		t.Errorf("temperatures are %v, want bridge and drive in order", trace.Temperatures)
	}
	if len(trace.Spans) != 1 || trace.Spans[0].Kind != "heat-throttle" || trace.Spans[0].LevelText != "3.2 Gbit/s" {
		t.Errorf("spans are %+v, want that of this pass alone", trace.Spans)
	}
	if !trace.ShowsCeiling() || trace.ThroughputTop() < trace.Ceiling.Value {
		t.Errorf("the ceiling %v does not fit below %v", trace.Ceiling, trace.ThroughputTop())
	}
	if trace.Subtitle != "sim:sandpiper (simulated) · ambient=23C · fan=on" {
		t.Errorf("subtitle is %q", trace.Subtitle)
	}
}

func TestLongPasses(t *testing.T) {
	s := longSession()
	if long := longPasses(s); len(long) != 1 || long[0].Index != 1 {
		t.Errorf("%d long passes", len(long))
	}
	if longestPass(&session.Session{}) != nil {
		t.Error("a session without passes has a longest one")
	}
}

func TestTopIsRoundAndAbove(t *testing.T) {
	for value, want := range map[float64]float64{0: 1, 1: 1, 1042: 1200, 999: 1000, 0.013: 0.015, 3.01: 4, 8.1: 10} {
		if got := Top(value); got < want*0.999999 || got > want*1.000001 {
			t.Errorf("Top(%v) = %v, want %v", value, got, want)
		}
	}
}

func TestAFarCeilingIsNotDrawn(t *testing.T) {
	trace := HeatTrace{Throughput: Line{Points: []Point{{1, 100}}}, Ceiling: &Ceiling{Value: 1000}}
	if trace.ShowsCeiling() || trace.ThroughputTop() != 120 {
		t.Errorf("a ceiling ten times above is drawn; top %v", trace.ThroughputTop())
	}
}

func TestDepthMapTellsMeasuredFromFilledIn(t *testing.T) {
	s := &session.Session{ID: "k3f9"}
	for _, pass := range []struct {
		depth int
		rate  unit.BytesPerSecond
	}{{1, 40e6}, {8, 300e6}, {8, 320e6}, {8, 310e6}} {
		for _, block := range []unit.Bytes{4096, 8192} {
			s.Passes = append(s.Passes, session.Pass{
				Load: load.Load{Operation: load.Read, Access: load.Random, Block: block, Depth: pass.depth,
					Workers: 1}, BytesPerSecond: pass.rate,
			})
		}
	}
	s.Estimates = []session.Estimate{
		{Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 4, Workers: 1},
			BytesPerSecond: 155e6},
		{Load: load.Load{Operation: load.Write, Access: load.Random, Block: 8192, Depth: 4, Workers: 1},
			BytesPerSecond: 155e6},
	}
	maps := DepthMaps(s, unit.Decimal)
	if len(maps) != 1 || len(maps[0].Depths) != 3 || maps[0].FilledIn != 1 || maps[0].Note() == "" {
		t.Fatalf("maps are %+v", maps)
	}
	row := maps[0].Cells[0]
	if row[1].Text != "≈155" || row[2].Text != "310" || row[2].Share != 310.0/320 {
		t.Errorf("the row of 4 KiB is %+v", row)
	}
	if maps[0].Cells[1][1].Known {
		t.Error("an estimate of writes stands in a map of reads")
	}
}

func TestChainStrip(t *testing.T) {
	s := longSession()
	x4, _ := link.PCIe(8e9, 4)
	x2, _ := link.PCIe(8e9, 2)
	wide, _ := link.Find("usb 3.2 gen 2")
	s.Chain = link.NewChain(link.Trained("slot", x2.State(), x4.State()), wide.Hop("limpet"),
		link.Hop{Name: "virtio1", State: link.State{Standard: "virtio"}})
	s.Passes[1].BytesPerSecond = 1042e6
	strip, known := ChainStripOf(s, unit.Decimal)
	if !known || len(strip.Hops) != 3 || strip.Flow == nil || strip.Flow.Text != "1\u00a0042 MB/s" ||
		strip.Top != 4000 {
		t.Fatalf("strip is %+v", strip)
	}
	for i, want := range []string{MarkDegraded, MarkNarrowest, MarkUnknown} {
		if strip.Hops[i].Mark != want {
			t.Errorf("hop %d is marked %q, want %q", i, strip.Hops[i].Mark, want)
		}
	}
	if strip.Hops[0].Capable <= strip.Hops[0].High || strip.Hops[1].Text != "961 to 1\u00a0084" {
		t.Errorf("hops are %+v", strip.Hops)
	}
	s.Chain = link.NewChain()
	if _, known := ChainStripOf(s, unit.Decimal); known {
		t.Error("a chain without hops has a strip")
	}
}

func TestFillLadder(t *testing.T) {
	s := &session.Session{ID: "k3f9"}
	for _, each := range []struct {
		fill float64
		rate unit.BytesPerSecond
	}{{0.9, 400e6}, {0, 1000e6}, {0.5, 800e6}, {0, 1020e6}, {0, 980e6}} {
		s.Passes = append(s.Passes,
			session.Pass{Load: load.Load{Operation: load.Write, Access: load.Sequential, Block: unit.MiB, Depth: 8},
				FillShare: each.fill, BytesPerSecond: each.rate})
	}
	ladder, known := NewFillLadder(s, unit.Decimal)
	if !known || len(ladder.Loads) != 1 || len(ladder.Loads[0].Rungs) != 3 || ladder.Top != 1000 {
		t.Fatalf("ladder is %+v", ladder)
	}
	climb := ladder.Loads[0]
	if climb.Label != "write sequential 1 MiB, depth 8" || !climb.Writes || climb.Rungs[2].Of != 0.4 ||
		climb.Rungs[0].Text != "1\u00a0000" {
		t.Errorf("the climb is %+v", climb)
	}
	if _, known := NewFillLadder(&session.Session{Passes: s.Passes[:1]}, unit.Decimal); known {
		t.Error("one level makes a ladder")
	}
}

func TestLongTracesKeepTheirDipsAndTheFan(t *testing.T) {
	pass := session.Pass{Load: load.Load{Operation: load.Write, Access: load.Sequential, Block: unit.MiB, Depth: 8}}
	for second := range 86_400 {
		sample := session.Sample{
			TSeconds: float64(second + 1), ElapsedSeconds: 1, BytesPerSecond: 1000e6,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": 50},
			Readings:            map[string]float64{"fan_running": 0},
		}
		if second == 54_321 {
			sample.BytesPerSecond = 10e6
		}
		if second >= 1000 && second < 2000 {
			sample.Readings["fan_running"] = 1
		}
		pass.Samples = append(pass.Samples, sample)
	}
	s := &session.Session{Chain: link.NewChain(), Passes: []session.Pass{pass}}
	trace := NewHeatTrace(s, &s.Passes[0], nil, unit.Decimal)
	lowest := math.Inf(1)
	for _, point := range trace.Throughput.Points {
		lowest = min(lowest, point.Value)
	}
	if lowest != 10 || len(trace.Throughput.Points) > 4000 || len(trace.Temperatures[0].Points) > 4000 {
		t.Errorf("%d points, the lowest %v", len(trace.Throughput.Points), lowest)
	}
	if !trace.FanKnown || len(trace.Fan) != 1 || trace.Fan[0] != (Stretch{1000, 2000}) {
		t.Errorf("the fan ran %v", trace.Fan)
	}
}

func TestBars(t *testing.T) {
	one := &session.Session{ID: "a", Name: "slow", Simulated: true,
		Parts: []book.Part{{Kind: book.Drive, Name: "d", Price: 50, Capacity: 1e12}}}
	other := &session.Session{ID: "b", Name: "fast", Parts: one.Parts}
	for s, rate := range map[*session.Session]float64{one: 1e9, other: 1.5e9} {
		for repeat := range 3 {
			s.Passes = append(s.Passes, session.Pass{
				Index: repeat, Load: load.Load{Operation: load.Write, Access: load.Sequential, Block: unit.MiB,
					Depth: 8}, BytesPerSecond: unit.BytesPerSecond(rate * (1 + 0.01*float64(repeat))),
			})
		}
	}
	made, err := compare.New([]*session.Session{one, other}, compare.Terms{})
	if err != nil {
		t.Fatal(err)
	}
	bars := Comparison(made, unit.Decimal)
	group := bars.Groups[0]
	if !strings.HasSuffix(bars.Subtitle, "(simulated)") || !group.Writes || group.Better != "longer is better" ||
		len(group.Bars) != 2 {
		t.Errorf("bars are %+v", bars)
	}
	if bar := group.Bars[1]; bar.Name != "fast" || bar.Text != "1\u00a0515 MB/s, 50 % faster" ||
		bar.Low >= bar.Value || bar.High <= bar.Value || group.Top() != bar.High {
		t.Errorf("the bar is %+v of %v", bar, group.Top())
	}
	value, err := value.Of([]*session.Session{one}, value.Terms{}, unit.Decimal)
	if err != nil {
		t.Fatal(err)
	}
	if money, drawn := Money(value, unit.Decimal); !drawn ||
		money.Groups[0].Bars[0].Text != "1\u00a0010 MB/s for 50" ||
		!strings.Contains(money.Summary(), "writes: d 1\u00a0010 MB/s for 50") {
		t.Errorf("money is %+v", money)
	}
}

func TestTraceIsThinned(t *testing.T) {
	trace := HeatTrace{Unit: "MB/s", Temperatures: []Line{{Name: "drive", Points: []Point{{Seconds: 1, Value: 40}}}}}
	for second := range 300 {
		trace.Throughput.Points = append(trace.Throughput.Points, Point{Seconds: float64(second + 1), Value: 100})
	}
	made := trace.Table()
	if len(made.Rows) != 60 || len(made.Notes) != 1 || made.Rows[0][2] != "40" || made.Rows[1][2] != "" {
		t.Errorf("%d rows, notes %q, first %q", len(made.Rows), made.Notes, made.Rows[0])
	}
}
