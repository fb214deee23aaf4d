package engine

import (
	"encoding/binary"
	"hash/crc32"
	"sync"

	"opengauge/core/load"
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

// Ledger remembers the expected content of each cell of a stretch, stamps writes and checks reads.
// Generations count passes: a cell that holds an older one than was last written to it is stale. Several
// workers may use a ledger at the same time.
type Ledger struct {
	cell    int64
	session uint64
	// generation is the number of the current pass.
	generation uint32
	// expected is the generation of each cell; the top bit says that a write
	// of it is, or was left, under way.
	expected *generations

	mutex sync.Mutex
	found Checked
	// sweep holds the findings of the last look at all cells, one after the other, so far.
	sweep    sweep
	capacity unit.Bytes
}

const underWay = 1 << 31

// Checked is the result of checking, in cells. Offsets are in bytes.
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

// Faults is the number of cells with other content than they ought to have.
func (c Checked) Faults() int64 { return c.Wrong + c.Stale + c.Misplaced + c.Unreadable }

// NewLedger returns the ledger of a target's whole stretch, for areas of the same cell.
func NewLedger(g load.Geometry, session uint64) *Ledger {
	return &Ledger{
		cell: int64(g.Cell), session: session, expected: newGenerations(int64(g.Length / g.Cell)),
		found: Checked{Cell: g.Cell, FirstOffset: -1}, sweep: newSweep(int64(g.Cell)),
	}
}

// Cell is the size of a cell; 0 where there is no ledger.
func (l *Ledger) Cell() unit.Bytes {
	if l == nil {
		return 0
	}
	return unit.Bytes(l.cell)
}

// Begin starts the next generation: every pass is one.
func (l *Ledger) Begin() { l.generation++ }

// fits reports whether a request covers whole cells of the ledger's stretch.
func (l *Ledger) fits(offset, length int64) bool {
	return offset >= 0 && offset%l.cell == 0 && length%l.cell == 0 && (offset+length)/l.cell <= l.expected.cells
}

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
	}
	l.expected.set(offset/l.cell, (offset+int64(len(block)))/l.cell, l.generation|underWay)
}

// noteWritten notes that a write is complete.
func (l *Ledger) noteWritten(offset, length int64) {
	l.expected.set(offset/l.cell, (offset+length)/l.cell, l.generation)
}

// check looks at the cells of a block that was read. The block is restored.
func (l *Ledger) check(block []byte, offset int64) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for at := int64(0); at+l.cell <= int64(len(block)); at += l.cell {
		expected := l.expected.of((offset + at) / l.cell)
		if expected == 0 {
			continue // never written by this session
		}
		l.found.Checked++
		l.judge(block[at:at+l.cell], offset+at, expected)
	}
}

func (l *Ledger) judge(cell []byte, offset int64, expected uint32) {
	fault, from := l.fault(cell, offset, expected)
	switch fault {
	case nil:
		l.sweep.fits(offset)
		return
	case &l.found.Misplaced:
		l.sweep.noteMove(from - offset)
	case &l.found.Wrong:
		l.sweep.noteLoss(offset)
	default:
		l.sweep.other++
	}
	*fault++
	if l.found.FirstOffset < 0 || offset < l.found.FirstOffset {
		l.found.FirstOffset = offset
	}
}

// fault gives the count that a cell belongs to, or nil for a good one, and of a
// misplaced one where its data was written to.
func (l *Ledger) fault(cell []byte, offset int64, expected uint32) (count *int64, from int64) {
	claimed := binary.LittleEndian.Uint32(cell[stampChecksum:])
	binary.LittleEndian.PutUint32(cell[stampChecksum:], 0)
	sound := crc32.Checksum(cell, castagnoli) == claimed
	binary.LittleEndian.PutUint32(cell[stampChecksum:], claimed)
	if !sound || string(cell[:len(stampMagic)]) != stampMagic ||
		binary.LittleEndian.Uint64(cell[stampSession:]) != l.session {
		return &l.found.Wrong, 0
	}
	if from := int64(binary.LittleEndian.Uint64(cell[stampOffset:])); from != offset {
		return &l.found.Misplaced, from
	}
	generation := binary.LittleEndian.Uint32(cell[stampGeneration:])
	if expected&underWay == 0 && generation < expected {
		return &l.found.Stale, 0
	}
	return nil, 0
}

// Sum sums up all checks so far.
func (l *Ledger) Sum() Checked {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.explain()
	sum := l.found
	sum.Written += l.expected.count()
	sum.WrapsAt = l.capacity
	return sum
}

// Sweep begins a look at all cells, one after the other: only once all were looked at is it known whether
// faults come of a device that holds less than it says.
func (l *Ledger) Sweep() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.explain()
	l.sweep = newSweep(l.cell)
}

// explain asks a sweep that looked at all cells for the device's capacity.
func (l *Ledger) explain() {
	if capacity := l.sweep.capacity(l.expected.count()); capacity > 0 {
		l.capacity = capacity
	}
}

// Forget says that the storage was told to forget its data: nothing is expected of it until it is written
// anew. Earlier findings stay.
func (l *Ledger) Forget() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.explain()
	l.found.Written += l.expected.count()
	l.expected = newGenerations(l.expected.cells)
}

// unreadable notes that a stretch could not be read.
func (l *Ledger) unreadable(offset, length int64) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for at := offset; at+l.cell <= offset+length; at += l.cell {
		if l.expected.of(at/l.cell) == 0 {
			continue
		}
		l.found.Unreadable++
		l.sweep.other++
		if l.found.FirstOffset < 0 || at < l.found.FirstOffset {
			l.found.FirstOffset = at
		}
	}
}
