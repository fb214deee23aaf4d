package target

import (
	"errors"
	"fmt"
	"io"
	"os"
	"sync/atomic"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"
)

// The kernel's io_uring interface, as in include/uapi/linux/io_uring.h.
const (
	uringOpFsync      = 3
	uringOpReadFixed  = 4
	uringOpWriteFixed = 5
	uringOpRead       = 22
	uringOpWrite      = 23

	uringFixedFile = 1 << 0 // of a submission

	uringSetupCoopTaskrun  = 1 << 8
	uringSetupSingleIssuer = 1 << 12
	uringSetupDeferTaskrun = 1 << 13

	uringFeatureSingleMmap = 1 << 0
	uringFeatureExtArg     = 1 << 8

	uringEnterGetEvents = 1 << 0
	uringEnterExtArg    = 1 << 3

	uringRegisterBuffers   = 0
	uringUnregisterBuffers = 1
	uringRegisterFiles     = 2
	uringUnregisterFiles   = 3

	uringOffsetRings       = 0
	uringOffsetSubmissions = 0x10000000
)

type uringOffsets struct {
	head, tail, mask, entries, flagsOrOverflow, droppedOrEntries, arrayOrFlags, reserved uint32
	userAddress                                                                          uint64
}

type uringParameters struct {
	submissionEntries, completionEntries, flags, threadCPU, threadIdle, features, workerFD uint32
	reserved                                                                               [3]uint32
	submission, completion                                                                 uringOffsets
}

