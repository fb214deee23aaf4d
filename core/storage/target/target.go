// Package target has the targets of passes (a folder, a file; simulated parts implement the same interface in
// their own package) and the queue through which a pass drives them.
//
// Times in this package are stretches since the target was opened, on the target's own clock: the machine's
// monotonic clock, or a virtual one.
//
// A queue is used by one goroutine; several queues of a target may be driven at once where its [Description]
// says so.
package target

import (
	"time"

	"opengauge/core/unit"
)

// Medium is the kind of a target.
type Medium string

// The kinds of target.
const (
	Folder    Medium = "folder"
	File      Medium = "file"
	Device    Medium = "device"
	Simulated Medium = "simulated"
	// Volume is one that a server on a network serves.
	Volume Medium = "volume"
	// Wire is the other end of a network, with no storage behind it.
	Wire Medium = "wire"
)

// Description describes a target and its abilities.
type Description struct {
	Kind Medium
	// Address is the target as the user wrote it.
	Address string
	// Path is the folder or file on this machine; empty for a simulated part.
	Path string
	// Span is the part of the storage that passes may touch, from offset 0.
	Span unit.Bytes
	// Capacity is the size of the file system or device that the span is on.
	Capacity unit.Bytes
	// SmallestBlock is the unit of which blocks and offsets are multiples; 0 is
	// not known.
	SmallestBlock unit.Bytes
	// FileSystem is the type of file system, where it is known.
	FileSystem string
	// Writable says whether passes may write.
	Writable bool
	// Unfilled says that the span has to be written once before it is read.
	Unfilled bool
	// Direct says whether reads and writes bypass the system's cache.
	Direct bool
	// Flusher is the system's call that makes written data stable, where there is one, and PartFlush says
	// that it leaves data in the drive's own cache.
	Flusher   string
	PartFlush bool
	// Parallel says whether several queues may be open at once, each driven by
	// a thread of its own.
	Parallel bool
	// Seed is the seed of a simulated part's chances.
	Seed uint64
}

// Target is storage that passes run against.
type Target interface {
	Description() Description
	// Now is the time on the target's clock.
	Now() time.Duration
	// Usage returns the usage of the target's host and device so far.
	Usage() Usage
	// Open gives a queue of that shape. A queue is opened, used and closed on
	// one thread of the system; several may be open at once where Description
	// says so.
	Open(shape Shape) (Queue, error)
	// Close gives everything back: a test file that was made is removed.
	Close() error
}

// Usage counts the use of a host and a device since some moment in the past.
type Usage struct {
	// Processor is the processor time of this program.
	Processor time.Duration
	// Device counts the work of the device for everybody, and Known says whether its counters can be read.
	Device Counters
	Known  bool
}

// Counters are the counters of a device, over all its users.
type Counters struct {
	Read, Written unit.Bytes
	// Waited is how long operations were under way at the device, each for itself.
	Waited time.Duration
}

// Moved returns the bytes read and written.
func (c Counters) Moved() unit.Bytes { return c.Read + c.Written }

// Since returns the usage since an earlier count.
func (u Usage) Since(earlier Usage) Usage {
	return Usage{
		Processor: u.Processor - earlier.Processor, Known: u.Known && earlier.Known,
		Device: Counters{
			Read: u.Device.Read - earlier.Device.Read, Written: u.Device.Written - earlier.Device.Written,
			Waited: u.Device.Waited - earlier.Device.Waited,
		},
	}
}

// Shape is the capacity that a queue needs.
type Shape struct {
	// Slots is how many operations may be outstanding at once.
	Slots int
	// Block is the largest operation.
	Block unit.Bytes
}

// Action is the kind of an operation.
type Action uint8

// The actions of an operation.
const (
	Read Action = iota
	Write
	// Flush makes all that was written before it stable. It has no data.
	Flush
)

// String is the action in a word.
func (a Action) String() string { return [...]string{Read: "read", Write: "write", Flush: "flush"}[a] }

// Operation is one request to a queue. The data is in the slot's buffer, but for
// writes that bring their own.
type Operation struct {
	Action Action
	// Slot is from 0 up to Shape.Slots; a slot is free again when its
	// completion was seen.
	Slot   int
	Offset int64
	Length int
	// Data is written, if it is not nil, in the place of the slot's buffer: Length bytes, aligned as direct
	// I/O needs it, which stay as they are until the write is over.
	Data []byte
	// Durable asks that a write is complete only when its data is on stable
	// media.
	Durable bool
}

// Payload is the data of a read or write whose slot has that buffer.
func (o *Operation) Payload(buffer []byte) []byte {
	if o.Data != nil {
		return o.Data
	}
	return buffer[:o.Length]
}

// Completion is the end of one operation.
type Completion struct {
	Slot      int
	Submitted time.Duration
	// Began is when the operation was handed to the system, where that is later
	// than when it was submitted to the queue, or 0.
	Began     time.Duration
	Completed time.Duration
	Err       error
}

// Queue takes operations and gives back their completions. It is used by one
// goroutine.
type Queue interface {
	// Submit hands operations over. It does not wait for them.
	Submit(operations []Operation) error
	// Wait blocks until at least one operation is complete or the target's
	// clock has reached until, fills done and says how many it filled.
	Wait(done []Completion, until time.Duration) (int, error)
	// Buffer is the data of a slot, or nil where the target keeps no data.
	Buffer(slot int) []byte
	// Name names the way by which operations go: "thread pool", "simulated".
	Name() string
	// Close waits for nothing: outstanding operations must be complete.
	Close() error
}
