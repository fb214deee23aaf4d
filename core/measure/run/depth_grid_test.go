package run

import (
	"context"
	"fmt"
	"math"
	"testing"

	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
)

// kinds of drives, by what they are limited by. Each is the demo's drive with
// other figures.
var kinds = map[string]func(*sim.Drive, *sim.Enclosure){
	"fast flash behind 10 Gbit/s": func(*sim.Drive, *sim.Enclosure) {},
	"fast flash behind 40 Gbit/s": func(_ *sim.Drive, e *sim.Enclosure) {
		e.Carries, e.PerOperation,
			e.Latency = 2810e6, 2400, 9000
	},
	"slow flash on a slow link": func(d *sim.Drive, e *sim.Enclosure) {
		d.ReadLatency, d.ReadRate, d.Parallelism, e.Carries, e.PerOperation = 140_000, 530e6, 8, 545e6, 10_000
	},
	"four units of slow flash": func(d *sim.Drive, _ *sim.Enclosure) { d.ReadLatency, d.Parallelism = 300_000, 4 },
	"a single disk arm": func(d *sim.Drive, e *sim.Enclosure) {
		d.ReadLatency, d.Parallelism, d.ReadRate, e.Carries = 8_000_000, 1, 210e6, 545e6
	},
	"flash with very even latency": func(d *sim.Drive, _ *sim.Enclosure) { d.Jitter = 0 },
	"flash with uneven latency":    func(d *sim.Drive, _ *sim.Enclosure) { d.Jitter = 0.6 },
}

// runMap runs the depth map on a kind of drive.
func runMap(t *testing.T, change func(*sim.Drive, *sim.Enclosure), adaptive bool) *session.Session {
	t.Helper()
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	drive, enclosure := bench.Drives["sandpiper"], bench.Enclosures["limpet"]
	change(&drive, &enclosure)
	bench.Drives["sandpiper"], bench.Enclosures["limpet"] = drive, enclosure
	part, err := bench.Open("sandpiper", sim.Options{Ambient: 10, Seed: 3})
	if err != nil {
		t.Fatal(err)
	}
	p := loaded(t, "depth-map").EachSweep(func(s *plan.Sweep) { s.Adaptive, s.HoldSeconds = adaptive, 1 })
	s, err := Run(context.Background(), Request{ID: "map", Plan: p, Target: part, Sensors: part}, &notebook{}, nil)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func cellName(operation load.Operation, block, depth any) string {
	return fmt.Sprint(operation, block, depth)
}

// What is filled in has to be what measuring would have given.
func TestAdaptiveMapIsTrueAndSparing(t *testing.T) {
	for name, change := range kinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			whole, adaptive := runMap(t, change, false), runMap(t, change, true)
			if len(whole.Estimates) != 0 {
				t.Errorf("a whole map has %d estimates", len(whole.Estimates))
			}
			if share := float64(len(adaptive.Passes)) / float64(len(whole.Passes)); share > 0.4 {
				t.Errorf("%.1f %% of the passes were measured, want at most 40", share*100)
			}
			if together := len(adaptive.Passes) + len(adaptive.Estimates); together != len(whole.Passes) {
				t.Fatalf("%d cells are known, want %d", together, len(whole.Passes))
			}
			truth := map[string]float64{}
			for _, pass := range whole.Passes {
				truth[cellName(pass.Operation, pass.Block, pass.Depth)] = float64(pass.BytesPerSecond)
			}
			worst := 0.0
			for _, e := range adaptive.Estimates {
				off := float64(e.BytesPerSecond)/truth[cellName(e.Operation, e.Block, e.Depth)] - 1
				if worst = max(worst, math.Abs(off)); !(math.Abs(off) <= 0.05) {
					t.Errorf("%s, depth %d: filled in %.1f %% off", e.Block, e.Depth, off*100)
				}
			}
			t.Logf("%d of %d passes, worst estimate %.1f %% off", len(adaptive.Passes), len(whole.Passes), worst*100)
		})
	}
}

func TestSmallMapsAreMeasuredWhole(t *testing.T) {
	p := must(t)(plan.Parse("p", []byte("plan: p\nsteps:\n  - sweep: {operation: read, access: random, block: "+
		"[4KiB, 8KiB], depth: [1, 2, 4], hold: 100ms, adaptive: yes}\n")))
	request := simulated(t, "quick", 1)
	request.Plan = p
	s, err := Run(context.Background(), request, &notebook{}, nil)
	if err != nil || len(s.Passes) != 6 || len(s.Estimates) != 0 {
		t.Errorf("%d passes, %d estimates, %v", len(s.Passes), len(s.Estimates), err)
	}
}
