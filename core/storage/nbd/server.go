package nbd

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"
)

// Backing holds the bytes of a served volume. Its methods may be called from several
// goroutines.
type Backing interface {
	io.ReaderAt
	io.WriterAt
	Size() int64
	Sync() error
}

// Served is an export of a server.
type Served struct {
	Name     string
	Backing  Backing
	ReadOnly bool
	// Admit holds a request back until it may go on, and gives the error that it
	// fails with, or 0; it may be nil.
	Admit func(write bool, length int) (errno uint32)
}

// Server serves exports.
type Server struct {
	Exports []Served
	// Log is told what happens; it may be nil.
	Log func(text string)

	mutex       sync.Mutex
	connections map[net.Conn]bool
	closed      bool
	// memory is what requests of all clients may take together.
	memory *semaphore.Weighted
}

const (
	// atOnce bounds how many requests of a connection are under way.
	atOnce = 1024
	// clientMemory and allMemory bound the data of requests under way, of one client and of
	// all: who asks for more is served later.
	clientMemory = 64 << 20
	allMemory    = 256 << 20
	// mostClients are served at once; others are turned away.
	mostClients = 512
	// acceptPause is waited when no client can be taken in now, as descriptors are short.
	acceptPause = 50 * time.Millisecond
	// largestServed is the largest request that is taken.
	largestServed = 32 << 20
	// preferredServed is told to clients.
	preferredServed = 4096
)

// Serve takes connections until the listener is closed. Where it cannot take one in now, it
// goes on with those that it has.
func (s *Server) Serve(listener net.Listener) error {
	s.memory = semaphore.NewWeighted(allMemory)
	short := false
	for {
		c, err := listener.Accept()
		switch {
		case errors.Is(err, net.ErrClosed):
			return nil
		case err != nil:
			if !short {
				s.say("no client can be taken in now: " + err.Error())
			}
			short = true
			time.Sleep(acceptPause)
			continue
		}
		short = false
		if taken, closed := s.add(c); !taken {
			_ = c.Close()
			if closed {
				return nil
			}
			s.say(fmt.Sprintf("client %s is turned away: there are %d", c.RemoteAddr(), mostClients))
			continue
		}
		go func() {
			defer s.remove(c)
			s.say("client " + c.RemoteAddr().String() + " is here")
			if err := s.handle(c); err != nil && !errors.Is(err, io.EOF) {
				s.say("client " + c.RemoteAddr().String() + ": " + err.Error())
			}
		}()
	}
}

func (s *Server) say(text string) {
	if s.Log != nil {
		s.Log(text)
	}
}

// add enters a connection, unless the server is closed or has enough of them.
func (s *Server) add(c net.Conn) (taken, closed bool) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.closed || len(s.connections) >= mostClients {
		return false, s.closed
	}
	if s.connections == nil {
		s.connections = map[net.Conn]bool{}
	}
	s.connections[c] = true
	return true, false
}

func (s *Server) remove(c net.Conn) {
	_ = c.Close()
	s.mutex.Lock()
	delete(s.connections, c)
	s.mutex.Unlock()
}

// Disconnect ends every connection.
func (s *Server) Disconnect() {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for c := range s.connections {
		_ = c.Close()
	}
}

// Close ends every connection for good.
func (s *Server) Close() {
	s.mutex.Lock()
	s.closed = true
	s.mutex.Unlock()
	s.Disconnect()
}

// handle speaks with a client to its end.
func (s *Server) handle(c net.Conn) error {
	_ = c.SetDeadline(time.Now().Add(handshakeWithin))
	h := &handshake{server: s, conn: c, reader: bufio.NewReaderSize(c, readAhead)}
	export, err := h.run()
	if err != nil || export == nil {
		return err
	}
	_ = c.SetDeadline(time.Time{})
	ctx, gone := context.WithCancel(context.Background())
	defer gone()
	t := &transmission{ctx: ctx, own: semaphore.NewWeighted(clientMemory), all: s.memory, export: export, conn: c,
		reader: h.reader, writer: bufio.NewWriterSize(c, readAhead),
		structured: h.structured, room: make(chan struct{}, atOnce)}
	return t.run()
}

// handshake is the negotiation with a client.
type handshake struct {
	server     *Server
	conn       net.Conn
	reader     *bufio.Reader
	structured bool
	noZeroes   bool
}

func (h *handshake) run() (*Served, error) {
	hello := binary.BigEndian.AppendUint64(nil, magicServer)
	hello = binary.BigEndian.AppendUint64(hello, magicOption)
	hello = binary.BigEndian.AppendUint16(hello, flagFixedNewstyle|flagNoZeroes)
	if _, err := h.conn.Write(hello); err != nil {
		return nil, err
	}
	var flags [4]byte
	if _, err := io.ReadFull(h.reader, flags[:]); err != nil {
		return nil, err
	}
	h.noZeroes = binary.BigEndian.Uint32(flags[:])&flagNoZeroes != 0
	for {
		export, done, err := h.option()
		if err != nil || done {
			return export, err
		}
	}
}

