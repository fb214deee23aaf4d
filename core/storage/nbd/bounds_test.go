package nbd

import (
	"context"
	"errors"
	"net"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// A server that speaks nonsense is no device that vanished.
func TestNonsenseIsNoDropout(t *testing.T) {
	hello := big("NBDMAGIC", "IHAVEOPT", uint16(3), uint64(magicReply), uint32(optionStructuredReply),
		uint32(replyUnsupport), uint32(0), uint64(magicReply), uint32(optionGo), uint32(replyInfo), uint32(12),
		uint16(infoExport), uint64(1<<20), uint16(1), uint64(magicReply), uint32(optionGo), uint32(replyAck), uint32(0))
	for name, c := range map[string]struct {
		says []byte
		gone bool
	}{
		"a wrong cookie": {big(uint32(magicSimple), uint32(0), uint64(0xdead)), false},
		"a huge chunk": {big(uint32(magicStructured), uint16(1), uint16(chunkData), uint64(1)<<32, uint32(1<<31),
			uint64(0)), false},
		"its end": {nil, true},
	} {
		volume, err := Open(context.Background(), scripted(t, append(hello[:len(hello):len(hello)], c.says...)), Options{})
		if err != nil {
			t.Fatal(err)
		}
		queue, err := volume.Open(target.Shape{Slots: 1, Block: 4096})
		if err != nil {
			t.Fatal(err)
		}
		err = one(t, volume, queue, target.Operation{Action: target.Read, Length: 4096})
		if errors.Is(err, syscall.ENODEV) != c.gone || errors.Is(err, ErrGarbage) == c.gone {
			t.Errorf("%s: %v", name, err)
		}
		_ = queue.Close()
	}
}

// Opening a volume that never answers ends with its context.
func TestAServerThatSaysNothing(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(100*time.Millisecond, cancel)
	// Nothing else would end it.
	if _, err = Open(ctx, "nbd://"+listener.Addr().String()+"/v", Options{}); !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
}

// greedy asks for large reads and takes none of what comes, and gives its connection.
func greedy(t *testing.T, address string, requests int) net.Conn {
	t.Helper()
	parsed, err := ParseAddress(address)
	if err != nil {
		t.Fatal(err)
	}
	c, err := connect(t.Context(), parsed, nil)
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		for cookie := range requests {
			var head [requestLength]byte
			header{command: commandRead, cookie: uint64(cookie), length: largestServed}.put(head[:])
			if _, err := c.Write(head[:]); err != nil {
				return
			}
		}
	}()
	return c
}

// heapOf is the memory that a test's process holds, in bytes.
func heapOf() uint64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

// Clients that ask for more than they take are held back, and do not keep others waiting.
func TestAServersMemoryIsBounded(t *testing.T) {
	server, address := serving(t, Served{Name: "v", Backing: NewMemory(64 << 20)})
	before := heapOf()
	for range 3 {
		defer greedy(t, address+"v", 500).Close()
	}
	time.Sleep(500 * time.Millisecond)
	if held := heapOf() - before; held > 3*clientMemory+64<<20 {
		t.Errorf("three clients make it hold %d MiB", held>>20)
	}
	volume, queue := openQueue(t, address+"v", Options{}, 1, 4096)
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Length: 4096}); err != nil {
		t.Errorf("another client: %v", err)
	}
	for range 6 {
		defer greedy(t, address+"v", 500).Close()
	}
	time.Sleep(500 * time.Millisecond)
	if held := heapOf() - before; held > allMemory+128<<20 {
		t.Errorf("nine clients make it hold %d MiB", held>>20)
	}
	for _, length := range []unit.Bytes{4096, 1 << 20} {
		volume, queue := openQueue(t, address+"v", Options{}, 1, length)
		if err := one(t, volume, queue, target.Operation{Action: target.Read, Length: int(length)}); err != nil {
			t.Errorf("beside nine clients that take nothing another one reads %d bytes: %v", length, err)
		}
	}
	server.Close() // which ends, under load too
}

