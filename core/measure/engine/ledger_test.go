package engine

import (
	"context"
	"math/rand/v2"
	"strings"
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
	ledger := NewLedger(load.Geometry{Length: span, Cell: LargestCell}, 0xfeed)
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
	return ledger.Sum()
}

// A request that is no whole cells is a mistake of the program, and never a fault of the storage.
func TestALedgerJudgesWholeCells(t *testing.T) {
	ledger := NewLedger(load.Geometry{Length: 16 * unit.KiB, Cell: 4 * unit.KiB}, 1)
	for _, c := range []struct {
		offset, length int64
		want           bool
	}{
		{0, 4096, true}, {12288, 4096, true}, {0, 16384, true}, {512, 4096, false}, {0, 512, false}, {-4096, 4096, false},
		{12288, 8192, false}, {16384, 4096, false},
	} {
		if got := ledger.fits(c.offset, c.length); got != c.want {
			t.Errorf("%d bytes at %d: %v", c.length, c.offset, got)
		}
	}
	request := Request{Load: load.New(load.Write, load.Sequential, 4096, 2), Ledger: ledger}
	request.Area, _ = load.Geometry{Start: 8192, Length: 16384, Cell: 4096}.Area(4096) // beyond the ledger's end
	_, err := Run(context.Background(), newMemoryDisk(64*unit.KiB),
		asking(request, Timing{Bytes: 16384, Sample: time.Second}, Watch{}))
	if err == nil || !strings.Contains(err.Error(), "not of the storage") || ledger.Sum().Faults() != 0 {
		t.Errorf("requests beyond a ledger: %v, %+v", err, ledger.Sum())
	}
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
		{"two swapped blocks of 64 KiB", func(d *memoryDisk) {
			d.place = func(offset int64) int64 {
				const a, b, length = 64 << 10, 1 << 20, 64 << 10
				switch {
				case offset >= a && offset < a+length:
					return offset + b - a
				case offset >= b && offset < b+length:
					return offset - b + a
				}
				return offset
			}
			written := d.place
			d.spoil = func(offset int64, data []byte) {
				if at := written(offset); at != offset { // the map is read the other way round
					copy(data, d.store[offset:])
				}
			}
		}, Checked{Misplaced: 32, FirstOffset: 64 << 10}},
		{"the last 64 KiB lost, and a hole before", func(d *memoryDisk) {
			d.spoil = func(offset int64, data []byte) {
				if offset >= 4<<20-64<<10 || offset == 1<<20 {
					clear(data)
				}
			}
		}, Checked{Wrong: 32, FirstOffset: 1 << 20}},
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

// Numbers of cells are kept as one where all are the same, whatever the order in which
// they were set, and are right where they are not.
func TestGenerations(t *testing.T) {
	const cells = 5*pageCells/2 + 7
	g := newGenerations(cells)
	want := make([]uint32, cells)
	chance := rand.New(rand.NewPCG(3, 4))
	differ := func() (count int) {
		for i := range g.pages {
			if g.pages[i].each != nil {
				count++
			}
		}
		return count
	}
	const block = 64
	for generation := uint32(1); generation <= 3; generation++ {
		blocks := chance.Perm(cells/block + 1)
		for _, underway := range []uint32{underWay, 0} {
			for _, number := range blocks {
				from, to := int64(number*block), min(int64(number+1)*block, cells)
				g.set(from, to, generation|underway)
				for i := from; i < to; i++ {
					want[i] = generation | underway
				}
				if generation == 2 && underway == 0 && number%3 == 0 { // written twice
					g.set(from, to, generation)
				}
			}
		}
		if differ() != 0 {
			t.Errorf("generation %d: %d pages are kept cell by cell, though all cells have one number", generation, differ())
		}
	}
	for range 100 {
		from := chance.Int64N(cells)
		to := min(from+chance.Int64N(3*pageCells), cells)
		number := uint32(chance.IntN(4))
		g.set(from, to, number)
		for i := from; i < to; i++ {
			want[i] = number
		}
	}
	known := int64(0)
	for i, number := range want {
		if got := g.of(int64(i)); got != number {
			t.Fatalf("cell %d has %d, want %d", i, got, number)
		}
		if number != 0 {
			known++
		}
	}
	if got := g.count(); got != known || known == cells {
		t.Errorf("%d of %d cells are known, want %d", got, cells, known)
	}
}
