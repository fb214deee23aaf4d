//go:build linux

package main

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync/atomic"
	"time"
)

// lie is a way in which a server breaks the protocol.
type lie struct {
	name string
	// answer returns the reply to the request of that number; nil says nothing at all, and an empty slice
	// ends the connection.
	answer func(number int64, r asked) []byte
	// size is the size of the export, by the number of the connection.
	size func(connection int64) uint64
}

// asked is a request.
type asked struct {
	command uint16
	cookie  uint64
	length  uint32
}

const volumeSize = 16 << 20

func steadySize(int64) uint64 { return volumeSize }

// honest is a simple reply, with data where that is asked for.
func honest(r asked, errno uint32) []byte {
	reply := binary.BigEndian.AppendUint32(nil, 0x67446698)
	reply = binary.BigEndian.AppendUint32(reply, errno)
	reply = binary.BigEndian.AppendUint64(reply, r.cookie)
	if r.command == 0 && errno == 0 {
		reply = append(reply, make([]byte, r.length)...)
	}
	return reply
}

var lies = []lie{
	{"none", func(_ int64, r asked) []byte { return honest(r, 0) }, steadySize},
	{"wrong cookies", func(n int64, r asked) []byte {
		if n%50 == 49 {
			r.cookie ^= 1 << 40
		}
		return honest(r, 0)
	}, steadySize},
	{"every reply twice", func(_ int64, r asked) []byte { return append(honest(r, 0), honest(r, 0)...) }, steadySize},
	{"errors", func(n int64, r asked) []byte { return honest(r, []uint32{0, 0, 5, 28, 1, 22}[n%6]) }, steadySize},
	{"errors without a meaning", func(_ int64, r asked) []byte { return honest(r, 0xfffffff0) }, steadySize},
	{"half a reply, and the end", func(n int64, r asked) []byte {
		if n%100 == 99 {
			return honest(r, 0)[:9]
		}
		return honest(r, 0)
	}, steadySize},
	{"a huge chunk", func(_ int64, r asked) []byte {
		reply := binary.BigEndian.AppendUint32(nil, 0x668e33ef)
		reply = binary.BigEndian.AppendUint16(reply, 1)
		reply = binary.BigEndian.AppendUint16(reply, 1)
		reply = binary.BigEndian.AppendUint64(reply, r.cookie)
		return append(binary.BigEndian.AppendUint32(reply, 1<<31), make([]byte, 8)...)
	}, steadySize},
	{"silence", func(n int64, r asked) []byte {
		if n > 200 {
			return nil
		}
		return honest(r, 0)
	}, steadySize},
	{"no flush ever ends", func(_ int64, r asked) []byte {
		if r.command == 3 {
			return nil
		}
		return honest(r, 0)
	}, steadySize},
	{"the end at once", func(int64, asked) []byte { return []byte{} }, steadySize},
	{"another size each time", func(n int64, r asked) []byte {
		if n%300 == 299 {
			return []byte{}
		}
		return honest(r, 0)
	}, func(connection int64) uint64 { return volumeSize - uint64(connection)*4096 }},
	{"more than it has", func(_ int64, r asked) []byte { return honest(r, 22) }, func(int64) uint64 { return 1 << 62 }},
}

// lyingServer measures a volume of a server that lies: the program ends, and says so.
func lyingServer(b *bench) error {
	told := lies[b.chance.IntN(len(lies))]
	b.phase = told.name
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	b.undo = append(b.undo, func() { _ = listener.Close() })
	go serveLies(listener, told)
	got := b.run("measure", "nbd://"+listener.Addr().String()+"/v", "--overwrite", "v", "--plan", b.plan(),
		"--stall-after", "500ms", "--return-within", "500ms", "--hold", "100ms")
	if got.code != 0 && got.code != 1 || strings.Contains(got.stderr, "panic:") ||
		strings.Contains(got.stderr, "did not end") {
		return fmt.Errorf("exit %d: %s", got.code, got.stderr)
	}
	if told.name == "none" && got.code != 0 {
		return fmt.Errorf("an honest server: exit %d: %s", got.code, got.stderr)
	}
	if got.code == 1 && !strings.Contains(got.stderr, "opengauge: ") {
		return errors.New("it failed without a word")
	}
	return errors.Join(b.holdsUp())
}

func serveLies(listener net.Listener, told lie) {
	var connections, requests atomic.Int64
	for {
		c, err := listener.Accept()
		if err != nil {
			return
		}
		size := told.size(connections.Add(1) - 1)
		go func() {
			defer c.Close()
			if greet(c, size) == nil {
				answerAll(c, told, &requests)
			}
		}()
	}
}

// greet negotiates as an honest server does.
func greet(c net.Conn, size uint64) error {
	hello := append([]byte("NBDMAGICIHAVEOPT"), 0, 3)
	if _, err := c.Write(hello); err != nil {
		return err
	}
	if _, err := io.CopyN(io.Discard, c, 4); err != nil {
		return err
	}
	reply := func(option, kind uint32, data []byte) error {
		message := binary.BigEndian.AppendUint64(nil, 0x3e889045565a9)
		message = binary.BigEndian.AppendUint32(message, option)
		message = binary.BigEndian.AppendUint32(message, kind)
		message = binary.BigEndian.AppendUint32(message, uint32(len(data)))
		_, err := c.Write(append(message, data...))
		return err
	}
	for {
		var head [16]byte
		if _, err := io.ReadFull(c, head[:]); err != nil {
			return err
		}
		option := binary.BigEndian.Uint32(head[8:])
		length := binary.BigEndian.Uint32(head[12:])
		if _, err := io.CopyN(io.Discard, c, int64(length)); err != nil {
			return err
		}
		if option != 7 { // NBD_OPT_GO
			if err := reply(option, 1, nil); err != nil { // structured replies are fine
				return err
			}
			continue
		}
		info := binary.BigEndian.AppendUint64([]byte{0, 0}, size)
		info = binary.BigEndian.AppendUint16(info, 1|1<<2|1<<3) // it flushes, also single writes
		if err := reply(option, 3, info); err != nil {
			return err
		}
		return reply(option, 1, nil)
	}
}

func answerAll(c net.Conn, told lie, requests *atomic.Int64) {
	for {
		_ = c.SetReadDeadline(time.Now().Add(time.Minute))
		var head [28]byte
		if _, err := io.ReadFull(c, head[:]); err != nil {
			return
		}
		r := asked{binary.BigEndian.Uint16(head[6:]), binary.BigEndian.Uint64(head[8:]), binary.BigEndian.Uint32(head[24:])}
		if r.command == 1 {
			if _, err := io.CopyN(io.Discard, c, int64(r.length)); err != nil {
				return
			}
		}
		if r.command == 2 {
			return
		}
		reply := told.answer(requests.Add(1)-1, r)
		if reply != nil && len(reply) == 0 {
			return
		}
		if _, err := c.Write(reply); err != nil {
			return
		}
	}
}