type uringSubmission struct {
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

type uringCompletion struct {
	userData uint64
	result   int32
	flags    uint32
}

type uringWaitArgument struct {
	signals     uint64
	signalsSize uint32
	padding     uint32
	timeout     uint64
}

// uring is a queue on the kernel's own submission and completion rings, with
// the file and the buffers registered. Everything that is submitted between two
// waits goes to the kernel in the one call that also waits.
//
// It must be used on the thread that opened it.
type uring struct {
	file    *os.File
	epoch   time.Time
	buffers [][]byte
	memory  []byte // of the buffers
	fixed   bool   // the buffers are registered

	ring           int
	rings, entries []byte // mapped
	submissionHead *uint32
	submissionTail *uint32
	submissionMask uint32
	array          []uint32
	submissions    []uringSubmission
	completionHead *uint32
	completionTail *uint32
	completionMask uint32
	completions    []uringCompletion

	queued      uint32 // written to the ring, not yet handed to the kernel
	submittedAt time.Duration
	submitted   []time.Duration
	lengths     []int32
	timeout     unix.Timespec
	argument    uringWaitArgument
}

// newURing opens a ring for the file, or says why this kernel or a sandbox
// around the program does not allow one.
func newURing(file *os.File, epoch time.Time, shape Shape) (*uring, error) {
	u := &uring{
		file: file, epoch: epoch, ring: -1,
		submitted: make([]time.Duration, shape.Slots), lengths: make([]int32, shape.Slots),
	}
	if err := u.open(shape); err != nil {
		_ = u.Close()
		return nil, fmt.Errorf("io_uring: %w", err)
	}
	return u, nil
}

func (u *uring) open(shape Shape) error {
	parameters, err := u.setup(uint32(shape.Slots))
	if err != nil {
		return err
	}
	if parameters.features&uringFeatureSingleMmap == 0 || parameters.features&uringFeatureExtArg == 0 {
		return errors.New("this kernel's is too old (5.11 is needed)")
	}
	if err := u.mapRings(parameters); err != nil {
		return err
	}
	files := []int32{int32(u.file.Fd())}
	if err := u.register(uringRegisterFiles, unsafe.Pointer(&files[0]), 1); err != nil {
		return err
	}
	if u.memory, u.buffers, err = mapBuffers(shape); err != nil {
		return err
	}
	// A kernel that accounts registered memory to a small limit refuses this;
	// the ring works without, a little slower.
	vectors := make([]unix.Iovec, len(u.buffers))
	for slot, buffer := range u.buffers {
		vectors[slot].Base = &buffer[0]
		vectors[slot].SetLen(len(buffer))
	}
	u.fixed = u.register(uringRegisterBuffers, unsafe.Pointer(&vectors[0]), uint32(len(vectors))) == nil
	return nil
}

// setup makes the ring, with the cheapest way to deliver completions that the
// kernel knows.
func (u *uring) setup(entries uint32) (*uringParameters, error) {
	for _, flags := range []uint32{uringSetupSingleIssuer | uringSetupDeferTaskrun, uringSetupCoopTaskrun, 0} {
		parameters := &uringParameters{flags: flags}
		ring, _, errno := unix.Syscall(unix.SYS_IO_URING_SETUP, uintptr(entries), uintptr(unsafe.Pointer(parameters)), 0)
		switch errno {
		case 0:
			u.ring = int(ring)
			return parameters, nil
		case unix.EINVAL:
			continue
		default:
			return nil, errno
		}
	}
	return nil, unix.EINVAL
}

func (u *uring) mapRings(p *uringParameters) error {
	submissionSize := p.submission.arrayOrFlags + p.submissionEntries*4
	completionSize := p.completion.droppedOrEntries + p.completionEntries*uint32(unsafe.Sizeof(uringCompletion{}))
	var err error
	const protection, sharing = unix.PROT_READ | unix.PROT_WRITE, unix.MAP_SHARED | unix.MAP_POPULATE
	if u.rings, err = unix.Mmap(u.ring, uringOffsetRings, int(max(submissionSize, completionSize)), protection, sharing); err != nil {
		return err
	}
	size := int(p.submissionEntries) * int(unsafe.Sizeof(uringSubmission{}))
	if u.entries, err = unix.Mmap(u.ring, uringOffsetSubmissions, size, protection, sharing); err != nil {
		return err
	}
	at := func(offset uint32) unsafe.Pointer { return unsafe.Pointer(&u.rings[offset]) }
	u.submissionHead = (*uint32)(at(p.submission.head))
	u.submissionTail = (*uint32)(at(p.submission.tail))
	u.submissionMask = *(*uint32)(at(p.submission.mask))
	u.array = unsafe.Slice((*uint32)(at(p.submission.arrayOrFlags)), p.submissionEntries)
	u.submissions = unsafe.Slice((*uringSubmission)(unsafe.Pointer(&u.entries[0])), p.submissionEntries)
	u.completionHead = (*uint32)(at(p.completion.head))
	u.completionTail = (*uint32)(at(p.completion.tail))
	u.completionMask = *(*uint32)(at(p.completion.mask))
	u.completions = unsafe.Slice((*uringCompletion)(at(p.completion.droppedOrEntries)), p.completionEntries)
	return nil
}

func (u *uring) register(what uintptr, of unsafe.Pointer, count uint32) error {
	_, _, errno := unix.Syscall6(unix.SYS_IO_URING_REGISTER, uintptr(u.ring), what, uintptr(of), uintptr(count), 0, 0)
	if errno != 0 {
		return errno
	}
	return nil
}

func (u *uring) Buffer(slot int) []byte { return u.buffers[slot] }

func (u *uring) Name() string { return "io_uring" }

func (u *uring) Submit(operations []Operation) error {
	now := time.Since(u.epoch)
	tail := *u.submissionTail
	for i := range operations {
		at := tail & u.submissionMask
		u.prepare(&u.submissions[at], &operations[i])
		u.array[at] = at
		u.submitted[operations[i].Slot] = now
		tail++
	}
	atomic.StoreUint32(u.submissionTail, tail)
	u.queued += uint32(len(operations))
	u.submittedAt = now
	return nil
}

// prepare writes one operation into its place in the ring.
func (u *uring) prepare(s *uringSubmission, o *Operation) {
	*s = uringSubmission{flags: uringFixedFile, userData: uint64(o.Slot)}
	u.lengths[o.Slot] = int32(o.Length)
	if o.Action == Flush {
		s.opcode = uringOpFsync
		u.lengths[o.Slot] = 0
		return
	}
	s.offset, s.length = uint64(o.Offset), uint32(o.Length)
	s.address = uint64(uintptr(unsafe.Pointer(&u.buffers[o.Slot][0])))
	s.opcode = uringOpRead
	if o.Action == Write {
		s.opcode = uringOpWrite
		if o.Durable {
			s.rwFlags = unix.RWF_DSYNC
		}
	}
	if u.fixed {
		s.opcode -= uringOpRead - uringOpReadFixed
		s.bufferIndex = uint16(o.Slot)
	}
}

func (u *uring) Wait(done []Completion, until time.Duration) (int, error) {
	now := u.submittedAt
	for ; ; now = time.Since(u.epoch) {
		if u.queued == 0 {
			if filled := u.reap(done); filled > 0 {
				return filled, nil
			}
			now = time.Since(u.epoch)
		}
		left := until - now
		if err := u.enter(left); err != nil {
			return 0, err
		}
		if filled := u.reap(done); filled > 0 || left <= 0 {
			return filled, nil
		}
	}
}

// enter hands over what is queued and waits for a completion, for as long as
// left says.
func (u *uring) enter(left time.Duration) error {
	var least uintptr
	if left > 0 {
		least = 1
		u.timeout = unix.NsecToTimespec(int64(left))
	}
	u.argument.timeout = uint64(uintptr(unsafe.Pointer(&u.timeout)))
	taken, _, errno := unix.Syscall6(unix.SYS_IO_URING_ENTER, uintptr(u.ring), uintptr(u.queued), least,
		uringEnterGetEvents|uringEnterExtArg, uintptr(unsafe.Pointer(&u.argument)), unsafe.Sizeof(u.argument))
	switch errno {
	case 0:
		u.queued -= uint32(taken)
		return nil
	case unix.ETIME, unix.EINTR, unix.EAGAIN, unix.EBUSY:
		// A timeout does not say how much was taken before it.
		u.queued = u.untaken()
		return nil
	default:
		return fmt.Errorf("waiting on io_uring: %w", errno)
	}
}

// untaken is how many submissions the kernel has not taken yet.
func (u *uring) untaken() uint32 {
	return *u.submissionTail - atomic.LoadUint32(u.submissionHead)
}

// reap takes what is complete by now, all of it at one time.
func (u *uring) reap(done []Completion) int {
	head, tail := *u.completionHead, atomic.LoadUint32(u.completionTail)
	if head == tail {
		return 0
	}
	now := time.Since(u.epoch)
	filled := 0
	for ; filled < len(done) && head != tail; filled++ {
		c := &u.completions[head&u.completionMask]
		slot := int(c.userData)
		done[filled] = Completion{Slot: slot, Submitted: u.submitted[slot], Completed: now}
		switch {
		case c.result < 0:
			done[filled].Err = syscall.Errno(-c.result)
		case c.result != u.lengths[slot]:
			done[filled].Err = io.ErrUnexpectedEOF
		}
		head++
	}
	atomic.StoreUint32(u.completionHead, head)
	return filled
}

// Close lets go of file and buffers first: the kernel takes a ring apart only
// some time after it was closed, and until then a file system on which the file
// was could not be unmounted.
func (u *uring) Close() error {
	var err error
	if u.ring >= 0 {
		_ = u.register(uringUnregisterBuffers, nil, 0)
		_ = u.register(uringUnregisterFiles, nil, 0)
	}
	for _, mapped := range [][]byte{u.entries, u.rings} {
		if mapped != nil {
			err = errors.Join(err, unix.Munmap(mapped))
		}
	}
	if u.ring >= 0 {
		err = errors.Join(err, unix.Close(u.ring))
	}
	if u.memory != nil {
		err = errors.Join(err, unix.Munmap(u.memory))
	}
	return err
}

// mapBuffers maps one page-aligned buffer a slot, outside of Go's memory.
func mapBuffers(shape Shape) (memory []byte, buffers [][]byte, err error) {
	stride := bufferStride(shape)
	memory, err = unix.Mmap(-1, 0, stride*shape.Slots, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_PRIVATE|unix.MAP_ANONYMOUS)
	if err != nil {
		return nil, nil, fmt.Errorf("mapping buffers for depth %d of %s: %w", shape.Slots, shape.Block, err)
	}
	return memory, cutBuffers(memory, shape), nil
}
