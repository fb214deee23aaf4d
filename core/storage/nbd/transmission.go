package nbd

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"sync"
)

// transmission is the exchange of requests and replies with a client.
type transmission struct {
	ctx        context.Context // ends with the connection
	memory     *pool
	export     *Served
	conn       steady
	reader     *bufio.Reader
	structured bool
	room       chan struct{}

	mutex  sync.Mutex
	writer *bufio.Writer
	failed error
}

func (t *transmission) run() error {
	var group sync.WaitGroup
	defer group.Wait()
	for {
		t.room <- struct{}{}
		if err := t.failure(); err != nil { // what else it asked for is for nobody
			return err
		}
		r, err := t.request()
		if err != nil || r.command == commandEnd {
			return err
		}
		group.Go(func() {
			defer func() { t.memory.give(t, r.memory()); <-t.room }()
			t.serve(r)
		})
	}
}

// request is a request of a client.
type request struct {
	flags, command uint16
	cookie         uint64
	offset         int64
	length         uint32
	data           []byte
}

// memory is how much a request's data takes.
func (r *request) memory() int64 {
	if r.command != commandRead && r.command != commandWrite {
		return 0
	}
	return min(int64(r.length), largestServed)
}

func (t *transmission) request() (request, error) {
	var head [requestLength]byte
	if _, err := io.ReadFull(t.reader, head[:]); err != nil {
		return request{}, err
	}
	if binary.BigEndian.Uint32(head[:]) != magicRequest {
		return request{}, errors.New("it does not speak NBD as it should")
	}
	r := request{
		flags: binary.BigEndian.Uint16(head[4:]), command: binary.BigEndian.Uint16(head[6:]),
		cookie: binary.BigEndian.Uint64(head[8:]),
		offset: int64(binary.BigEndian.Uint64(head[16:])), length: binary.BigEndian.Uint32(head[24:]),
	}
	if r.command == commandWrite && r.length > largestServed {
		return r, errors.New("it sends a request that is too large")
	}
	if err := t.memory.take(t.ctx, t, r.memory()); err != nil {
		return r, err
	}
	if r.command == commandWrite {
		r.data = make([]byte, r.length)
		if err := t.conn.readBody(t.reader, r.data); err != nil {
			t.memory.give(t, r.memory())
			return r, err
		}
	}
	return r, nil
}

// Errors of the protocol that the server gives.
const (
	errnoPerm  = 1
	errnoIO    = 5
	errnoInval = 22
	errnoSpace = 28
)

// failure returns why replies can no longer be sent, or nil.
func (t *transmission) failure() error {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.failed
}

func (t *transmission) serve(r request) {
	if t.failure() != nil {
		return
	}
	var data []byte
	number := t.check(r)
	moves := r.command == commandRead || r.command == commandWrite
	if number == 0 && moves && t.export.Admit != nil {
		number = t.export.Admit(r.command == commandWrite, int(r.length))
	}
	if number == 0 {
		data, number = t.do(r)
	}
	t.answer(r, data, number)
}

func (t *transmission) check(r request) uint32 {
	size := t.export.Backing.Size()
	writes := r.command == commandWrite || r.command == commandTrim || r.command == commandZeroes
	switch {
	case writes && t.export.ReadOnly:
		return errnoPerm
	case r.command == commandFlush:
		return 0
	case r.offset < 0 || r.offset > size || int64(r.length) > size-r.offset:
		if writes {
			return errnoSpace
		}
		return errnoInval
	case r.command == commandRead && r.length > largestServed:
		return errnoInval
	}
	return 0
}

func (t *transmission) do(r request) ([]byte, uint32) {
	backing := t.export.Backing
	var err error
	var data []byte
	switch r.command {
	case commandRead:
		data = make([]byte, r.length)
		_, err = backing.ReadAt(data, r.offset)
		if errors.Is(err, io.EOF) {
			err = nil
		}
	case commandWrite:
		_, err = backing.WriteAt(r.data, r.offset)
	case commandFlush:
		err = backing.Sync()
	case commandTrim:
	case commandZeroes:
		err = zero(backing, r.offset, int64(r.length))
	default:
		return nil, errnoInval
	}
	if err == nil && r.flags&commandFUA != 0 {
		err = backing.Sync()
	}
	if err != nil {
		return nil, errnoIO
	}
	return data, 0
}

func zero(backing Backing, offset, length int64) error {
	zeroes := make([]byte, 1<<20)
	for length > 0 {
		count := min(length, int64(len(zeroes)))
		if _, err := backing.WriteAt(zeroes[:count], offset); err != nil {
			return err
		}
		offset, length = offset+count, length-count
	}
	return nil
}

// answer sends a reply. Replies that wait for the same lock leave together.
func (t *transmission) answer(r request, data []byte, number uint32) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	if t.failed != nil {
		return
	}
	var head []byte
	if t.structured && r.command == commandRead {
		head = structuredHead(r, len(data), number)
	} else {
		head = binary.BigEndian.AppendUint32(nil, magicSimple)
		head = binary.BigEndian.AppendUint32(head, number)
		head = binary.BigEndian.AppendUint64(head, r.cookie)
	}
	_, _ = t.writer.Write(head)
	if number == 0 {
		_, _ = t.writer.Write(data)
	}
	if t.failed = t.writer.Flush(); t.failed != nil {
		_ = t.conn.Close()
	}
}

// structuredHead returns the head of the one chunk that answers a read.
func structuredHead(r request, length int, number uint32) []byte {
	head := binary.BigEndian.AppendUint32(nil, magicStructured)
	head = binary.BigEndian.AppendUint16(head, chunkDone)
	if number != 0 {
		head = binary.BigEndian.AppendUint16(head, chunkError)
		head = binary.BigEndian.AppendUint64(head, r.cookie)
		head = binary.BigEndian.AppendUint32(head, 6)
		head = binary.BigEndian.AppendUint32(head, number)
		return binary.BigEndian.AppendUint16(head, 0)
	}
	head = binary.BigEndian.AppendUint16(head, chunkData)
	head = binary.BigEndian.AppendUint64(head, r.cookie)
	head = binary.BigEndian.AppendUint32(head, uint32(8+length))
	return binary.BigEndian.AppendUint64(head, uint64(r.offset))
}
