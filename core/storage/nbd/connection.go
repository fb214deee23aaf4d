package nbd

import (
	"bufio"
	"context"
	"crypto/tls"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"time"

	"opengauge/core/unit"
)

// export describes an export in the server's words.
type export struct {
	size  int64
	flags uint16
	// smallest, preferred and largest are of a request; largest is 0 where the
	// server does not say.
	smallest, preferred, largest uint32
	structured                   bool
	// description is the server's text for people, or "".
	description string
}

func (e export) has(flag uint16) bool { return e.flags&flag != 0 }

// connection is a connection in the transmission phase.
type connection struct {
	net.Conn
	reader *bufio.Reader
	export export
}

const (
	// handshakeWithin is how long a server may take to be ready.
	handshakeWithin = 10 * time.Second
	readAhead       = 256 << 10
)

// connect dials a server and negotiates an export.
func connect(ctx context.Context, a Address, settings *tls.Config) (*connection, error) {
	return speak(ctx, a, func(c *connection) error { return c.negotiate(a, settings) })
}

// speak dials a server and does the handshake. The connection is closed where that fails.
func speak(ctx context.Context, a Address, handshake func(*connection) error) (*connection, error) {
	dialer := net.Dialer{Timeout: handshakeWithin}
	raw, err := dialer.DialContext(ctx, a.Network, a.Host)
	if err != nil {
		return nil, fmt.Errorf("could not reach %s: %w", a.Host, err)
	}
	_ = raw.SetDeadline(time.Now().Add(handshakeWithin))
	// A server that does not answer is not waited for once the caller gives up.
	release := context.AfterFunc(ctx, func() { _ = raw.SetDeadline(time.Now()) })
	defer release()
	c := &connection{Conn: raw, reader: bufio.NewReaderSize(raw, readAhead)}
	if err := handshake(c); err != nil {
		_ = c.Close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			err = garbage("it ends the connection in the middle of the handshake")
		}
		return nil, fmt.Errorf("%s: %w", a.Host, err)
	}
	if !release() {
		return nil, errors.Join(ctx.Err(), c.Close())
	}
	_ = c.SetDeadline(time.Time{})
	return c, nil
}

func (c *connection) negotiate(a Address, settings *tls.Config) error {
	if err := c.greet(a, settings); err != nil {
		return err
	}
	switch kind, _, err := c.ask(optionStructuredReply, nil); {
	case err != nil:
		return err
	case kind == replyAck:
		c.export.structured = true
	}
	return c.goTo(a)
}

// greet reads how the server begins and answers it, encrypted where that is asked for.
func (c *connection) greet(a Address, settings *tls.Config) error {
	var hello [18]byte
	if _, err := io.ReadFull(c.reader, hello[:]); err != nil {
		return err
	}
	if binary.BigEndian.Uint64(hello[:]) != magicServer || binary.BigEndian.Uint64(hello[8:]) != magicOption {
		return garbage("it begins with %q", hello[:])
	}
	flags := binary.BigEndian.Uint16(hello[16:])
	if flags&flagFixedNewstyle == 0 {
		return errors.New("the server knows the old handshake only; use one of the last ten years")
	}
	var answer [4]byte
	binary.BigEndian.PutUint32(answer[:], uint32(flags&(flagFixedNewstyle|flagNoZeroes)))
	if _, err := c.Write(answer[:]); err != nil {
		return err
	}
	if !a.TLS {
		return nil
	}
	return c.startTLS(a, settings)
}

// startTLS goes on encrypted ("TLS support").
func (c *connection) startTLS(a Address, settings *tls.Config) error {
	kind, _, err := c.ask(optionStartTLS, nil)
	if err != nil {
		return err
	}
	if kind != replyAck {
		return fmt.Errorf("the server does not offer TLS (%s); use nbd:// if that is meant", replyWord(kind))
	}
	own := &tls.Config{MinVersion: tls.VersionTLS12}
	if settings != nil {
		own = settings.Clone()
	}
	if own.ServerName == "" {
		own.ServerName = a.Name
	}
	encrypted := tls.Client(c.Conn, own)
	if err := encrypted.Handshake(); err != nil {
		return fmt.Errorf("the server's certificate or encryption is not accepted: %w; name the authority that "+
			"signed it with --authority", err)
	}
	c.Conn, c.reader = encrypted, bufio.NewReaderSize(encrypted, readAhead)
	return nil
}

// ask sends an option and gives the one reply to it.
func (c *connection) ask(option uint32, data []byte) (kind uint32, content []byte, err error) {
	if err := c.option(option, data); err != nil {
		return 0, nil, err
	}
	return c.optionReply(option)
}

func (c *connection) option(option uint32, data []byte) error {
	message := make([]byte, 16, 16+len(data))
	binary.BigEndian.PutUint64(message, magicOption)
	binary.BigEndian.PutUint32(message[8:], option)
	binary.BigEndian.PutUint32(message[12:], uint32(len(data)))
	_, err := c.Write(append(message, data...))
	return err
}

