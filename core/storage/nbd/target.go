package nbd

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"sync"
	"syscall"
	"time"

	"opengauge/core/clock"
	"opengauge/core/storage/bell"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Abilities of a volume as a target.
var (
	_ target.Reopener = (*Volume)(nil)
	_ target.Answerer = (*Volume)(nil)
)

// Options say how a volume is opened.
type Options struct {
	// Size is the part of the export that is touched, or 0 for all of it.
	Size unit.Bytes
	// Overwrite allows to write: it has to be the export's name.
	Overwrite string
	// TLS settings, or nil for the system's.
	TLS *tls.Config
	// Apart gives each queue a second connection for writes, so that small requests to read do not wait
	// behind their data. The server has to allow several.
	Apart bool
}

// Volume is an export of an NBD server. It is a [target.Target]; each of its queues
// is a connection of its own, several of them where the server allows that.
type Volume struct {
	// ctx ends the attempts to reach the server.
	ctx         context.Context
	address     Address
	options     Options
	clock       clock.Clock
	export      export
	description target.Description
}

// Open connects to a server and reads the description of the export. The context holds for all later
// connections too.
func Open(ctx context.Context, text string, options Options) (*Volume, error) {
	address, err := ParseAddress(text)
	if err != nil {
		return nil, err
	}
	v, err := Connect(ctx, address, options)
	if err != nil {
		return nil, err
	}
	v.description.Address = text
	return v, nil
}

// Connect is [Open] for an address that was read already.
func Connect(ctx context.Context, address Address, options Options) (*Volume, error) {
	c, err := connect(ctx, address, options.TLS)
	if err != nil {
		return nil, err
	}
	defer c.end()
	v := &Volume{ctx: ctx, address: address, options: options, clock: clock.Start(), export: c.export}
	capacity := c.export.capacity()
	span := capacity
	if options.Size > 0 {
		if options.Size > capacity {
			return nil, fmt.Errorf("--size %s is larger than the export, which holds %s", options.Size,
				capacity.Capacity())
		}
		span = options.Size
	}
	if grain := unit.Bytes(max(c.export.smallest, 512)); span > grain {
		span -= span % grain
	}
	v.description = target.Description{
		Kind: target.Volume, Address: address.Host, Span: span, Capacity: capacity,
		SmallestBlock: unit.Bytes(c.export.smallest), Direct: true,
		Parallel: c.export.has(exportMulti), Writable: options.Overwrite != "" && options.Overwrite == address.Export,
	}
	switch {
	case options.Overwrite != "" && options.Overwrite != address.Export:
		return nil, fmt.Errorf("--overwrite %q is not the name of the export, which is %q: nothing is written",
			options.Overwrite, address.Export)
	case v.description.Writable && c.export.has(exportReadOnly):
		return nil, fmt.Errorf("the server serves the export %q for reading only", address.Export)
	}
	return v, nil
}

// Description of the volume.
func (v *Volume) Description() target.Description { return v.description }

// About returns the server's description of the export for people, or "". It is the server's word, of up to 4
// KiB, and not checked.
func (v *Volume) About() string { return v.export.description }

// Now is the time since it was opened.
func (v *Volume) Now() time.Duration { return v.clock.Now() }

// Usage returns the processor time of this program; the work of others on the volume cannot be read.
func (v *Volume) Usage() target.Usage { return target.Usage{Processor: target.ProcessorTime()} }

// Close does nothing: queues own the connections.
func (v *Volume) Close() error { return nil }

// Answers says whether the server can still be reached.
func (v *Volume) Answers() error {
	c, err := connect(v.ctx, v.address, v.options.TLS)
	if err != nil {
		return err
	}
	return c.end()
}

// Reopen reports an error unless the server answers, and still serves the same: an export of the same size,
// with the data that were written to it.
func (v *Volume) Reopen(ours target.Recognise) error {
	c, err := connect(v.ctx, v.address, v.options.TLS)
	if err != nil {
		return err
	}
	now := c.export
	if err := c.end(); err != nil {
		return err
	}
	stranger := func(format string, a ...any) error {
		return &target.StrangerError{Address: v.description.Address, Why: fmt.Sprintf(format, a...)}
	}
	switch {
	case now.size != v.export.size:
		return stranger("the export holds %d bytes, and held %d", now.size, v.export.size)
	case v.description.Writable && now.has(exportReadOnly):
		return stranger("the export is for reading only, and was not")
	case now.smallest != v.export.smallest:
		return stranger("the export takes blocks of %d bytes, and took %d", now.smallest, v.export.smallest)
	}
	if err := target.Resembles(v.description.Address, v.description.Writable, false, ours); err != nil || ours == nil {
		return err
	}
	opened, err := v.Open(target.Shape{Slots: 1, Block: lookedAt})
	if err != nil {
		return err
	}
	return errors.Join(ours(&looker{v, opened}), opened.Close())
}

