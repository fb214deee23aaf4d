package nbd

import (
	"bufio"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
	"syscall"
)

// pending is a request whose reply is not complete yet.
type pending struct {
	// into is where the data of a read goes; nil for other requests.
	into   []byte
	offset int64
	// arrived are the stretches of it that have come, from and to, in their order.
	arrived [][2]int64
	err     error
}

// whole says whether all of it has come.
func (p *pending) whole() bool {
	return len(p.into) == 0 || len(p.arrived) == 1 && p.arrived[0] == [2]int64{0, int64(len(p.into))}
}

// note enters a stretch, which must not have come before ("Structured reply chunk message":
// chunks of one reply do not overlap).
func (p *pending) note(from, to int64) error {
	if from == to {
		return nil
	}
	at, _ := slices.BinarySearchFunc(p.arrived, from, func(s [2]int64, from int64) int { return cmp.Compare(s[0], from) })
	if at > 0 && p.arrived[at-1][1] > from || at < len(p.arrived) && p.arrived[at][0] < to {
		return garbage("it sends the bytes from %d to %d of a read twice", from, to)
	}
	p.arrived = slices.Insert(p.arrived, at, [2]int64{from, to})
	if at+1 < len(p.arrived) && p.arrived[at+1][0] == to {
		p.arrived[at][1] = p.arrived[at+1][1]
		p.arrived = slices.Delete(p.arrived, at+1, at+2)
	}
	if at > 0 && p.arrived[at-1][1] == from {
		p.arrived[at-1][1] = p.arrived[at][1]
		p.arrived = slices.Delete(p.arrived, at, at+1)
	}
	return nil
}

// bytes is how much has come.
func (p *pending) bytes() int64 {
	total := int64(0)
	for _, s := range p.arrived {
		total += s[1] - s[0]
	}
	return total
}

// replies reads replies from a server, into the buffers of requests and no other memory.
type replies struct {
	from *bufio.Reader
	// find gives the request of a cookie, or nil.
	find func(cookie uint64) *pending
}

// next reads on until a request is complete, and gives its cookie. An error ends the
// connection.
func (r *replies) next() (uint64, error) {
	for {
		cookie, done, err := r.one()
		if err != nil || done {
			return cookie, err
		}
	}
}

// one reads a simple reply, or a chunk of a structured one.
func (r *replies) one() (cookie uint64, done bool, err error) {
	var head [4]byte
	if _, err := io.ReadFull(r.from, head[:]); err != nil {
		return 0, false, err
	}
	switch binary.BigEndian.Uint32(head[:]) {
	case magicSimple:
		return r.simple()
	case magicStructured:
		return r.chunk()
	}
	return 0, false, garbage("a reply begins with %x", head)
}

func (r *replies) simple() (uint64, bool, error) {
	var rest [12]byte
	if _, err := io.ReadFull(r.from, rest[:]); err != nil {
		return 0, false, err
	}
	cookie := binary.BigEndian.Uint64(rest[4:])
	p := r.find(cookie)
	if p == nil {
		return 0, false, garbage("it replies to a request that nobody sent")
	}
	if p.err = errno(binary.BigEndian.Uint32(rest[:])); p.err == nil && p.into != nil {
		if _, err := io.ReadFull(r.from, p.into); err != nil {
			return 0, false, err
		}
	}
	return cookie, true, nil
}

func (r *replies) chunk() (uint64, bool, error) {
	var rest [16]byte
	if _, err := io.ReadFull(r.from, rest[:]); err != nil {
		return 0, false, err
	}
	flags, kind := binary.BigEndian.Uint16(rest[:]), binary.BigEndian.Uint16(rest[2:])
	cookie, length := binary.BigEndian.Uint64(rest[4:]), binary.BigEndian.Uint32(rest[12:])
	p := r.find(cookie)
	if p == nil {
		return 0, false, garbage("it replies to a request that nobody sent")
	}
	if err := r.content(p, kind, length); err != nil {
		return 0, false, err
	}
	done := flags&chunkDone != 0
	if done && p.err == nil && !p.whole() {
		p.err = fmt.Errorf("the server sent %d of %d bytes: %w", p.bytes(), len(p.into), syscall.EIO)
	}
	return cookie, done, nil
}

// content reads the content of a chunk.
func (r *replies) content(p *pending, kind uint16, length uint32) error {
	switch kind {
	case chunkNone:
		if length != 0 {
			return garbage("an empty chunk has %d bytes", length)
		}
		return nil
	case chunkData:
		return r.data(p, length)
	case chunkHole:
		return r.hole(p, length)
	}
	if kind&(1<<15) == 0 {
		return garbage("it sends chunks of the kind %d, which nobody asked for", kind)
	}
	return r.failure(p, length)
}

// place gives where data of a length at an offset goes.
func (p *pending) place(offset uint64, length int) ([]byte, error) {
	at := int64(offset) - p.offset
	if at < 0 || length < 0 || at > int64(len(p.into)) || int64(length) > int64(len(p.into))-at {
		return nil, garbage("it sends %d bytes at %d, and was asked for %d at %d", length, offset, len(p.into),
			p.offset)
	}
	return p.into[at : at+int64(length)], p.note(at, at+int64(length))
}

func (r *replies) data(p *pending, length uint32) error {
	var at [8]byte
	if length < 8 {
		return garbage("a chunk of data has %d bytes", length)
	}
	if _, err := io.ReadFull(r.from, at[:]); err != nil {
		return err
	}
	into, err := p.place(binary.BigEndian.Uint64(at[:]), int(length-8))
	if err != nil {
		return err
	}
	_, err = io.ReadFull(r.from, into)
	return err
}

func (r *replies) hole(p *pending, length uint32) error {
	var hole [12]byte
	if length != uint32(len(hole)) {
		return garbage("a hole has %d bytes", length)
	}
	if _, err := io.ReadFull(r.from, hole[:]); err != nil {
		return err
	}
	into, err := p.place(binary.BigEndian.Uint64(hole[:]), int(binary.BigEndian.Uint32(hole[8:])))
	if err != nil {
		return err
	}
	clear(into)
	return nil
}

func (r *replies) failure(p *pending, length uint32) error {
	if length < 6 || length > 6+longestName+8 {
		return garbage("an error has %d bytes", length)
	}
	var head [6]byte
	if _, err := io.ReadFull(r.from, head[:]); err != nil {
		return err
	}
	if p.err = errno(binary.BigEndian.Uint32(head[:])); p.err == nil {
		p.err = errors.New("the server reports an error without saying which")
	}
	_, err := r.from.Discard(int(length) - len(head))
	return err
}