// Whoever takes no replies, or stops within a request, is let go of, and what it held is free again. Who
// waits between requests is not.
func TestStuckClientsAreLetGoOf(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	server := &Server{Exports: []Served{{Name: "v", Backing: NewMemory(64 << 20)}}, stuckAfter: 200 * time.Millisecond}
	ended := make(chan error)
	go func() { ended <- server.Serve(listener) }()
	address := "nbd://" + listener.Addr().String() + "/v"
	volume, queue := openQueue(t, address, Options{}, 1, 4096)
	parsed, err := ParseAddress(address)
	if err != nil {
		t.Fatal(err)
	}
	stopped, err := connect(t.Context(), parsed, nil)
	if err != nil {
		t.Fatal(err)
	}
	var head [requestLength]byte
	header{command: commandWrite, length: 1 << 20}.put(head[:])
	if _, err := stopped.Write(append(head[:], 1, 2, 3)); err != nil {
		t.Fatal(err)
	}
	for range 8 {
		defer greedy(t, address, 500).Close()
	}
	here := func() int {
		server.mutex.Lock()
		defer server.mutex.Unlock()
		return len(server.connections)
	}
	for began := time.Now(); here() > 1; time.Sleep(10 * time.Millisecond) {
		if time.Since(began) > time.Minute {
			t.Fatalf("%d clients are there still", here())
		}
	}
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Length: 4096}); err != nil {
		t.Errorf("the one that waited: %v", err)
	}
	server.memory.mutex.Lock()
	if server.memory.used != 0 || len(server.memory.parts) != 1 {
		t.Errorf("%d bytes are held by %d", server.memory.used, len(server.memory.parts))
	}
	server.memory.mutex.Unlock()
	_ = listener.Close()
	server.Close()
	if err := <-ended; err != nil {
		t.Error(err)
	}
}

// One address does not take the places of all.
func TestClientsOfOneAddress(t *testing.T) {
	server := &Server{}
	var held []net.Conn
	for i := range mostOfAddress + 1 {
		one, two := net.Pipe() // whose address is "pipe"
		defer two.Close()
		if taken, _ := server.add(one); taken != (i < mostOfAddress) {
			t.Fatalf("client %d of an address is taken: %v", i, taken)
		}
		held = append(held, one)
	}
	server.remove(held[0])
	if taken, _ := server.add(held[mostOfAddress]); !taken {
		t.Error("a place that is free again is not given")
	}
}

// short is a listener that cannot take anybody in for a while.
type short struct {
	net.Listener
	mutex sync.Mutex
	fails int
}

func (s *short) Accept() (net.Conn, error) {
	s.mutex.Lock()
	s.fails--
	fails := s.fails
	s.mutex.Unlock()
	if fails >= 0 {
		return nil, &net.OpError{Op: "accept", Err: syscall.EMFILE}
	}
	return s.Listener.Accept()
}

func TestAServerOutlastsAShortageOfDescriptors(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	var mutex sync.Mutex
	var said []string
	server := &Server{Exports: []Served{{Name: "v", Backing: NewMemory(1 << 20)}}, Log: func(text string) {
		mutex.Lock()
		defer mutex.Unlock()
		said = append(said, text)
	}}
	ended := make(chan error)
	go func() { ended <- server.Serve(&short{Listener: listener, fails: 5}) }()
	volume, queue := openQueue(t, "nbd://"+listener.Addr().String()+"/v", Options{}, 1, 4096)
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Length: 4096}); err != nil {
		t.Error(err)
	}
	_ = listener.Close()
	server.Close()
	if err := <-ended; err != nil {
		t.Error(err)
	}
	mutex.Lock()
	defer mutex.Unlock()
	if all := strings.Join(said, "\n"); strings.Count(all, "no client can be taken in now") != 1 {
		t.Errorf("it says %q", all)
	}
}

// The stretches of a read that have come are entered in whatever order they come.
func TestStretchesAddUp(t *testing.T) {
	p := &pending{into: make([]byte, 100)}
	for _, s := range [][2]int64{{50, 60}, {0, 10}, {20, 30}, {10, 20}, {60, 100}, {30, 50}} {
		if p.whole() {
			t.Errorf("it is whole before %v came", s)
		}
		if err := p.note(s[0], s[1]); err != nil {
			t.Errorf("%v: %v", s, err)
		}
	}
	if !p.whole() || p.bytes() != 100 {
		t.Errorf("of 100 bytes %d came, as %v", p.bytes(), p.arrived)
	}
	for _, s := range [][2]int64{{0, 1}, {99, 100}, {0, 100}} {
		if err := p.note(s[0], s[1]); !errors.Is(err, ErrGarbage) {
			t.Errorf("%v once more: %v", s, err)
		}
	}
}
