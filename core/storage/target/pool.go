package target

import (
	"errors"
	"os"
	"sync"
	"time"

	"opengauge/core/clock"
	"opengauge/core/storage/bell"
)

// pool is a queue made of threads that each do one positioned read or write at
// a time. It works on every system.
type pool struct {
	file    *os.File
	clock   clock.Clock
	buffers [][]byte

	requests    chan request
	completions chan Completion
	bell        *bell.Bell
	working     sync.WaitGroup
}

type request struct {
	operation Operation
	submitted time.Duration
}

func newPool(file *os.File, at clock.Clock, shape Shape) (*pool, error) {
	ready, err := bell.New()
	if err != nil {
		return nil, err
	}
	p := &pool{
		file: file, clock: at, buffers: newBuffers(shape),
		requests:    make(chan request, shape.Slots),
		completions: make(chan Completion, shape.Slots),
		bell:        ready,
	}
	for range shape.Slots {
		own, err := apart(file)
		if err != nil {
			return nil, errors.Join(err, p.Close())
		}
		p.working.Go(func() { p.work(own) })
	}
	return p, nil
}

// work carries one operation after the other on a file of its own.
func (p *pool) work(own *os.File) {
	for r := range p.requests {
		began := p.clock.Now()
		err := p.carry(own, r.operation)
		p.completions <- Completion{
			Slot: r.operation.Slot, Submitted: r.submitted, Began: began, Completed: p.clock.Now(), Err: err,
		}
		p.bell.Ring()
	}
	if own != p.file {
		_ = own.Close()
	}
}

func (p *pool) carry(file *os.File, o Operation) error {
	switch o.Action {
	case Flush:
		return file.Sync()
	case Write:
		moved, err := writeAt(file, int(file.Fd()), o.Payload(p.buffers[o.Slot]), o.Offset, o.Durable)
		return checkMoved(moved, o.Length, err)
	default:
		moved, err := readAt(file, int(file.Fd()), p.buffers[o.Slot][:o.Length], o.Offset)
		return checkMoved(moved, o.Length, err)
	}
}

func (p *pool) Submit(operations []Operation) error {
	now := p.clock.Now()
	for _, operation := range operations {
		p.requests <- request{operation: operation, submitted: now}
	}
	return nil
}

func (p *pool) Wait(done []Completion, until time.Duration) (int, error) {
	for { // the bell may still ring for what was taken before
		filled, left := p.drain(done), until-p.clock.Now()
		if filled > 0 || left <= 0 {
			return filled, nil
		}
		p.bell.Wait(left)
	}
}

// drain takes the operations that are complete by now.
func (p *pool) drain(done []Completion) int {
	for filled := range done {
		select {
		case done[filled] = <-p.completions:
		default:
			return filled
		}
	}
	return len(done)
}

func (p *pool) Buffer(slot int) []byte { return p.buffers[slot] }

func (p *pool) Name() string { return "thread pool" }

func (p *pool) Close() error {
	close(p.requests)
	p.working.Wait()
	p.bell.Close()
	return nil
}
