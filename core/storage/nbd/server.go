package nbd

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"sync"
	"time"
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
	// Describe returns a description of the export for a client that asks; it may be nil.
	Describe func(client net.Addr) string
}

// Server serves exports.
type Server struct {
	Exports []Served
	// Log is called with each event in words; it may be nil.
	Log func(text string)

	mutex       sync.Mutex
	connections map[net.Conn]bool
	addresses   map[string]int // how many come from each
	closed      bool
	// memory is for the data of requests of all clients.
	memory *pool
	// stuckAfter replaces the package's, unless it is 0; tests have less.
	stuckAfter time.Duration
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
	// mostOfAddress of them come from one address.
	mostOfAddress = 256
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
	s.memory = newPool()
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
			s.say(fmt.Sprintf("client %s is turned away: there are %d, or %d of its address", c.RemoteAddr(), mostClients,
				mostOfAddress))
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
	address := addressOf(c)
	if s.closed || len(s.connections) >= mostClients || s.addresses[address] >= mostOfAddress {
		return false, s.closed
	}
	if s.connections == nil {
		s.connections = map[net.Conn]bool{}
		s.addresses = map[string]int{}
	}
	s.connections[c] = true
	s.addresses[address]++
	return true, false
}

// addressOf returns the address of a client without its port.
func addressOf(c net.Conn) string {
	host, _, err := net.SplitHostPort(c.RemoteAddr().String())
	if err != nil {
		return c.RemoteAddr().String()
	}
	return host
}

func (s *Server) remove(c net.Conn) {
	_ = c.Close()
	s.mutex.Lock()
	defer s.mutex.Unlock()
	delete(s.connections, c)
	address := addressOf(c)
	if s.addresses[address]--; s.addresses[address] <= 0 {
		delete(s.addresses, address)
	}
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
	line := steady{c, cmp.Or(s.stuckAfter, stuckAfter)}
	t := &transmission{ctx: ctx, memory: s.memory, export: export, conn: line,
		reader: h.reader, writer: bufio.NewWriterSize(line, readAhead),
		structured: h.structured, room: make(chan struct{}, atOnce)}
	defer s.memory.join(ctx, t)()
	err = t.run()
	if t.failed != nil {
		return fmt.Errorf("it takes no replies: %w", t.failed)
	}
	return err
}
