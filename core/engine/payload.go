package engine

import (
	"encoding/binary"
	"math/rand/v2"
)

// sector is the smallest unit in which a device could recognise data that it
// has seen before.
const sector = 512

// payload makes the data of writes: incompressible, and never the same twice.
// A buffer is filled with random bytes once; before each write every sector of
// it gets a number that no other sector has had.
type payload struct {
	source *rand.ChaCha8
	serial uint64
}

func newPayload(seed uint64) *payload {
	var key [32]byte
	binary.LittleEndian.PutUint64(key[:], seed)
	source := rand.NewChaCha8(key)
	return &payload{source: source, serial: source.Uint64()}
}

// fill makes a buffer incompressible.
func (p *payload) fill(buffer []byte) {
	_, _ = p.source.Read(buffer) // never fails, by its documentation
}

// stamp makes every sector of a buffer differ from all before it.
func (p *payload) stamp(buffer []byte) {
	for at := 0; at+8 <= len(buffer); at += sector {
		p.serial++
		// Multiplying by an odd number keeps the serials distinct and spreads
		// them over all eight bytes.
		binary.LittleEndian.PutUint64(buffer[at:], p.serial*0x9e3779b97f4a7c15)
	}
}
