package transfer

import (
	"context"
	"math"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
)

// part is a simulated drive that reads and writes at so much.
func part(t *testing.T, name string, reads, writes float64, shared *sim.SharedHop) Part {
	t.Helper()
	demo, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	drive, enclosure := demo.Drives["sandpiper"], demo.Enclosures["barnacle"]
	drive.Name, drive.ReadRate, drive.WriteRate = name, unit.BytesPerSecond(reads), unit.BytesPerSecond(writes)
	drive.Throttle, drive.Flash = nil, sim.Flash{}
	enclosure.Carries = 10e9
	opened, err := sim.Bench{Drives: map[string]sim.Drive{name: drive},
		Enclosures: map[string]sim.Enclosure{"e": enclosure}}.Open(name, sim.Options{Enclosure: "e", Ambient: 23,
		Seed: 1, Shared: shared})
	if err != nil {
		t.Fatal(err)
	}
	return opened
}

func do(t *testing.T, mover Mover, work Work, set fileset.Set) session.Copy {
	t.Helper()
	made, err := mover.Do(context.Background(), work, set, Options{Parallel: 1, Sample: time.Second})
	if err != nil {
		t.Fatal(err)
	}
	return made
}

func near(got, want, share float64) bool { return math.Abs(got/want-1) <= share }

func TestASimulatedCopyRunsAsFastAsItsSlowerEnd(t *testing.T) {
	large, err := fileset.New("large-file", 8*unit.GiB, 1)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ reads, writes, want float64 }{{400e6, 900e6, 400e6}, {900e6, 300e6, 300e6},
		{500e6, 500e6, 500e6}} {
		source, destination := part(t, "a", c.reads, 3e9, nil), part(t, "b", 3e9, c.writes, nil)
		mover := NewSimulated(source, destination)
		whole, alone, other := do(t, mover, Copying, large), do(t, mover, Reading, large), do(t, mover, Writing, large)
		if !near(float64(whole.BytesPerSecond), c.want, 0.03) || !near(float64(alone.BytesPerSecond), c.reads,
			0.03) || !near(float64(other.BytesPerSecond), c.writes, 0.03) {
			t.Errorf("%v: copied at %.0f, source alone %.0f, destination alone %.0f", c, whole.BytesPerSecond,
				alone.BytesPerSecond, other.BytesPerSecond)
		}
		sum := unit.Bytes(0)
		for _, sample := range whole.Samples {
			sum += sample.Bytes
		}
		if whole.Bytes != large.Bytes() || sum != whole.Bytes || whole.Files != 1 || whole.FlushSeconds <= 0 {
			t.Errorf("%d bytes, samples of %d, %d files, a flush of %v", whole.Bytes, sum, whole.Files,
				whole.FlushSeconds)
		}
	}
}

func TestASharedHopTakesFromBothEnds(t *testing.T) {
	hop := &sim.SharedHop{Carries: 1000e6}
	mover := NewSimulated(part(t, "a", 2e9, 2e9, hop), part(t, "b", 2e9, 2e9, hop))
	large, _ := fileset.New("large-file", 4*unit.GiB, 1)
	if whole := do(t, mover, Copying, large); !near(float64(whole.BytesPerSecond), 500e6, 0.05) {
		t.Errorf("copied at %.0f", whole.BytesPerSecond)
	}
	if alone := do(t, mover, Reading, large); !near(float64(alone.BytesPerSecond), 1000e6, 0.05) {
		t.Errorf("read alone at %.0f", alone.BytesPerSecond)
	}
}

func TestManySmallFilesAreSlower(t *testing.T) {
	mover := NewSimulated(part(t, "a", 1e9, 1e9, nil), part(t, "b", 1e9, 1e9, nil))
	small, err := fileset.New("small-files", 16*unit.MiB, 1)
	if err != nil {
		t.Fatal(err)
	}
	made := do(t, mover, Copying, small)
	if made.Files != len(small.Entries) || made.BytesPerSecond > 100e6 || made.FileSeconds.P50 <= 0 {
		t.Errorf("%d of %d files at %.0f bytes a second, %v each", made.Files, len(small.Entries),
			made.BytesPerSecond, made.FileSeconds.P50)
	}
	four, err := mover.Do(context.Background(), Copying, small, Options{Parallel: 4, Sample: time.Second})
	if err != nil || float64(four.BytesPerSecond) < 2*float64(made.BytesPerSecond) {
		t.Errorf("four at once: %.0f against %.0f, %v", four.BytesPerSecond, made.BytesPerSecond, err)
	}
}
