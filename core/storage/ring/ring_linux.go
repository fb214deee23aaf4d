// Package ring is the kernel's io_uring: a submission and a completion ring, with one
// file and the buffers registered. It knows nothing of targets and passes, so that a
// queue and a bare loop to hold it against are made of the same calls.
//
// A ring is used by one goroutine, on the thread that opened it.
package ring

import (
	"errors"
	"fmt"
	"os"
	"sync/atomic"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"opengauge/core/storage/direct"
)

// The kernel's io_uring interface, as in include/uapi/linux/io_uring.h.
const (
	opFsync      = 3
	opReadFixed  = 4
	opWriteFixed = 5
	opRead       = 22
	opWrite      = 23

	fixedFile = 1 << 0 // of a submission
	async     = 1 << 4

	setupCoopTaskrun  = 1 << 8
	setupSingleIssuer = 1 << 12
	setupDeferTaskrun = 1 << 13

	featureSingleMmap = 1 << 0
	featureExtArg     = 1 << 8

	enterGetEvents = 1 << 0
	enterExtArg    = 1 << 3

	registerBuffers   = 0
	unregisterBuffers = 1
	registerFiles     = 2
	unregisterFiles   = 3

	offsetRings       = 0
	offsetSubmissions = 0x10000000
)

type offsets struct {
	head, tail, mask, entries, flagsOrOverflow, droppedOrEntries, arrayOrFlags, reserved uint32
	userAddress                                                                          uint64
}

type parameters struct {
	submissionEntries, completionEntries, flags, threadCPU, threadIdle, features, workerFD uint32
	reserved                                                                               [3]uint32
	submission, completion                                                                 offsets
}

type submission struct {
	opcode, flags       uint8
	priority            uint16
	fd                  int32
	offset, address     uint64
	length, rwFlags     uint32
	userData            uint64
	bufferIndex, person uint16
	splice              int32
	padding             [2]uint64
}

type completion struct {
	userData uint64
	result   int32
	flags    uint32
}

type waitArgument struct {
	signals     uint64
	signalsSize uint32
	padding     uint32
	timeout     uint64
}

// Operation is one read, write or flush of the file.
type Operation struct {
	// Slot is the number of its buffer, which its completion has too.
	Slot   int
	Write  bool
	Flush  bool
	Offset int64
	Length int
	// Data is the data of a write, or nil for the slot's buffer.
	Data []byte
	// Durable asks that a write is complete only when its data is on stable media.
	Durable bool
}

// Ring is an open ring.
type Ring struct {
	fd      int
	buffers [][]byte
	memory  []byte // of the buffers
	fixed   bool   // the buffers are registered

	rings, entries []byte // mapped
	submissionHead *uint32
	submissionTail *uint32
	submissionMask uint32
	array          []uint32
	submissions    []submission
	completionHead *uint32
	completionTail *uint32
	completionMask uint32
	completions    []completion

	// flags belong to every submission.
	flags uint8

	queued   uint32 // written to the ring, not yet handed to the kernel
	timeout  unix.Timespec
	argument waitArgument
}

// Open opens a ring for a file with so many slots of a size, or says why this kernel
// or a sandbox around the program does not allow one.
func Open(file *os.File, slots, size int) (*Ring, error) {
	r := &Ring{fd: -1, flags: fixedFile}
	if err := r.open(file, slots, size); err != nil {
		_ = r.Close()
		return nil, fmt.Errorf("io_uring: %w", err)
	}
	return r, nil
}