func (h *handshake) option() (export *Served, done bool, err error) {
	var head [16]byte
	if _, err := io.ReadFull(h.reader, head[:]); err != nil {
		return nil, false, err
	}
	option, length := binary.BigEndian.Uint32(head[8:]), binary.BigEndian.Uint32(head[12:])
	if binary.BigEndian.Uint64(head[:]) != magicOption || length > longestOption {
		return nil, false, errors.New("it does not speak NBD as it should")
	}
	data := make([]byte, length)
	if _, err := io.ReadFull(h.reader, data); err != nil {
		return nil, false, err
	}
	switch option {
	case optionExportName:
		return h.byName(string(data))
	case optionAbort:
		return nil, true, h.reply(option, replyAck, nil)
	case optionList:
		return nil, false, h.list()
	case optionInfo, optionGo:
		return h.info(option, data)
	case optionStructuredReply:
		h.structured = true
		return nil, false, h.reply(option, replyAck, nil)
	}
	return nil, false, h.reply(option, replyUnsupport, nil)
}

func (h *handshake) reply(option, kind uint32, data []byte) error {
	message := binary.BigEndian.AppendUint64(nil, magicReply)
	message = binary.BigEndian.AppendUint32(message, option)
	message = binary.BigEndian.AppendUint32(message, kind)
	message = binary.BigEndian.AppendUint32(message, uint32(len(data)))
	_, err := h.conn.Write(append(message, data...))
	return err
}

func (h *handshake) find(name string) *Served {
	for i := range h.server.Exports {
		if h.server.Exports[i].Name == name {
			return &h.server.Exports[i]
		}
	}
	return nil
}

func (e *Served) flags() uint16 {
	flags := uint16(exportHasFlags | exportFlush | exportFUA | exportTrim | exportZeroes | exportMulti)
	if e.ReadOnly {
		flags |= exportReadOnly
	}
	return flags
}

// byName is the older way to choose an export, which cannot be refused politely.
func (h *handshake) byName(name string) (*Served, bool, error) {
	export := h.find(name)
	if export == nil {
		return nil, true, errors.New("it asks for an export that is not there")
	}
	answer := binary.BigEndian.AppendUint64(nil, uint64(export.Backing.Size()))
	answer = binary.BigEndian.AppendUint16(answer, export.flags())
	if !h.noZeroes {
		answer = append(answer, make([]byte, 124)...)
	}
	_, err := h.conn.Write(answer)
	return export, true, err
}

func (h *handshake) list() error {
	for _, export := range h.server.Exports {
		data := binary.BigEndian.AppendUint32(nil, uint32(len(export.Name)))
		if err := h.reply(optionList, replyServer, append(data, export.Name...)); err != nil {
			return err
		}
	}
	return h.reply(optionList, replyAck, nil)
}

func (h *handshake) info(option uint32, data []byte) (*Served, bool, error) {
	if len(data) < 6 || uint64(binary.BigEndian.Uint32(data)) > uint64(len(data)-6) {
		return nil, false, h.reply(option, replyInvalid, nil)
	}
	export := h.find(string(data[4 : 4+binary.BigEndian.Uint32(data)]))
	if export == nil {
		return nil, false, h.reply(option, replyUnknown, nil)
	}
	size := binary.BigEndian.AppendUint16(nil, infoExport)
	size = binary.BigEndian.AppendUint64(size, uint64(export.Backing.Size()))
	size = binary.BigEndian.AppendUint16(size, export.flags())
	blocks := binary.BigEndian.AppendUint16(nil, infoBlockSize)
	for _, each := range []uint32{1, preferredServed, largestServed} {
		blocks = binary.BigEndian.AppendUint32(blocks, each)
	}
	for _, each := range [][]byte{size, blocks} {
		if err := h.reply(option, replyInfo, each); err != nil {
			return nil, false, err
		}
	}
	return export, option == optionGo, h.reply(option, replyAck, nil)
}

// transmission is the exchange of requests and replies with a client.
type transmission struct {
	ctx        context.Context // ends with the connection
	own, all   *semaphore.Weighted
	export     *Served
	conn       net.Conn
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
		r, err := t.request()
		if err != nil || r.command == commandEnd {
			return err
		}
		group.Go(func() {
			defer func() { t.giveBack(r); <-t.room }()
			t.serve(r)
		})
	}
}

// take waits until there is memory for a request's data.
func (t *transmission) take(r request) error {
	if err := t.own.Acquire(t.ctx, r.memory()); err != nil {
		return err
	}
	if err := t.all.Acquire(t.ctx, r.memory()); err != nil {
		t.own.Release(r.memory())
		return err
	}
	return nil
}

func (t *transmission) giveBack(r request) {
	t.own.Release(r.memory())
	t.all.Release(r.memory())
}

// request is what a client asks for.
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
	if err := t.take(r); err != nil {
		return r, err
	}
	if r.command == commandWrite {
		r.data = make([]byte, r.length)
		if _, err := io.ReadFull(t.reader, r.data); err != nil {
			t.giveBack(r)
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

func (t *transmission) serve(r request) {
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

// structuredHead is that of the one chunk that answers a read.
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
