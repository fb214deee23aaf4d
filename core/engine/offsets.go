package engine

import "math/rand/v2"

// offsets chooses where each operation goes: block after block, round the span,
// or anywhere in it with equal chance.
type offsets struct {
	block  int64
	blocks int64
	next   int64
	chance *rand.PCG // nil for sequential access
}

func newOffsets(l Load) *offsets {
	o := &offsets{block: int64(l.Block), blocks: int64(l.Span / l.Block)}
	if l.Random {
		o.chance = rand.NewPCG(l.Seed, 0x6f666673657473)
	}
	return o
}

func (o *offsets) draw() int64 {
	if o.chance != nil {
		// The remainder's bias is under blocks/2^64: nothing, for any device.
		return int64(o.chance.Uint64()%uint64(o.blocks)) * o.block
	}
	at := o.next
	o.next++
	if o.next == o.blocks {
		o.next = 0
	}
	return at * o.block
}
