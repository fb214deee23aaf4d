package macos

import (
	"unsafe"

	"github.com/ebitengine/purego"
)

// Identifiers of the interface by which NVMe drives tell their health (NVMeSMARTLibExternal.h
// and IOCFPlugIn.h), as the 16 bytes of a CFUUIDBytes.
var (
	healthClient = [16]byte{0xaa, 0x0f, 0xa6, 0xf9, 0xc2, 0xd6, 0x45, 0x7f, 0xb1, 0x0b, 0x59, 0xa1, 0x32, 0x53, 0x29,
		0x2f}
	healthInterface = [16]byte{0xcc, 0xd1, 0xdb, 0x19, 0xfd, 0x9a, 0x4d, 0xaf, 0xbf, 0x95, 0x12, 0x45, 0x4b, 0x23, 0xa,
		0xb6}
	plugInterface = [16]byte{0xc2, 0x44, 0xe8, 0x58, 0x10, 0x9c, 0x11, 0xd4, 0x91, 0xd4, 0x00, 0x50, 0xe4, 0xc6, 0x42,
		0x6f}
)

// Places of calls in tables of COM interfaces: the three of IUnknown behind one that is
// reserved, and the first of the health interface behind its version and revision.
const (
	callQuery   = 1
	callRelease = 3
	callHealth  = 5
)

// healthPage asks an NVMe controller for its health page. It only reads; what does not
// answer is unknown.
func healthPage(controller uint32) ([]byte, bool) {
	library, err := purego.Dlopen(pathIOKit, purego.RTLD_NOW)
	if err != nil {
		return nil, false
	}
	foundation, err := purego.Dlopen(pathFoundation, purego.RTLD_NOW)
	if err != nil {
		return nil, false
	}
	var (
		create func(service uint32, client, plug uintptr, made *uintptr, score *int32) int32
		uuid   func(allocator uintptr, low, high uint64) uintptr
	)
	purego.RegisterLibFunc(&create, library, "IOCreatePlugInInterfaceForService")
	purego.RegisterLibFunc(&uuid, foundation, "CFUUIDCreateFromUUIDBytes")
	var plug uintptr
	var score int32
	clientLow, clientHigh := halves(healthClient)
	plugLow, plugHigh := halves(plugInterface)
	if create(controller, uuid(0, clientLow, clientHigh), uuid(0, plugLow, plugHigh), &plug, &score) != 0 || plug == 0 {
		return nil, false
	}
	defer call(plug, callRelease)
	var health uintptr
	low, high := halves(healthInterface)
	if call(plug, callQuery, uintptr(low), uintptr(high), uintptr(unsafe.Pointer(&health))) != 0 || health == 0 {
		return nil, false
	}
	defer call(health, callRelease)
	page := make([]byte, 512)
	if call(health, callHealth, uintptr(unsafe.Pointer(&page[0]))) != 0 {
		return nil, false
	}
	return page, true
}

// halves is how 16 bytes are handed over in two registers.
func halves(id [16]byte) (low, high uint64) {
	return *(*uint64)(unsafe.Pointer(&id[0])), *(*uint64)(unsafe.Pointer(&id[8]))
}

// call calls one of an object's calls: the object is a pointer to a pointer to its table.
func call(object uintptr, number int, arguments ...uintptr) uintptr {
	table := **(**[8]uintptr)(unsafe.Pointer(&object))
	result, _, _ := purego.SyscallN(table[number], append([]uintptr{object}, arguments...)...)
	return result
}
