package engine

import (
	"math/rand/v2"

	"opengauge/core/load"
)

// offsets chooses where each operation goes: block after block, round its part
// of the span, or anywhere in it with equal chance.
type offsets struct {
	start  int64
	block  int64
	blocks int64
	next   int64
	chance *rand.PCG // nil for sequential access
}

// newOffsets gives the offsets of one worker. Sequential workers take a part of
// the span each, random ones all of it.
func newOffsets(r Request, worker int) *offsets {
	area := r.Area
	if r.Access != load.Random {
		area = area.Part(worker, r.Workers)
	}
	o := &offsets{start: int64(area.Start()), block: int64(area.Block()), blocks: area.Count()}
	if r.Access == load.Random {
		o.chance = rand.NewPCG(r.Seed, 0x6f666673657473+uint64(worker))
	}
	return o
}

func (o *offsets) draw() int64 {
	if o.chance != nil {
		// The remainder's bias is under blocks/2^64: nothing, for any device.
		return o.start + int64(o.chance.Uint64()%uint64(o.blocks))*o.block
	}
	at := o.next
	o.next++
	if o.next == o.blocks {
		o.next = 0
	}
	return o.start + at*o.block
}
