package engine

import (
	"encoding/binary"
	"hash/crc32"
	"math"
	"sync"
	"sync/atomic"

	"opengauge/core/unit"
)

// A stamp is at the start of each cell that a verified write makes: 8 bytes of
// magic, then, little-endian, the session's number, the cell's offset, the
// generation, and the CRC-32C (Castagnoli; RFC 3720, B.4) of the whole cell with
// this field as zero.
const (
	stampMagic      = "OGSTAMP1"
	stampSession    = 8
	stampOffset     = 16
	stampGeneration = 24
	stampChecksum   = 28
	stampSize       = 32
)

// LargestCell is the usual unit of verification.
const LargestCell = 4 * unit.KiB

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Ledger remembers what each cell of a span ought to hold, stamps what is
// written and checks what is read. Generations count passes: a cell that holds
// an older one than was last written to it is stale. Several workers may use a
// ledger at the same time.
type Ledger struct {
	cell    int64
	session uint64
	// generation is that of the current pass.
	generation uint32
	// expected is the generation of each cell; the top bit says that a write
	// of it is, or was left, under way.
	expected []atomic.Uint32

	mutex sync.Mutex
	found Checked
	// shifts counts by how far misplaced cells had come.
	shifts   map[int64]int64
	lastGood int64
}

const underWay = 1 << 31

// Checked is what checking found, in cells. Offsets are in bytes.
type Checked struct {
	Cell unit.Bytes
	// Written is how many cells ought to hold something, and Checked how often one
	// was looked at.
	Written   int64
	Checked   int64
	Wrong     int64
	Stale     int64
	Misplaced int64
	// Unreadable cells ought to hold something and could not be read.
	Unreadable  int64
	FirstOffset int64
	// WrapsAt is the capacity at which the device begins again from its start,
	// or from which on it holds nothing; 0 is neither.
	WrapsAt unit.Bytes
}

// Faults is how many cells did not hold what they ought to.
func (c Checked) Faults() int64 { return c.Wrong + c.Stale + c.Misplaced + c.Unreadable }

// NewLedger makes the ledger of a span, for blocks that are multiples of cell.
func NewLedger(span, cell unit.Bytes, session uint64) *Ledger {
	return &Ledger{
		cell: int64(cell), session: session, expected: make([]atomic.Uint32, span/cell),
		shifts: map[int64]int64{}, lastGood: -1, found: Checked{Cell: cell, FirstOffset: -1},
	}
}

// Begin starts the next generation: every pass is one.
func (l *Ledger) Begin() { l.generation++ }

// stamp marks the cells of a block that is about to be written.
func (l *Ledger) stamp(block []byte, offset int64) {
	for at := int64(0); at+l.cell <= int64(len(block)); at += l.cell {
		cell := block[at : at+l.cell]
		copy(cell, stampMagic)
		binary.LittleEndian.PutUint64(cell[stampSession:], l.session)
		binary.LittleEndian.PutUint64(cell[stampOffset:], uint64(offset+at))
		binary.LittleEndian.PutUint32(cell[stampGeneration:], l.generation)
		binary.LittleEndian.PutUint32(cell[stampChecksum:], 0)
		binary.LittleEndian.PutUint32(cell[stampChecksum:], crc32.Checksum(cell, castagnoli))
		l.expected[(offset+at)/l.cell].Store(l.generation | underWay)
	}
}

// written notes that a write is complete.
func (l *Ledger) written(offset, length int64) {
	for at := offset; at+l.cell <= offset+length; at += l.cell {
		l.expected[at/l.cell].Store(l.generation)
	}
}

// check looks at the cells of a block that was read. The block is restored.
func (l *Ledger) check(block []byte, offset int64) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for at := int64(0); at+l.cell <= int64(len(block)); at += l.cell {
		expected := l.expected[(offset+at)/l.cell].Load()
		if expected == 0 {
			continue // never written by this session
		}
		l.found.Checked++
		l.judge(block[at:at+l.cell], offset+at, expected)
	}
}

func (l *Ledger) judge(cell []byte, offset int64, expected uint32) {
	switch fault := l.fault(cell, offset, expected); fault {
	case nil:
		l.lastGood = max(l.lastGood, offset)
		return
	default:
		*fault++
	}
	if l.found.FirstOffset < 0 || offset < l.found.FirstOffset {
		l.found.FirstOffset = offset
	}
}

// fault gives the count that a cell belongs to, or nil for a good one.
func (l *Ledger) fault(cell []byte, offset int64, expected uint32) *int64 {
	claimed := binary.LittleEndian.Uint32(cell[stampChecksum:])
	binary.LittleEndian.PutUint32(cell[stampChecksum:], 0)
	sound := crc32.Checksum(cell, castagnoli) == claimed
	binary.LittleEndian.PutUint32(cell[stampChecksum:], claimed)
	if !sound || string(cell[:len(stampMagic)]) != stampMagic ||
		binary.LittleEndian.Uint64(cell[stampSession:]) != l.session {
		return &l.found.Wrong
	}
	if from := int64(binary.LittleEndian.Uint64(cell[stampOffset:])); from != offset {
		l.shifts[from-offset]++
		return &l.found.Misplaced
	}
	generation := binary.LittleEndian.Uint32(cell[stampGeneration:])
	if expected&underWay == 0 && generation < expected {
		return &l.found.Stale
	}
	return nil
}

// fewestForCapacity is how many faults of one kind it takes to speak of the
// device's capacity.
const fewestForCapacity = 16

// Checked sums up what was checked so far.
func (l *Ledger) Checked() Checked {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	sum := l.found
	sum.Written += l.holding()
	sum.WrapsAt = l.wrapsAt()
	return sum
}

// holding is how many cells ought to hold something.
func (l *Ledger) holding() int64 {
	count := int64(0)
	for i := range l.expected {
		if l.expected[i].Load() != 0 {
			count++
		}
	}
	return count
}

// Forget says that the storage was told to forget what it holds: nothing is expected
// of it until it is written anew. What was found stays.
func (l *Ledger) Forget() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.found.Written += l.holding()
	for i := range l.expected {
		l.expected[i].Store(0)
	}
}

// mostMemory is what a ledger may take, and cellMemory what it takes for a cell.
const (
	mostMemory = 256 * unit.MiB
	cellMemory = 4
)

// MostVerified is the largest span for which there is memory with cells of a size.
func MostVerified(cell unit.Bytes) unit.Bytes { return mostMemory / cellMemory * cell }

// unreadable notes that a stretch could not be read.
func (l *Ledger) unreadable(offset, length int64) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for at := offset; at+l.cell <= offset+length; at += l.cell {
		if l.expected[at/l.cell].Load() == 0 {
			continue
		}
		l.found.Unreadable++
		if l.found.FirstOffset < 0 || at < l.found.FirstOffset {
			l.found.FirstOffset = at
		}
	}
}

// wrapsAt tells a device that holds less than it says. One that begins again
// from its start returns, at each place, what was written last to a place a
// multiple of its capacity away. One that drops what is beyond its capacity
// returns nothing good from there on.
func (l *Ledger) wrapsAt() unit.Bytes {
	if l.found.Misplaced >= fewestForCapacity {
		least := int64(math.MaxInt64)
		for shift := range l.shifts {
			least = min(least, max(shift, -shift))
		}
		for shift := range l.shifts {
			if shift%least != 0 {
				return 0
			}
		}
		return unit.Bytes(least)
	}
	if l.found.Wrong >= fewestForCapacity && l.found.Stale == 0 && l.lastGood < l.found.FirstOffset {
		return unit.Bytes(l.found.FirstOffset)
	}
	return 0
}
