package nbd

import (
	"bufio"
	"encoding/binary"
	"errors"
	"io"
	"net"
)

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
	said := [][]byte{size, blocks}
	if export.Describe != nil {
		text := export.Describe(h.conn.RemoteAddr())
		about := binary.BigEndian.AppendUint16(nil, infoDescription)
		said = append(said, append(about, text[:min(len(text), longestDescription)]...))
	}
	for _, each := range said {
		if err := h.reply(option, replyInfo, each); err != nil {
			return nil, false, err
		}
	}
	return export, option == optionGo, h.reply(option, replyAck, nil)
}
