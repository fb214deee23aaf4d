package sim

import (
	"time"

	"opengauge/core/unit"
)

// chunk is the grain in which the content of a drive is known.
const chunk = 64 * unit.MiB

// cells are the content of a drive of flash, and how full its fast write area is.
type cells struct {
	flash    *Flash
	capacity unit.Bytes
	// held is how much of each chunk was written, up to all of it.
	held     []unit.Bytes
	occupied unit.Bytes
	// fast is the data in the fast write area, and at the time when that was right.
	fast float64
	at   time.Duration
	// end is where the last write ended.
	end int64
}

func newCells(d *Drive) *cells {
	return &cells{flash: &d.Flash, capacity: d.Capacity, held: make([]unit.Bytes, (d.Capacity+chunk-1)/chunk)}
}

// fill is how full the drive is, from 0 to 1.
func (c *cells) fill() float64 { return min(float64(c.occupied)/float64(c.capacity), 1) }

// take notes a write.
func (c *cells) take(offset int64, length int) {
	index := int(offset / int64(chunk))
	if index < 0 || index >= len(c.held) {
		return
	}
	if room := chunk - c.held[index]; room > 0 {
		added := min(unit.Bytes(length), room)
		c.held[index] += added
		c.occupied += added
	}
}

// discard forgets the data from an offset on, as a trim does. A fast write area holds no more than the drive
// does.
func (c *cells) discard(from int64) {
	for index := int((from + int64(chunk) - 1) / int64(chunk)); index < len(c.held); index++ {
		c.occupied -= c.held[index]
		c.held[index] = 0
	}
	c.fast = min(c.fast, float64(c.occupied))
}

// room is the size of the fast write area as full as the drive is.
func (c *cells) room() float64 {
	empty := 1 - c.fill()
	return float64(c.flash.FastLeast) + float64(c.flash.FastEmpty-c.flash.FastLeast)*empty
}

// idleAfter is how long nothing has to happen before a drive tidies up.
const idleAfter = time.Second

// touch notes that the drive is used now. If it was idle until then, it has
// folded its fast write area away meanwhile.
func (c *cells) touch(now time.Duration) {
	if idle := now - c.at; idle > idleAfter {
		c.fast = max(c.fast-float64(c.flash.DrainRate)*idle.Seconds(), 0)
	}
	c.at = max(now, c.at)
}

// writeRate is how fast the flash takes a write of a length now.
//
// While the fast write area has room that is rate; then it is SpentRate. As the
// free flash runs out, garbage has to be moved to make room: of each byte that
// is written, amplification are. For random writes to a drive that is filled to
// a share u of all its flash, greedy collection moves about 1 / (2 (1 - u)) of
// them (Desnoyers, SYSTOR 2012, for small spares), and never fewer than 1. What
// is written in order frees whole blocks, and moves nothing.
func (c *cells) writeRate(rate unit.BytesPerSecond, offset int64, length int) unit.BytesPerSecond {
	onward := offset >= c.end-inOrder && offset <= c.end+inOrder
	c.end = offset + int64(length)
	if c.flash.FastEmpty == 0 {
		return rate
	}
	if c.fast+float64(length) <= c.room() {
		c.fast += float64(length)
		return rate
	}
	if onward {
		return c.flash.SpentRate
	}
	return unit.BytesPerSecond(float64(c.flash.SpentRate) / c.amplification())
}

// inOrder is how far from the last one a write may be and still go on with it:
// queues deliver a little out of order.
const inOrder = int64(32 * unit.MiB)

func (c *cells) amplification() float64 {
	if c.flash.Spare <= 0 {
		return 1
	}
	used := c.fill() / (1 + c.flash.Spare)
	return min(max(1/(2*(1-used)), 1), 12)
}

// readShare is how much of its speed a read keeps.
func (c *cells) readShare() float64 {
	// Only from half full on do tables and stale copies cost anything.
	if c.flash.FullRead <= 0 || 2*c.occupied <= c.capacity {
		return 1
	}
	beyond := max(c.fill()-0.5, 0) * 2
	return 1 - (1-c.flash.FullRead)*beyond
}
