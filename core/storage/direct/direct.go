// Package direct opens files past the system's cache, in each system's own way, for
// measurements and copies alike, and gives the memory that such I/O takes.
//
// Its functions may be called by several goroutines at once.
package direct

import (
	"unsafe"
)

// Align is the alignment of memory, and the multiple of lengths and offsets, that
// every device accepts for direct I/O: a page of the system, which none asks more
// than.
const Align = pageSize

// Buffer allocates size bytes that start on a multiple of [Align]. Go's collector
// does not move memory, so the alignment lasts.
func Buffer(size int) []byte {
	memory := make([]byte, size+Align)
	skip := 0
	if past := int(uintptr(unsafe.Pointer(&memory[0])) % Align); past != 0 {
		skip = Align - past
	}
	return memory[skip : skip+size : skip+size]
}

// Up is the least multiple of [Align] that holds a length.
func Up(length int) int { return (length + Align - 1) / Align * Align }
