package run

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/bench/sensor"
	"opengauge/core/plan"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// slab is a device in memory that keeps what is written and counts by itself what
// was done to it: the witness of what a run says that it verified.
type slab struct {
	mutex     sync.Mutex
	data      []byte
	began     time.Time
	discards  int
	readBytes int64
	// spoil changes what a read gives, at an offset of the device.
	spoil func(offset int64, data []byte)
}

func newSlab(size unit.Bytes) *slab { return &slab{data: make([]byte, size), began: time.Now()} }

func (s *slab) Description() target.Description {
	span := unit.Bytes(len(s.data))
	return target.Description{Kind: target.Device, Address: "slab", Span: span, Capacity: span, Writable: true,
		Unfilled: true, Direct: true, SmallestBlock: 512}
}

func (s *slab) Now() time.Duration  { return time.Since(s.began) }
func (s *slab) Usage() target.Usage { return target.Usage{} }
func (s *slab) Close() error        { return nil }

func (s *slab) Discard(from unit.Bytes) error {
	s.discards++
	clear(s.data[from:])
	return nil
}

func (s *slab) Open(shape target.Shape) (target.Queue, error) {
	q := &slabQueue{slab: s}
	for range shape.Slots {
		q.buffers = append(q.buffers, make([]byte, shape.Block))
	}
	return q, nil
}

// slabQueue does each operation when it is submitted.
type slabQueue struct {
	slab    *slab
	buffers [][]byte
	done    []target.Completion
}

func (q *slabQueue) Name() string           { return "slab" }
func (q *slabQueue) Close() error           { return nil }
func (q *slabQueue) Buffer(slot int) []byte { return q.buffers[slot] }

func (q *slabQueue) Submit(operations []target.Operation) error {
	s := q.slab
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for _, o := range operations {
		buffer := q.buffers[o.Slot][:o.Length]
		stored := s.data[o.Offset : o.Offset+int64(o.Length)]
		switch o.Action {
		case target.Write:
			copy(stored, buffer)
		case target.Read:
			s.readBytes += int64(o.Length)
			copy(buffer, stored)
			if s.spoil != nil {
				s.spoil(o.Offset, buffer)
			}
		}
		now := s.Now()
		q.done = append(q.done, target.Completion{Slot: o.Slot, Submitted: now, Completed: now + time.Microsecond})
	}
	return nil
}

func (q *slabQueue) Wait(done []target.Completion, _ time.Duration) (int, error) {
	n := copy(done, q.done)
	q.done = q.done[n:]
	return n, nil
}

// stepsOf has a plan for each kind of step that can be verified.
var stepsOf = map[string]string{
	"sweep":   "sweep: {operation: [write, read], access: [sequential, random], block: [4KiB, 64KiB], depth: 4}",
	"odd":     "sweep: {operation: [write, read], access: random, block: [6KiB, 4608B], depth: 3}",
	"mixed":   "sweep: {operation: mixed, write-share: 50%, access: random, block: 8KiB, depth: [1, 4]}",
	"sustain": "sustain: {operation: write, access: sequential, block: 64KiB, depth: 4, over: 2x}",
	"repeat":  "repeat: {times: 3, steps: [{sweep: {operation: write, access: random, block: 4KiB, depth: 2}}]}",
	"fill": "fill: {levels: [0%, 50%, 90%], steps: [{sweep: {operation: [write, read], access: random, " +
		"block: 4KiB, depth: 2}}]}",
	"rest":    "rest: {for: 10ms}\n  - sweep: {operation: write, access: random, block: 4KiB, depth: 2}",
	"contend": "contend: {with: [other], operation: write, access: random, block: 16KiB, depth: 2, hold: 30ms}",
	"start":   "start: {reads: 500, block: 16KiB, at-once: 2}",
}

func verified(t *testing.T, steps string, main, other *slab) Request {
	t.Helper()
	return Request{
		ID: "verify", Plan: must(t)(plan.Parse("p", []byte("plan: p\nsteps:\n  - "+steps+"\n"))),
		Hold: 20 * time.Millisecond, Verify: true, Target: main, Sensors: sensor.None{},
		Others: []Other{{Address: "other", Target: other}},
	}
}

// On storage that keeps what it was given, no step of any kind finds a fault, and what
// is said to be checked was read.
func TestSoundStorageIsFoundSound(t *testing.T) {
	for _, kind := range plan.StepKinds {
		if stepsOf[kind.Name] == "" {
			t.Errorf("no plan here verifies the step %s", kind.Name)
		}
	}
	for name, steps := range stepsOf {
		// 5 MiB and 1 KiB: no multiple of any large block.
		main, other := newSlab(5*unit.MiB+unit.KiB), newSlab(3*unit.MiB+512)
		s, err := Run(context.Background(), verified(t, steps, main, other), &notebook{}, nil)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		v := s.Verification
		if v == nil || v.Faults != 0 || v.Unreadable != 0 {
			t.Errorf("%s: sound storage gives %+v", name, v)
			continue
		}
		if v.Written == 0 || v.Checked < v.Written || v.ReadBack == 0 {
			t.Errorf("%s: %d cells written, %d checked, %d read back", name, v.Written, v.Checked, v.ReadBack)
		}
		if read := main.readBytes + other.readBytes; read < v.Checked*int64(v.BlockBytes) {
			t.Errorf("%s: says %d cells of %s checked, and read %d bytes", name, v.Checked, v.BlockBytes, read)
		}
		if name == "fill" && main.discards == 0 {
			t.Error("a filled device is not freed")
		}
	}
}

// A byte that changes is found whatever step wrote it, on the target and on one that
// it contends with.
func TestSpoiledStorageIsFound(t *testing.T) {
	const where = 64*1024 + 700
	spoil := func(offset int64, data []byte) {
		if at := where - offset; at >= 0 && at < int64(len(data)) {
			data[at] ^= 0x10
		}
	}
	for name, steps := range stepsOf {
		for _, onOther := range []bool{false, true} {
			if onOther && name != "contend" {
				continue
			}
			main, other := newSlab(4*unit.MiB), newSlab(2*unit.MiB)
			bad, address := main, "slab"
			if onOther {
				bad, address = other, "other"
			}
			bad.spoil = spoil
			s, err := Run(context.Background(), verified(t, steps, main, other), &notebook{}, nil)
			if err != nil {
				t.Errorf("%s: %v", name, err)
				continue
			}
			v := s.Verification
			cell := int64(v.BlockBytes)
			if v.Faults == 0 || int64(v.FirstOffset) != where/cell*cell {
				t.Errorf("%s, on %s: verification %+v", name, address, v)
			}
			if !strings.HasSuffix(v.FaultyAddress, address) && v.FaultyAddress != "" {
				t.Errorf("%s: the fault is said to be on %q, it is on %s", name, v.FaultyAddress, address)
			}
		}
	}
}
