package nbd

import (
	"bufio"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"net"
	"strings"
	"syscall"
	"testing"
	"time"

	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// serving starts a server on a loopback address and gives the address of its export.
func serving(t testing.TB, exports ...Served) (*Server, string) {
	t.Helper()
	return servingOn(t, listen(t), exports...)
}

func listen(t testing.TB) net.Listener {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	return listener
}

func servingOn(t testing.TB, listener net.Listener, exports ...Served) (*Server, string) {
	t.Helper()
	server := &Server{Exports: exports}
	ended := make(chan error)
	go func() { ended <- server.Serve(listener) }()
	t.Cleanup(func() {
		_ = listener.Close()
		server.Close()
		<-ended
	})
	return server, "nbd://" + listener.Addr().String() + "/"
}

func openQueue(t testing.TB, address string, options Options, slots int, block unit.Bytes) (*Volume, target.Queue) {
	t.Helper()
	volume, err := Open(context.Background(), address, options)
	if err != nil {
		t.Fatal(err)
	}
	queue, err := volume.Open(target.Shape{Slots: slots, Block: block})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = queue.Close() })
	return volume, queue
}

// one does a single operation and gives its error.
func one(t testing.TB, volume *Volume, queue target.Queue, operation target.Operation) error {
	t.Helper()
	if err := queue.Submit([]target.Operation{operation}); err != nil {
		t.Fatal(err)
	}
	var done [4]target.Completion
	count, err := queue.Wait(done[:], volume.Now()+10*time.Second)
	if err != nil || count != 1 || done[0].Slot != operation.Slot {
		t.Fatalf("%d completions, %+v, %v", count, done[0], err)
	}
	return done[0].Err
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	memory := NewMemory(1 << 20)
	_, address := serving(t, Served{Name: "v", Backing: memory})
	volume, queue := openQueue(t, address+"v", Options{Overwrite: "v"}, 4, 8192)
	copy(queue.Buffer(1), bytes.Repeat([]byte("tide"), 1024))
	for _, operation := range []target.Operation{
		{Action: target.Write, Slot: 1, Offset: 4096, Length: 4096}, {Action: target.Write, Slot: 1, Offset: 8192,
			Length: 4096, Durable: true}, {Action: target.Flush, Slot: 0},
		{Action: target.Read, Slot: 2, Offset: 4096, Length: 8192},
	} {
		if err := one(t, volume, queue, operation); err != nil {
			t.Errorf("%+v: %v", operation, err)
		}
	}
	if !bytes.Equal(queue.Buffer(2), bytes.Repeat([]byte("tide"), 2048)) {
		t.Errorf("read %q", queue.Buffer(2)[:16])
	}
	d := volume.Description()
	if d.Span != 1<<20 || d.Capacity != 1<<20 || !d.Writable || !d.Direct || !d.Parallel || d.Kind != target.Volume {
		t.Errorf("the volume is %+v", d)
	}
}

func TestManyAtOnceAndOutOfOrder(t *testing.T) {
	memory := NewMemory(1 << 20)
	for i := range memory.bytes {
		memory.bytes[i] = byte(i >> 12)
	}
	slow := make(chan bool, 1)
	slow <- true
	_, address := serving(t, Served{Name: "v", Backing: memory, Admit: func(bool, int) uint32 {
		select {
		case <-slow: // the first is answered last
			time.Sleep(50 * time.Millisecond)
		default:
		}
		return 0
	}})
	volume, queue := openQueue(t, address+"v", Options{}, 64, 4096)
	var operations []target.Operation
	for slot := range 64 {
		operations = append(operations, target.Operation{Action: target.Read, Slot: slot, Offset: int64(slot) * 4096,
			Length: 4096})
	}
	if err := queue.Submit(operations); err != nil {
		t.Fatal(err)
	}
	var done [8]target.Completion
	seen := map[int]bool{}
	for len(seen) < 64 {
		count, err := queue.Wait(done[:], volume.Now()+5*time.Second)
		if err != nil || count == 0 {
			t.Fatalf("%d of 64 are complete, %v", len(seen), err)
		}
		for _, each := range done[:count] {
			if seen[each.Slot] || each.Err != nil || queue.Buffer(each.Slot)[0] != byte(each.Slot) ||
				each.Completed < each.Submitted {
				t.Errorf("completion %+v, data %d", each, queue.Buffer(each.Slot)[0])
			}
			seen[each.Slot] = true
		}
	}
	if count, err := queue.Wait(done[:], volume.Now()+10*time.Millisecond); count != 0 || err != nil {
		t.Errorf("with nothing under way: %d, %v", count, err)
	}
}