func (c *connection) optionReply(option uint32) (kind uint32, content []byte, err error) {
	var head [20]byte
	if _, err := io.ReadFull(c.reader, head[:]); err != nil {
		return 0, nil, err
	}
	if binary.BigEndian.Uint64(head[:]) != magicReply || binary.BigEndian.Uint32(head[8:]) != option {
		return 0, nil, garbage("its reply to an option begins with %x", head[:12])
	}
	kind = binary.BigEndian.Uint32(head[12:])
	length := binary.BigEndian.Uint32(head[16:])
	if length > longestOption {
		return 0, nil, garbage("its reply to an option has %d bytes", length)
	}
	content = make([]byte, length)
	_, err = io.ReadFull(c.reader, content)
	return kind, content, err
}

// goTo chooses the export ("NBD_OPT_GO").
func (c *connection) goTo(a Address) error {
	data := make([]byte, 0, 8+len(a.Export))
	data = binary.BigEndian.AppendUint32(data, uint32(len(a.Export)))
	data = append(data, a.Export...)
	data = binary.BigEndian.AppendUint16(data, 2)
	data = binary.BigEndian.AppendUint16(data, infoBlockSize)
	data = binary.BigEndian.AppendUint16(data, infoDescription)
	if err := c.option(optionGo, data); err != nil {
		return err
	}
	known := false
	const mostInfos = 64
	for range mostInfos {
		kind, content, err := c.optionReply(optionGo)
		switch {
		case err != nil:
			return err
		case kind == replyAck && !known:
			return garbage("it does not say how large the export is")
		case kind == replyAck:
			return c.checkExport()
		case kind != replyInfo:
			return refusal(a, kind, content)
		}
		exported, err := c.info(content)
		if err != nil {
			return err
		}
		known = known || exported
	}
	return garbage("it does not come to an end with what it says of the export")
}

func refusal(a Address, kind uint32, content []byte) error {
	said := ""
	if len(content) > 0 {
		said = fmt.Sprintf(" (%q)", content[:min(len(content), 200)])
	}
	return fmt.Errorf("the server refuses the export %q: %s%s", a.Export, replyWord(kind), said)
}

func replyWord(kind uint32) string {
	words := map[uint32]string{
		replyUnsupport: "it does not know that option", replyPolicy: "its policy forbids it",
		replyInvalid:   "it finds the option wrong",
		replyTLSNeeded: "it asks for TLS, use nbds://", replyUnknown: "there is no such export",
		replyShutdown:   "it is about to end",
		replyBlockSizes: "it asks for other block sizes", replyTooBig: "it finds the option too big",
	}
	if word, ok := words[kind]; ok {
		return word
	}
	return fmt.Sprintf("error %#x", kind)
}

// info reads a piece of the server's description of the export; true for its size.
func (c *connection) info(content []byte) (bool, error) {
	if len(content) < 2 {
		return false, garbage("what it says of the export has %d bytes", len(content))
	}
	switch binary.BigEndian.Uint16(content) {
	case infoExport:
		if len(content) != 12 {
			return false, garbage("what it says of the export's size has %d bytes", len(content))
		}
		size := binary.BigEndian.Uint64(content[2:])
		if size > largestExport {
			return false, garbage("it says that the export holds %d bytes", size)
		}
		c.export.size, c.export.flags = int64(size), binary.BigEndian.Uint16(content[10:])
		return true, nil
	case infoDescription:
		c.export.description = string(content[2:min(len(content), 2+longestDescription)])
	case infoBlockSize:
		if len(content) != 14 {
			return false, garbage("what it says of block sizes has %d bytes", len(content))
		}
		c.export.smallest, c.export.preferred, c.export.largest = binary.BigEndian.Uint32(content[2:]),
			binary.BigEndian.Uint32(content[6:]), binary.BigEndian.Uint32(content[10:])
	}
	return false, nil
}

func (c *connection) checkExport() error {
	e := &c.export
	if !e.has(exportHasFlags) {
		return garbage("the export's flags are %#x", e.flags)
	}
	if e.size == 0 {
		return errors.New("the export is empty: it holds 0 bytes")
	}
	if e.smallest == 0 {
		e.smallest = 1
	}
	if e.smallest&(e.smallest-1) != 0 || e.smallest > 64<<10 || e.largest != 0 && e.largest < e.smallest {
		return garbage("its block sizes are %d, %d and %d", e.smallest, e.preferred, e.largest)
	}
	if e.largest == 0 {
		e.largest = usualLargest
	}
	return nil
}

// end says goodbye and closes.
func (c *connection) end() error {
	var request [requestLength]byte
	header{command: commandEnd}.put(request[:])
	_ = c.SetWriteDeadline(time.Now().Add(time.Second))
	_, _ = c.Write(request[:])
	return c.Close()
}

// Capacity is how much the export holds.
func (e export) capacity() unit.Bytes { return unit.Bytes(e.size) }