const (
	// lookedAt is the most that is read at once of written data.
	lookedAt = 64 * unit.KiB
	// lookWithin is how long that may take.
	lookWithin = 10 * time.Second
)

// looker reads through a queue.
type looker struct {
	volume *Volume
	queue  target.Queue
}

func (l *looker) ReadAt(into []byte, offset int64) (int, error) {
	if len(into) > int(lookedAt) {
		return 0, fmt.Errorf("%d bytes are too many to be read at once", len(into))
	}
	operation := target.Operation{Action: target.Read, Offset: offset, Length: len(into)}
	if err := l.queue.Submit([]target.Operation{operation}); err != nil {
		return 0, err
	}
	var done [1]target.Completion
	filled, err := l.queue.Wait(done[:], l.volume.Now()+lookWithin)
	switch {
	case err != nil:
		return 0, err
	case filled == 0:
		return 0, fmt.Errorf("the server did not answer a read within %s", lookWithin)
	case done[0].Err != nil:
		return 0, done[0].Err
	}
	return copy(into, l.queue.Buffer(0)), nil
}

// Open gives a queue on a connection of its own.
func (v *Volume) Open(shape target.Shape) (target.Queue, error) {
	if int64(shape.Block) > int64(v.export.largest) {
		return nil, fmt.Errorf("the server takes requests of up to %s, and not of %s", unit.Bytes(v.export.largest),
			shape.Block)
	}
	if int64(shape.Block)%int64(v.export.smallest) != 0 {
		return nil, fmt.Errorf("the server takes blocks of %s and multiples, and not of %s",
			unit.Bytes(v.export.smallest), shape.Block)
	}
	c, err := connect(v.ctx, v.address, v.options.TLS)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", err, syscall.ENODEV)
	}
	connections := [ways]*connection{c, c}
	if v.options.Apart {
		if connections[outwards], err = connect(v.ctx, v.address, v.options.TLS); err != nil {
			return nil, fmt.Errorf("%w: %w", errors.Join(err, c.end()), syscall.ENODEV)
		}
	}
	opened, err := newQueue(v, connections, shape)
	if err != nil {
		return nil, err
	}
	return opened, nil
}

// Reads go over one of a queue's connections, and writes, with their flushes, over the other, which may be
// the same.
const (
	inwards = iota
	outwards
	ways
)

// queue is a connection as a queue, or two. One goroutine each reads replies; requests are
// put into the connections' outboxes by the one that submits them.
type queue struct {
	volume      *Volume
	connections [ways]*connection
	boxes       [ways]*outbox
	buffers     [][]byte
	out         [ways][]byte

	mutex  sync.Mutex
	bell   *bell.Bell
	slots  []slot
	ready  []target.Completion
	broken error
	// reading are the goroutines that read replies.
	reading sync.WaitGroup
}

// slot is a request under way. Its cookie is the number of the slot, with a turn
// that tells it from earlier ones.
type slot struct {
	pending
	busy      bool
	turn      uint32
	submitted time.Duration
}

func newQueue(v *Volume, connections [ways]*connection, shape target.Shape) (*queue, error) {
	q := &queue{
		volume: v, connections: connections, slots: make([]slot, shape.Slots),
		buffers: make([][]byte, shape.Slots),
		ready:   make([]target.Completion, 0, shape.Slots),
	}
	for way, c := range q.own() {
		q.boxes[way] = newOutbox(c, q.lose)
	}
	if q.boxes[outwards] == nil {
		q.boxes[outwards] = q.boxes[inwards]
	}
	var err error
	if q.bell, err = bell.New(); err != nil {
		q.hangUp()
		return nil, err
	}
	memory := make([]byte, int(shape.Block)*shape.Slots)
	for i := range q.buffers {
		q.buffers[i] = memory[i*int(shape.Block) : (i+1)*int(shape.Block) : (i+1)*int(shape.Block)]
	}
	for _, c := range q.own() {
		q.reading.Go(func() { q.read(c) })
	}
	return q, nil
}

// own are the connections that it has, each once.
func (q *queue) own() []*connection {
	if q.connections[inwards] == q.connections[outwards] {
		return q.connections[:1]
	}
	return q.connections[:]
}

func (q *queue) hangUp() {
	for way := range q.own() {
		q.boxes[way].end()
	}
}

func (q *queue) Buffer(slot int) []byte { return q.buffers[slot] }

func (q *queue) Name() string { return "NBD" }