func TestErrorsAreThoseOfTheServer(t *testing.T) {
	fails := true
	_, address := serving(t, Served{Name: "v", Backing: NewMemory(1 << 20), Admit: func(bool, int) uint32 {
		if fails = !fails; fails {
			return errnoIO
		}
		return 0
	}})
	volume, queue := openQueue(t, address+"v", Options{}, 1, 4096)
	read := target.Operation{Action: target.Read, Length: 4096}
	if err := one(t, volume, queue, read); err != nil {
		t.Error(err)
	}
	if err := one(t, volume, queue, read); !errors.Is(err, syscall.EIO) {
		t.Errorf("error is %v", err)
	}
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Offset: 1 << 20,
		Length: 4096}); !errors.Is(err, syscall.EINVAL) {
		t.Errorf("beyond the end: %v", err)
	}
}

func TestAServerThatGoesAway(t *testing.T) {
	server, address := serving(t, Served{Name: "v", Backing: NewMemory(1 << 20),
		Admit: func(bool, int) uint32 { time.Sleep(time.Hour); return 0 }})
	volume, queue := openQueue(t, address+"v", Options{}, 2, 4096)
	_ = queue.Submit([]target.Operation{{Action: target.Read, Slot: 0, Length: 4096},
		{Action: target.Read, Slot: 1, Length: 4096}})
	time.Sleep(20 * time.Millisecond)
	server.mutex.Lock()
	for c := range server.connections {
		_ = c.Close()
	}
	server.mutex.Unlock()
	var done [4]target.Completion
	for seen := 0; seen < 2; {
		count, err := queue.Wait(done[:], volume.Now()+5*time.Second)
		if err != nil || count == 0 {
			t.Fatalf("%d, %v", count, err)
		}
		for _, each := range done[:count] {
			if !errors.Is(each.Err, syscall.ENODEV) {
				t.Errorf("error is %v", each.Err)
			}
		}
		seen += count
	}
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Length: 4096}); !errors.Is(err,
		syscall.ENODEV) {
		t.Errorf("afterwards: %v", err)
	}
	if err := volume.Reopen(nil); err != nil {
		t.Errorf("the server is there still: %v", err)
	}
}

func TestOpenRefusals(t *testing.T) {
	_, address := serving(t, Served{Name: "v", Backing: NewMemory(1 << 20)},
		Served{Name: "fixed", Backing: NewMemory(1 << 20), ReadOnly: true})
	for text, c := range map[string]struct {
		options Options
		want    string
	}{
		address + "none":              {Options{}, "there is no such export"},
		address + "v?":                {Options{Overwrite: "w"}, "is not the name of the export"},
		address + "fixed":             {Options{Overwrite: "fixed"}, "for reading only"},
		address + "v":                 {Options{Size: 2 * unit.MiB}, "larger than the export"},
		"nbd://127.0.0.1:1/v":         {Options{}, "could not reach"},
		"nbd:///v":                    {Options{}, "names no host"},
		"nbd+unix:///v":               {Options{}, "needs a socket"},
		"nbd+unix:///v?socket=/none/": {Options{}, "could not reach"},
		strings.Replace(address, "nbd:", "nbds:", 1) + "v": {Options{}, "does not offer TLS"},
	} {
		if _, err := Open(context.Background(), text, c.options); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q in it", text, err, c.want)
		}
	}
	volume, err := Open(context.Background(), address+"v", Options{})
	if err != nil || volume.Description().Writable {
		t.Errorf("without --overwrite it is writable: %v", err)
	}
	if _, err := volume.Open(target.Shape{Slots: 1, Block: 64 * unit.MiB}); err == nil ||
		!strings.Contains(err.Error(), "requests of up to 32 MiB") {
		t.Errorf("too large a block: %v", err)
	}
}