func (r *Ring) open(file *os.File, slots, size int) error {
	p, err := r.setup(uint32(slots))
	if err != nil {
		return err
	}
	if p.features&featureSingleMmap == 0 || p.features&featureExtArg == 0 {
		return errors.New("this kernel's is too old (5.11 is needed)")
	}
	if err := r.mapRings(p); err != nil {
		return err
	}
	files := []int32{int32(file.Fd())}
	if err := r.register(registerFiles, unsafe.Pointer(&files[0]), 1); err != nil {
		return err
	}
	if err := r.mapBuffers(slots, size); err != nil {
		return err
	}
	// A kernel that accounts registered memory to a small limit refuses this;
	// the ring works without, a little slower.
	vectors := make([]unix.Iovec, len(r.buffers))
	for slot, buffer := range r.buffers {
		vectors[slot].Base = &buffer[0]
		vectors[slot].SetLen(len(buffer))
	}
	r.fixed = r.register(registerBuffers, unsafe.Pointer(&vectors[0]), uint32(len(vectors))) == nil
	return nil
}

// setup makes the ring, with the cheapest way to deliver completions that the
// kernel knows.
func (r *Ring) setup(entries uint32) (*parameters, error) {
	for _, flags := range []uint32{setupSingleIssuer | setupDeferTaskrun, setupCoopTaskrun, 0} {
		parameters := &parameters{flags: flags}
		ring, _, errno := unix.Syscall(unix.SYS_IO_URING_SETUP, uintptr(entries), uintptr(unsafe.Pointer(parameters)),
			0)
		switch errno {
		case 0:
			r.fd = int(ring)
			return parameters, nil
		case unix.EINVAL:
			continue
		default:
			return nil, errno
		}
	}
	return nil, unix.EINVAL
}

func (r *Ring) mapRings(p *parameters) error {
	submissionSize := p.submission.arrayOrFlags + p.submissionEntries*4
	completionSize := p.completion.droppedOrEntries + p.completionEntries*uint32(unsafe.Sizeof(completion{}))
	var err error
	const protection, sharing = unix.PROT_READ | unix.PROT_WRITE, unix.MAP_SHARED | unix.MAP_POPULATE
	if r.rings, err = unix.Mmap(r.fd, offsetRings, int(max(submissionSize, completionSize)), protection,
		sharing); err != nil {
		return err
	}
	size := int(p.submissionEntries) * int(unsafe.Sizeof(submission{}))
	if r.entries, err = unix.Mmap(r.fd, offsetSubmissions, size, protection, sharing); err != nil {
		return err
	}
	at := func(offset uint32) unsafe.Pointer { return unsafe.Pointer(&r.rings[offset]) }
	r.submissionHead = (*uint32)(at(p.submission.head))
	r.submissionTail = (*uint32)(at(p.submission.tail))
	r.submissionMask = *(*uint32)(at(p.submission.mask))
	r.array = unsafe.Slice((*uint32)(at(p.submission.arrayOrFlags)), p.submissionEntries)
	r.submissions = unsafe.Slice((*submission)(unsafe.Pointer(&r.entries[0])), p.submissionEntries)
	r.completionHead = (*uint32)(at(p.completion.head))
	r.completionTail = (*uint32)(at(p.completion.tail))
	r.completionMask = *(*uint32)(at(p.completion.mask))
	r.completions = unsafe.Slice((*completion)(at(p.completion.droppedOrEntries)), p.completionEntries)
	return nil
}

func (r *Ring) register(what uintptr, of unsafe.Pointer, count uint32) error {
	_, _, errno := unix.Syscall6(unix.SYS_IO_URING_REGISTER, uintptr(r.fd), what, uintptr(of), uintptr(count), 0, 0)
	if errno != 0 {
		return errno
	}
	return nil
}

// mapBuffers maps one page-aligned buffer a slot, outside of Go's memory.
func (r *Ring) mapBuffers(slots, size int) error {
	stride := direct.Up(size)
	memory, err := unix.Mmap(-1, 0, stride*slots, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_PRIVATE|unix.MAP_ANONYMOUS)
	if err != nil {
		return fmt.Errorf("mapping %d buffers of %d bytes: %w", slots, size, err)
	}
	r.memory = memory
	for slot := range slots {
		r.buffers = append(r.buffers, memory[slot*stride:slot*stride+size:slot*stride+size])
	}
	return nil
}

// Buffer is the data of a slot.
func (r *Ring) Buffer(slot int) []byte { return r.buffers[slot] }

