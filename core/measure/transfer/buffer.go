package transfer

import (
	"encoding/binary"
	"math/rand/v2"
	"sync/atomic"

	"opengauge/core/storage/direct"
)

// alignedBuffer gives memory that direct I/O takes, full of bytes that cannot be
// compressed: what is written where there is no source.
func alignedBuffer(size int) []byte {
	buffer := direct.Buffer(size)
	_, _ = rand.NewChaCha8([32]byte{byte(size)}).Read(buffer) // never fails, by its documentation
	return buffer
}

// stamps counts pages, so that no two are alike.
var stamps atomic.Uint64

// page is the stretch of which no two are alike: the smallest that devices recognise.
const page = 4096

// stampPages makes every page of a buffer differ from all before it.
func stampPages(buffer []byte, offset uint64) {
	for i := 0; i+16 <= len(buffer); i += page {
		binary.LittleEndian.PutUint64(buffer[i:], stamps.Add(1)*0x9e3779b97f4a7c15)
		binary.LittleEndian.PutUint64(buffer[i+8:], offset)
	}
}