// scripted is a server that says what it is told to, whatever it is asked.
func scripted(t *testing.T, says []byte) string {
	t.Helper()
	listener := listen(t)
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			_, _ = c.Write(says)
			_ = c.(*net.TCPConn).CloseWrite()
			go func() { _, _ = io.Copy(io.Discard, c) }()
		}
	}()
	return "nbd://" + listener.Addr().String() + "/v"
}

func big(parts ...any) []byte {
	var out bytes.Buffer
	for _, part := range parts {
		if text, ok := part.(string); ok {
			out.WriteString(text)
			continue
		}
		_ = binary.Write(&out, binary.BigEndian, part)
	}
	return out.Bytes()
}

func TestServersThatSpeakGarbage(t *testing.T) {
	hello := big("NBDMAGIC", "IHAVEOPT", uint16(3))
	structured := big(uint64(magicReply), uint32(optionStructuredReply), uint32(replyUnsupport), uint32(0))
	info := func(size uint64, flags uint16) []byte {
		return big(uint64(magicReply), uint32(optionGo), uint32(replyInfo), uint32(12), uint16(infoExport), size, flags)
	}
	ack := big(uint64(magicReply), uint32(optionGo), uint32(replyAck), uint32(0))
	join := func(parts ...[]byte) []byte { return bytes.Join(parts, nil) }
	for name, c := range map[string]struct {
		says []byte
		want string
	}{
		"another protocol":  {[]byte("HTTP/1.1 400 Bad Request\r\n\r\n"), "begins with"},
		"nothing":           {nil, "in the middle of the handshake"},
		"half a hello":      {hello[:10], "in the middle of the handshake"},
		"the old handshake": {big("NBDMAGIC", "IHAVEOPT", uint16(0)), "old handshake"},
		"a wrong reply":     {join(hello, big(uint64(7), uint64(7), uint32(7))), "its reply to an option"},
		"a huge reply": {join(hello, big(uint64(magicReply), uint32(optionStructuredReply), uint32(replyAck),
			uint32(1<<31))), "2147483648 bytes"},
		"2^63 bytes": {join(hello, structured, info(1<<63, 1), ack), "holds 9223372036854775808 bytes"},
		"no bytes":   {join(hello, structured, info(0, 1), ack), "is empty"},
		"no size":    {join(hello, structured, ack), "how large"},
		"odd flags":  {join(hello, structured, info(4096, 0), ack), "flags"},
		"odd block sizes": {join(hello, structured, info(4096, 1), big(uint64(magicReply), uint32(optionGo),
			uint32(replyInfo), uint32(14), uint16(infoBlockSize), uint32(3), uint32(5), uint32(7)), ack),
			"block sizes"},
		"never an end": {join(hello, structured, bytes.Repeat(info(4096, 1), 100)), "does not come to an end"},
	} {
		if _, err := Open(context.Background(), scripted(t, c.says), Options{}); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q in it", name, err, c.want)
		}
	}
}

// parser gives a parser of replies for one read of 64 bytes at 4096.
func parser(says []byte) (*replies, *pending) {
	asked := &pending{into: make([]byte, 64), offset: 4096}
	return &replies{from: bufio.NewReader(bytes.NewReader(says)), find: func(cookie uint64) *pending {
		if cookie == 7 {
			return asked
		}
		return nil
	}}, asked
}

