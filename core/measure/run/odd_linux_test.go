package run

import (
	"context"
	"fmt"
	"testing"
	"time"

	"opengauge/core/bench/sensor"
	"opengauge/core/plan"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// flipped is a target whose reads have one wrong bit, at a byte of it.
type flipped struct {
	target.Target
	at int64
}

func (f *flipped) Open(shape target.Shape) (target.Queue, error) {
	queue, err := f.Target.Open(shape)
	return &flippedQueue{Queue: queue, at: f.at, reads: map[int]target.Operation{}}, err
}

type flippedQueue struct {
	target.Queue
	at    int64
	reads map[int]target.Operation
}

func (q *flippedQueue) Submit(operations []target.Operation) error {
	for _, o := range operations {
		delete(q.reads, o.Slot)
		if o.Action == target.Read {
			q.reads[o.Slot] = o
		}
	}
	return q.Queue.Submit(operations)
}

func (q *flippedQueue) Wait(done []target.Completion, until time.Duration) (int, error) {
	filled, err := q.Queue.Wait(done, until)
	for _, c := range done[:filled] {
		o, ok := q.reads[c.Slot]
		if in := q.at - o.Offset; ok && in >= 0 && in < int64(o.Length) {
			q.Buffer(c.Slot)[in] ^= 1
		}
	}
	return filled, err
}

// Most storage is no whole number of large blocks. Sound storage of any size is found sound, to its last cell,
// and one wrong bit is one wrong cell.
func TestOddSizesAreVerified(t *testing.T) {
	open := map[string]func(unit.Bytes) (target.Target, error){
		"folder": func(size unit.Bytes) (target.Target, error) {
			return target.OpenPath(t.TempDir(), target.PathOptions{Size: size})
		},
		"device": func(size unit.Bytes) (target.Target, error) {
			device := witness.Loop(t, size)
			return target.OpenPath(device, target.PathOptions{Overwrite: fmt.Sprintf("%s:%d", device, size),
				OverwriteContents: true})
		},
		"volume": func(size unit.Bytes) (target.Target, error) {
			return nbd.Open(context.Background(), witness.Serve(t, size).Address, nbd.Options{
				Overwrite: witness.Export})
		},
	}
	sizes := []unit.Bytes{67_120_640, 10*unit.MiB + 12*unit.KiB, unit.MiB + 512, 3*unit.MiB - 512, 2 * unit.MiB,
		unit.MiB + 7*unit.KiB, 96 * unit.KiB, 5*unit.MiB + 4096}
	for i := range max(12*night.Tries(t, 20)/20, 2) { // from 1 to 6 MiB, in odd numbers of sectors; all at night
		sizes = append(sizes, unit.MiB+unit.Bytes(512*(2*((i*7919)%5000)+1)))
	}
	steps := "sweep: {operation: [write, read], access: [sequential, random], block: 16KiB, depth: 4, bytes: 1MiB}"
	for kind, opened := range open {
		t.Run(kind, func(t *testing.T) {
			t.Parallel()
			for _, size := range sizes {
				on, err := opened(size)
				if err != nil {
					t.Skip("opening it: ", err)
				}
				for _, wrong := range []int64{-1, int64(size) - 1, int64(size) / 3} {
					s, err := Run(context.Background(), Request{
						ID: "odd", Plan: must(t)(plan.Parse("p", []byte("plan: p\nsteps:\n  - "+steps+"\n"))), Hold: time.Second,
						Verify: true, Target: &flipped{on, wrong}, Sensors: sensor.None{},
					}, &notebook{}, nil)
					if err != nil {
						t.Errorf("%d bytes: %v", size, err)
						continue
					}
					v := s.Verification
					if wrong < 0 && (v.Faults != 0 || v.Written*int64(v.BlockBytes) != int64(on.Description().Span)) {
						t.Errorf("sound storage of %d bytes: %+v", size, v)
					}
					cell := int64(v.BlockBytes)
					if wrong >= 0 && (v.Wrong == 0 || v.Wrong != v.Faults || v.FirstOffset != wrong/cell*cell) {
						t.Errorf("%d bytes, byte %d wrong: %+v", size, wrong, v)
					}
				}
				_ = on.Close()
			}
		})
	}
}