// read reads replies until the connection ends.
func (q *queue) read(c *connection) {
	r := &replies{from: c.reader, find: q.find}
	for {
		cookie, err := r.next()
		q.mutex.Lock()
		if err != nil {
			q.breakOff(err)
			q.mutex.Unlock()
			return
		}
		q.complete(int(uint32(cookie)))
		q.mutex.Unlock()
		if c.reader.Buffered() == 0 {
			q.tell()
		}
	}
}

func (q *queue) tell() { q.bell.Ring() }

// find gives the request of a cookie.
func (q *queue) find(cookie uint64) *pending {
	number, turn := uint32(cookie), uint32(cookie>>32)
	q.mutex.Lock()
	defer q.mutex.Unlock()
	if int(number) >= len(q.slots) || !q.slots[number].busy || q.slots[number].turn != turn {
		return nil
	}
	return &q.slots[number].pending
}

// complete hands a slot's completion over. The mutex is held.
func (q *queue) complete(number int) {
	s := &q.slots[number]
	s.busy = false
	q.ready = append(q.ready, target.Completion{Slot: number, Submitted: s.submitted, Completed: q.volume.Now(),
		Err: s.err})
}

// lose is [queue.breakOff] for one that does not hold the mutex.
func (q *queue) lose(err error) {
	q.mutex.Lock()
	defer q.mutex.Unlock()
	q.breakOff(err)
}

// breakOff ends every request that is under way: the connection is gone. Of several causes
// it is the first that counts. The mutex is held.
func (q *queue) breakOff(err error) {
	if q.broken != nil {
		return
	}
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = errors.New("the server ended the connection")
	}
	if q.broken = err; !errors.Is(err, ErrGarbage) { // one that speaks nonsense is there
		q.broken = fmt.Errorf("%w: %w", err, syscall.ENODEV)
	}
	for number := range q.slots {
		if s := &q.slots[number]; s.busy {
			s.err = q.broken
			q.complete(number)
		}
	}
	q.tell()
}

// Submit sends requests.
func (q *queue) Submit(operations []target.Operation) error {
	q.mutex.Lock()
	now := q.volume.Now()
	for way := range q.out {
		q.out[way] = q.out[way][:0]
	}
	for i := range operations {
		q.add(&operations[i], now)
	}
	broken := q.broken
	q.mutex.Unlock()
	if broken != nil {
		return nil
	}
	for way, requests := range q.out {
		q.boxes[way].put(requests)
	}
	return nil
}

// add puts a request into the outbox. The mutex is held.
func (q *queue) add(o *target.Operation, now time.Duration) {
	s := &q.slots[o.Slot]
	s.busy, s.turn, s.submitted = true, s.turn+1, now
	s.pending = pending{offset: o.Offset, arrived: s.arrived[:0]}
	var flags, command uint16
	offset, length := o.Offset, o.Length
	switch o.Action {
	case target.Read:
		command, s.into = commandRead, q.buffers[o.Slot][:o.Length]
	case target.Write:
		command = commandWrite
		if o.Durable && q.volume.export.has(exportFUA) {
			flags = commandFUA
		}
	default:
		command, offset, length = commandFlush, 0, 0
	}
	switch {
	case q.broken != nil:
		s.err = q.broken
		q.complete(o.Slot)
		q.tell()
		return
	case o.Durable && command == commandWrite && flags == 0:
		s.err = errors.New("the server does not know forced unit access, so that a write is not known to be durable")
		q.complete(o.Slot)
		q.tell()
		return
	case command == commandFlush && !q.volume.export.has(exportFlush): // nothing is held back
		q.complete(o.Slot)
		q.tell()
		return
	}
	var head [requestLength]byte
	header{flags, command, uint64(s.turn)<<32 | uint64(o.Slot), offset, length}.put(head[:])
	way := outwards
	if command == commandRead || q.connections[inwards] == q.connections[outwards] {
		way = inwards
	}
	q.out[way] = append(q.out[way], head[:]...)
	if command == commandWrite {
		q.out[way] = append(q.out[way], o.Payload(q.buffers[o.Slot])...)
	}
}

// Wait gives the completions that there are, or waits for one.
func (q *queue) Wait(done []target.Completion, until time.Duration) (int, error) {
	for {
		q.mutex.Lock()
		filled := copy(done, q.ready)
		q.ready = q.ready[:copy(q.ready, q.ready[filled:])]
		q.mutex.Unlock()
		left := until - q.volume.Now()
		if filled > 0 || left <= 0 {
			return filled, nil
		}
		q.bell.Wait(left)
	}
}

// Close ends the connection.
func (q *queue) Close() error {
	q.hangUp()
	q.reading.Wait()
	q.bell.Close()
	return nil
}
