package engine

import (
	"context"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// memoryDisk keeps data in memory, at the metronome's pace, with faults.
type memoryDisk struct {
	metronome
	store []byte
	// place says where data for an offset goes, or -1 for nowhere.
	place func(offset int64) int64
	// drop says whether a write is acknowledged and forgotten.
	drop func(write int) bool
	// spoil changes what is read.
	spoil  func(offset int64, data []byte)
	writes int
}

func newMemoryDisk(size unit.Bytes) *memoryDisk {
	d := &memoryDisk{metronome: metronome{service: 10 * time.Microsecond}, store: make([]byte, size),
		place: func(o int64) int64 { return o }}
	for range 8 {
		d.buffers = append(d.buffers, make([]byte, 64*unit.KiB))
	}
	return d
}

func (d *memoryDisk) Open(target.Shape) (target.Queue, error) { return d, nil }

func (d *memoryDisk) Submit(operations []target.Operation) error {
	for _, o := range operations {
		if o.Action == target.Flush {
			continue
		}
		data := d.buffers[o.Slot][:o.Length]
		at := d.place(o.Offset)
		if o.Action == target.Write {
			d.writes++
			if at >= 0 && (d.drop == nil || !d.drop(d.writes)) {
				copy(d.store[at:], data)
			}
			continue
		}
		clear(data)
		if at >= 0 {
			copy(data, d.store[at:])
		}
		if d.spoil != nil {
			d.spoil(o.Offset, data)
		}
	}
	return d.metronome.Submit(operations)
}

// verify writes a span of 4 MiB twice, reads it back, and gives the verdict.
func verify(t *testing.T, d *memoryDisk) Checked {
	t.Helper()
	const span = 4 * unit.MiB
	ledger := NewLedger(span, LargestCell, 0xfeed)
	for _, request := range []Request{
		{Load: load.New(load.Write, load.Sequential, 64*unit.KiB, 8)},
		{Load: load.New(load.Write, load.Sequential, 4*unit.KiB, 8)},
		{Load: load.New(load.Read, load.Sequential, 64*unit.KiB, 8)},
	} {
		request.Span, request.Ledger = span, ledger
		ledger.Begin()
		if _, err := Run(context.Background(), d, asking(request, Timing{Bytes: span, Sample: time.Second},
			Watch{})); err != nil {
			t.Fatal(err)
		}
	}
	return ledger.Checked()
}

func TestVerificationFindsWhatIsWrong(t *testing.T) {
	const cells = 1024 // of 4 KiB in the span
	cases := []struct {
		name string
		harm func(*memoryDisk)
		want Checked
	}{
		{"a sound device", func(*memoryDisk) {}, Checked{FirstOffset: -1}},
		{"one flipped bit", func(d *memoryDisk) {
			d.spoil = func(offset int64, data []byte) {
				if offset == 128*1024 {
					data[5000] ^= 4
				}
			}
		}, Checked{Wrong: 1, FirstOffset: 128*1024 + 4096}},
		{"a write that was forgotten", func(d *memoryDisk) {
			d.drop = func(write int) bool { return write == 64+11 } // of the second pass
		}, Checked{Stale: 1, FirstOffset: 10 * 4096}},
		{"two places confused", func(d *memoryDisk) {
			d.spoil = func(offset int64, data []byte) {
				if offset == 0 {
					copy(data[:4096], data[8192:12288])
				}
			}
		}, Checked{Misplaced: 1, FirstOffset: 0}},
		{"wraps at 1 MiB", func(d *memoryDisk) {
			d.place = func(offset int64) int64 { return offset % int64(unit.MiB) }
		}, Checked{Misplaced: 768, FirstOffset: 0, WrapsAt: unit.MiB}},
		{"holds nothing above 3 MiB", func(d *memoryDisk) {
			d.place = func(offset int64) int64 {
				if offset >= 3*int64(unit.MiB) {
					return -1
				}
				return offset
			}
		}, Checked{Wrong: 256, FirstOffset: 3 * int64(unit.MiB), WrapsAt: 3 * unit.MiB}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			d := newMemoryDisk(4 * unit.MiB)
			c.harm(d)
			c.want.Checked, c.want.Written, c.want.Cell = cells, cells, LargestCell
			if got := verify(t, d); got != c.want {
				t.Errorf("the verdict is %+v, want %+v", got, c.want)
			}
		})
	}
}
