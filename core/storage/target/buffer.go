package target

import (
	"unsafe"

	"opengauge/core/unit"
)

// bufferAlign is the memory alignment that every direct I/O path accepts: a
// page, which no device asks more than.
const bufferAlign = 4096

// newBuffers gives one page-aligned buffer of that size a slot.
func newBuffers(shape Shape) [][]byte {
	return cutBuffers(aligned(bufferStride(shape)*shape.Slots), shape)
}

// bufferStride is the distance from one slot's buffer to the next.
func bufferStride(shape Shape) int {
	return (int(shape.Block) + bufferAlign - 1) / bufferAlign * bufferAlign
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

// aligned allocates size bytes that start on a page. Go's collector does not
// move memory, so the alignment lasts.
func aligned(size int) []byte {
	memory := make([]byte, size+bufferAlign)
	skip := 0
	if past := int(addressOf(memory) % bufferAlign); past != 0 {
		skip = bufferAlign - past
	}
	return memory[skip : skip+size : skip+size]
}

func addressOf(memory []byte) uintptr { return uintptr(unsafe.Pointer(&memory[0])) }

// probeSize is the length of the trial read or write that tells whether a file
// system that opened a file for direct I/O carries it.
const probeSize = 4 * unit.KiB
