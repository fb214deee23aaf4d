package target

import (
	"os"
	"time"

	"opengauge/core/clock"
	"opengauge/core/storage/bell"
)

// caller is a queue of depth 1: each operation is one positioned call of the
// thread that submits it, which is done before Submit returns.
type caller struct {
	file    *os.File
	fd      int
	clock   clock.Clock
	buffers [][]byte
	done    Completion
	ready   bool
}

func newCaller(file *os.File, at clock.Clock, shape Shape) *caller {
	bell.Precise()
	return &caller{file: file, fd: int(file.Fd()), clock: at, buffers: newBuffers(shape)}
}

func (c *caller) Submit(operations []Operation) error {
	for i := range operations {
		submitted := c.clock.Now()
		err := c.carry(&operations[i])
		c.done = Completion{Slot: operations[i].Slot, Submitted: submitted, Completed: c.clock.Now(), Err: err}
		c.ready = true
	}
	return nil
}

func (c *caller) carry(o *Operation) error {
	if o.Action == Flush {
		return c.file.Sync()
	}
	buffer := o.Payload(c.buffers[o.Slot])
	var moved int
	var err error
	if o.Action == Write {
		moved, err = writeAt(c.file, c.fd, buffer, o.Offset, o.Durable)
	} else {
		moved, err = readAt(c.file, c.fd, buffer, o.Offset)
	}
	return checkMoved(moved, o.Length, err)
}

func (c *caller) Wait(done []Completion, until time.Duration) (int, error) {
	if c.ready {
		done[0], c.ready = c.done, false
		return 1, nil
	}
	bell.Sleep(until - c.clock.Now())
	return 0, nil
}

func (c *caller) Buffer(slot int) []byte { return c.buffers[slot] }

func (c *caller) Name() string { return "positioned calls" }

func (c *caller) Close() error { return nil }
