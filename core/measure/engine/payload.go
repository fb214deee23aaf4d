package engine

import (
	"encoding/binary"
	"math/rand/v2"
)

const (
	// sector is the smallest unit in which a device could recognise data that it
	// has seen before.
	sector = 512
	// granule is the stretch within which compressible data keeps its share: a
	// page, the smallest unit that devices compress.
	granule = 4096
)

// payload makes the data of writes: as compressible as asked, and never the same
// twice. A buffer is filled once; before each write every sector of it that is
// not zero gets a number that no other sector has had.
type payload struct {
	source *rand.ChaCha8
	serial uint64
	// random is how many bytes of each granule are not zero.
	random int
	// template is what a buffer is restored from that a read has overwritten.
	template []byte
}

func newPayload(seed uint64, compressibleShare float64) *payload {
	var key [32]byte
	binary.LittleEndian.PutUint64(key[:], seed)
	source := rand.NewChaCha8(key)
	return &payload{source: source, serial: source.Uint64(), random: int(float64(granule) * (1 - compressibleShare))}
}

// fill makes a buffer as compressible as asked.
func (p *payload) fill(buffer []byte) {
	for i := 0; i < len(buffer); i += granule {
		stretch := buffer[i:min(i+granule, len(buffer))]
		random := stretch[:p.random*len(stretch)/granule]
		_, _ = p.source.Read(random) // never fails, by its documentation
		clear(stretch[len(random):])
	}
}

// restore makes a buffer as it was filled, quicker than filling it again.
func (p *payload) restore(buffer []byte) {
	if p.template == nil {
		p.template = make([]byte, len(buffer))
		p.fill(p.template)
	}
	copy(buffer, p.template)
}

// stamp makes every sector of a buffer that is not zero differ from all before
// it.
func (p *payload) stamp(buffer []byte) {
	if p.random == 0 {
		return
	}
	for i := 0; i+8 <= len(buffer); i += sector {
		if p.random < granule && i%granule >= p.random {
			continue
		}
		p.serial++
		// Multiplying by an odd number keeps the serials distinct and spreads
		// them over all eight bytes.
		binary.LittleEndian.PutUint64(buffer[i:], p.serial*0x9e3779b97f4a7c15)
	}
}
