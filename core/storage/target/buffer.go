package target

import (
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// newBuffers gives one page-aligned buffer of that size a slot.
func newBuffers(shape Shape) [][]byte {
	return cutBuffers(direct.Buffer(bufferStride(shape)*shape.Slots), shape)
}

// bufferStride is the distance from one slot's buffer to the next.
func bufferStride(shape Shape) int {
	return direct.Up(int(shape.Block))
}

// cutBuffers cuts aligned memory into the buffers of a shape.
func cutBuffers(memory []byte, shape Shape) [][]byte {
	stride, block := bufferStride(shape), int(shape.Block)
	buffers := make([][]byte, shape.Slots)
	for slot := range buffers {
		buffers[slot] = memory[slot*stride : slot*stride+block : slot*stride+block]
	}
	return buffers
}

// probeSize is the length of the trial read or write that tells whether a file
// system that opened a file for direct I/O carries it.
const probeSize = 4 * unit.KiB
