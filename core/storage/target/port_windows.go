package target

import (
	"errors"
	"fmt"
	"os"
	"runtime"
	"time"
	"unsafe"

	"golang.org/x/sys/windows"

	"opengauge/core/clock"
)

// port is a queue on a completion port: overlapped calls begin operations, and the port
// says which are over. A handle that is not overlapped takes one operation at a time,
// whatever asks it.
type port struct {
	name    string
	clock   clock.Clock
	file    windows.Handle
	through windows.Handle // for durable writes, opened for the first of them
	port    windows.Handle
	buffers [][]byte
	flights []portFlight

	// begin are threads that begin the operations of a slot each, where that is needed.
	inline inline
	begin  []chan Operation
}

// portFlight is an operation under way. The system knows it by the address of its first field.
type portFlight struct {
	overlapped       windows.Overlapped
	slot             int
	length           uint32
	submitted, began time.Duration
	failed           error // why it did not begin, or how a flush ended
}

// nativeMissing says that there is one on every Windows.
func nativeMissing() error { return nil }

// newNative opens a queue on a completion port, with a handle of its own on the file.
func newNative(file *os.File, at clock.Clock, shape Shape) (Queue, error) {
	p := &port{name: file.Name(), clock: at, buffers: newBuffers(shape), flights: make([]portFlight, shape.Slots)}
	for slot := range p.flights {
		p.flights[slot].slot = slot
	}
	var err error
	if p.port, err = windows.CreateIoCompletionPort(windows.InvalidHandle, 0, 0, 1); err != nil {
		return nil, fmt.Errorf("making a completion port: %w", err)
	}
	if p.file, err = p.open(0); err != nil {
		return nil, errors.Join(err, p.Close())
	}
	return p, nil
}

// open opens the file for overlapped I/O past the cache, for writing where that is allowed, and ties it to
// the port.
func (p *port) open(more uint32) (windows.Handle, error) {
	name, err := windows.UTF16PtrFromString(p.name)
	if err != nil {
		return 0, err
	}
	const share = windows.FILE_SHARE_READ | windows.FILE_SHARE_WRITE
	var handle windows.Handle
	for _, access := range []uint32{windows.GENERIC_READ | windows.GENERIC_WRITE, windows.GENERIC_READ} {
		for _, past := range []uint32{windows.FILE_FLAG_NO_BUFFERING, 0} {
			handle, err = windows.CreateFile(name, access, share, nil, windows.OPEN_EXISTING,
				windows.FILE_FLAG_OVERLAPPED|past|more, 0)
			if !errors.Is(err, windows.ERROR_INVALID_PARAMETER) {
				break
			}
		}
		if err == nil {
			_, err = windows.CreateIoCompletionPort(handle, p.port, 0, 0)
			return handle, err
		}
	}
	return 0, &os.PathError{Op: "open", Path: p.name, Err: err}
}

func (p *port) Submit(operations []Operation) error {
	for _, o := range operations {
		p.flights[o.Slot].submitted = p.clock.Now()
		switch {
		case o.Action == Flush:
			go p.flush(o)
		case p.begin != nil:
			p.begin[o.Slot] <- o
		default:
			p.carry(o)
			p.watch(p.clock.Now() - p.flights[o.Slot].began)
		}
	}
	return nil
}

// watch notices that calls come back only when their operations are over, and leaves
// them to threads from then on: no two would ever be under way at once.
func (p *port) watch(took time.Duration) {
	if len(p.flights) == 1 || !p.inline.sees(took) {
		return
	}
	p.begin = make([]chan Operation, len(p.flights))
	for slot := range p.begin {
		operations := make(chan Operation, 1)
		p.begin[slot] = operations
		go func() {
			runtime.LockOSThread()
			for o := range operations {
				p.carry(o)
			}
		}()
	}
}

// carry begins a read or a write. An operation that cannot begin is handed to the port as over.
func (p *port) carry(o Operation) {
	f := &p.flights[o.Slot]
	f.overlapped = windows.Overlapped{Offset: uint32(o.Offset), OffsetHigh: uint32(o.Offset >> 32)}
	f.length, f.failed, f.began = uint32(o.Length), nil, p.clock.Now()
	data, err := o.Payload(p.buffers[o.Slot]), error(nil)
	if o.Action == Write {
		handle := p.file
		if o.Durable {
			handle, err = p.durable()
		}
		if err == nil {
			err = windows.WriteFile(handle, data, nil, &f.overlapped)
		}
	} else {
		err = windows.ReadFile(p.file, data, nil, &f.overlapped)
	}
	if err != nil && !errors.Is(err, windows.ERROR_IO_PENDING) {
		p.over(f, err)
	}
}

// durable is a handle whose writes are over once their data is on stable media.
func (p *port) durable() (windows.Handle, error) {
	if p.through != 0 {
		return p.through, nil
	}
	var err error
	p.through, err = p.open(windows.FILE_FLAG_WRITE_THROUGH)
	return p.through, err
}

// flush waits until written data are on stable media, on a goroutine of its own: the call has no form that
// does not wait.
func (p *port) flush(o Operation) {
	f := &p.flights[o.Slot]
	f.length, f.began = 0, p.clock.Now()
	p.over(f, windows.FlushFileBuffers(p.file))
}

// over hands an operation to the port, of which the system says nothing itself.
func (p *port) over(f *portFlight, err error) {
	f.failed = err
	if err == nil {
		f.failed = errOver
	}
	_ = windows.PostQueuedCompletionStatus(p.port, 0, 0, &f.overlapped)
}

// errOver marks a flush that went well.
var errOver = errors.New("over")

func (p *port) Wait(done []Completion, until time.Duration) (int, error) {
	filled := 0
	for filled < len(done) {
		left := until - p.clock.Now()
		if filled > 0 {
			left = 0
		}
		completion, ok, err := p.take(left)
		if err != nil {
			return filled, err
		}
		if ok {
			done[filled] = completion
			filled++
			continue
		}
		if filled > 0 || left <= 0 {
			return filled, nil
		}
	}
	return filled, nil
}

// take takes one operation that is over, or waits for one. The system counts waits in
// milliseconds, so the last of them is not waited for but looked at.
func (p *port) take(left time.Duration) (Completion, bool, error) {
	var moved uint32
	var key uintptr
	var overlapped *windows.Overlapped
	wait := max(left.Milliseconds()-1, 0)
	err := windows.GetQueuedCompletionStatus(p.port, &moved, &key, &overlapped, uint32(wait))
	if overlapped == nil {
		var timeout windows.Errno = windows.WAIT_TIMEOUT
		if errors.Is(err, timeout) {
			return Completion{}, false, nil
		}
		return Completion{}, false, fmt.Errorf("waiting on a completion port: %w", err)
	}
	f := (*portFlight)(unsafe.Pointer(overlapped))
	switch {
	case errors.Is(f.failed, errOver):
		err = nil
	case f.failed != nil:
		err = f.failed
	case errors.Is(err, windows.ERROR_HANDLE_EOF), err == nil:
		err = checkMoved(int(moved), int(f.length), nil)
	}
	return Completion{Slot: f.slot, Submitted: f.submitted, Began: f.began, Completed: p.clock.Now(), Err: err}, true, nil
}

func (p *port) Buffer(slot int) []byte { return p.buffers[slot] }

func (p *port) Name() string { return "completion port" }

func (p *port) Close() error {
	for _, operations := range p.begin {
		close(operations)
	}
	var err error
	for _, handle := range []windows.Handle{p.file, p.through, p.port} {
		if handle != 0 {
			err = errors.Join(err, windows.CloseHandle(handle))
		}
	}
	return err
}