func TestReplies(t *testing.T) {
	chunk := func(flags, kind uint16, cookie uint64, length uint32, content ...any) []byte {
		return append(big(uint32(magicStructured), flags, kind, cookie, length), big(content...)...)
	}
	half := strings.Repeat("x", 32)
	for name, c := range map[string]struct {
		says   []byte
		broken string
		err    error
	}{
		"simple":       {big(uint32(magicSimple), uint32(0), uint64(7), strings.Repeat("x", 64)), "", nil},
		"simple error": {big(uint32(magicSimple), uint32(28), uint64(7)), "", syscall.ENOSPC},
		"two chunks, swapped": {append(chunk(0, chunkData, 7, 40, uint64(4128), half),
			chunk(1, chunkData, 7, 40, uint64(4096), half)...), "", nil},
		"a hole": {append(chunk(0, chunkHole, 7, 12, uint64(4096), uint32(32)),
			chunk(1, chunkData, 7, 40, uint64(4128), half)...), "", nil},
		"an error at the end": {append(chunk(0, chunkData, 7, 40, uint64(4096), half),
			chunk(1, chunkErrorOffset, 7, 17, uint32(5), uint16(3), "bad", uint64(4128))...), "", syscall.EIO},
		"too little": {chunk(1, chunkData, 7, 40, uint64(4096), half), "", syscall.EIO},
		"half of it twice": {append(chunk(0, chunkData, 7, 40, uint64(4096), half),
			chunk(1, chunkData, 7, 40, uint64(4096), half)...), "a read twice", nil},
		"a byte of it twice": {append(chunk(0, chunkData, 7, 41, uint64(4096), half+"x"),
			chunk(1, chunkHole, 7, 12, uint64(4128), uint32(32))...), "a read twice", nil},
		"its middle last": {bytes.Join([][]byte{chunk(0, chunkData, 7, 24, uint64(4144), half[:16]),
			chunk(0, chunkData, 7, 24, uint64(4096), half[:16]), chunk(1, chunkData, 7, 40, uint64(4112), half)}, nil), "", nil},
		"too much": {chunk(1, chunkData, 7, 8+128, uint64(4096), strings.Repeat("x", 128)),
			"was asked for", nil},
		"before its place":   {chunk(1, chunkData, 7, 40, uint64(4000), half), "was asked for", nil},
		"far away":           {chunk(1, chunkData, 7, 40, uint64(1<<63+4096), half), "was asked for", nil},
		"a hole without end": {chunk(1, chunkHole, 7, 12, uint64(4096), uint32(1<<31)), "was asked for", nil},
		"nobody's":           {big(uint32(magicSimple), uint32(0), uint64(8)), "nobody sent", nil},
		"another magic":      {big(uint32(1), uint32(0), uint64(7)), "begins with", nil},
		"a huge error":       {chunk(1, chunkError, 7, 1<<30), "an error has", nil},
		"an unknown chunk":   {chunk(1, 99, 7, 4, uint32(0)), "which nobody asked for", nil},
	} {
		r, asked := parser(c.says)
		_, err := r.next()
		switch {
		case c.broken != "" && (err == nil || !strings.Contains(err.Error(), c.broken)):
			t.Errorf("%s: %v, want %q in it", name, err, c.broken)
		case c.broken == "" && (err != nil || !errors.Is(asked.err, c.err)):
			t.Errorf("%s: %v, the request's error is %v, want %v", name, err, asked.err, c.err)
		}
	}
}

// Whatever a server sends, reading ends, and nothing is written but what was asked for.
func FuzzReplies(f *testing.F) {
	f.Add(big(uint32(magicSimple), uint32(0), uint64(7), strings.Repeat("x", 64)))
	f.Add(big(uint32(magicStructured), uint16(1), uint16(chunkData), uint64(7), uint32(72), uint64(4096),
		strings.Repeat("x", 64)))
	f.Add(big(uint32(magicStructured), uint16(1), uint16(chunkError), uint64(7), uint32(6), uint32(5), uint16(0)))
	f.Fuzz(func(t *testing.T, says []byte) {
		r, asked := parser(says)
		for range 100 {
			if _, err := r.next(); err != nil {
				break
			}
		}
		if len(asked.into) != 64 || cap(asked.into) != 64 {
			t.Errorf("the buffer has %d bytes", len(asked.into))
		}
	})
}