// Push writes an operation into the ring. The kernel sees it at the next [Ring.Enter].
func (r *Ring) Push(o Operation) {
	tail := *r.submissionTail
	at := tail & r.submissionMask
	s := &r.submissions[at]
	*s = submission{flags: r.flags, userData: uint64(o.Slot)}
	r.array[at] = at
	if o.Flush {
		s.opcode = opFsync
	} else {
		r.fill(s, o)
	}
	atomic.StoreUint32(r.submissionTail, tail+1)
	r.queued++
}

// fill sets the fields of a read or a write.
func (r *Ring) fill(s *submission, o Operation) {
	s.offset = uint64(o.Offset)
	s.length = uint32(o.Length)
	s.address = uint64(uintptr(unsafe.Pointer(&r.buffers[o.Slot][0])))
	s.opcode = opRead
	if o.Write {
		s.opcode = opWrite
		if o.Durable {
			s.rwFlags = unix.RWF_DSYNC
		}
	}
	if o.Data != nil {
		s.address = uint64(uintptr(unsafe.Pointer(&o.Data[0])))
		return
	}
	if r.fixed {
		s.opcode -= opRead - opReadFixed
		s.bufferIndex = uint16(o.Slot)
	}
}

// QueueLength is how many operations the kernel has not taken yet.
func (r *Ring) QueueLength() uint32 { return r.queued }

// Enter hands over all pushed operations and waits for a completion, for as long as left says.
func (r *Ring) Enter(left time.Duration) error {
	var least uintptr
	if left > 0 {
		least = 1
		r.timeout = unix.NsecToTimespec(int64(left))
	}
	r.argument.timeout = uint64(uintptr(unsafe.Pointer(&r.timeout)))
	taken, _, errno := unix.Syscall6(unix.SYS_IO_URING_ENTER, uintptr(r.fd), uintptr(r.queued), least,
		enterGetEvents|enterExtArg, uintptr(unsafe.Pointer(&r.argument)), unsafe.Sizeof(r.argument))
	switch errno {
	case 0:
		r.queued -= uint32(taken)
		return nil
	case unix.ETIME, unix.EINTR, unix.EAGAIN, unix.EBUSY:
		// A timeout does not say how much was taken before it.
		r.queued = *r.submissionTail - atomic.LoadUint32(r.submissionHead)
		return nil
	default:
		return fmt.Errorf("waiting on io_uring: %w", errno)
	}
}

// Apart lets the kernel carry every operation on a thread of its own from now on, for
// files that it would carry one after the other in the call that hands them over.
func (r *Ring) Apart() { r.flags |= async }

// Waiting is how many completions can be popped.
func (r *Ring) Waiting() int { return int(atomic.LoadUint32(r.completionTail) - *r.completionHead) }

// Pop takes a completion, of which there is at least one [Ring.Waiting]: its slot, the bytes that
// were moved, and why it failed, or nil.
func (r *Ring) Pop() (slot, moved int, err error) {
	head := *r.completionHead
	c := &r.completions[head&r.completionMask]
	slot = int(c.userData)
	if moved = int(c.result); c.result < 0 {
		moved = 0
		err = syscall.Errno(-c.result)
	}
	atomic.StoreUint32(r.completionHead, head+1)
	return slot, moved, err
}

// Close lets go of file and buffers first: the kernel takes a ring apart only
// some time after it was closed, and until then a file system on which the file
// was could not be unmounted.
func (r *Ring) Close() error {
	var err error
	if r.fd >= 0 {
		_ = r.register(unregisterBuffers, nil, 0)
		_ = r.register(unregisterFiles, nil, 0)
	}
	for _, mapped := range [][]byte{r.entries, r.rings} {
		if mapped != nil {
			err = errors.Join(err, unix.Munmap(mapped))
		}
	}
	if r.fd >= 0 {
		err = errors.Join(err, unix.Close(r.fd))
	}
	if r.memory != nil {
		err = errors.Join(err, unix.Munmap(r.memory))
	}
	return err
}
