package nbd

import (
	"io"
	"net"
	"time"
)

// stuckAfter is how long a client may take nothing of a reply, or send nothing of a request that it began,
// before it is let go of: others wait for the memory that it holds.
const stuckAfter = 15 * time.Second

// piece is how much is sent or received within one deadline.
const piece = 256 << 10

// steady reads and writes pieces, each of which has to be done within a time. Waiting for the next request is
// no part of one.
type steady struct {
	net.Conn
	within time.Duration
}

func (s steady) Write(data []byte) (sent int, err error) {
	for sent < len(data) && err == nil {
		if err = s.SetWriteDeadline(time.Now().Add(s.within)); err != nil {
			break
		}
		var count int
		count, err = s.Conn.Write(data[sent:min(sent+piece, len(data))])
		sent += count
	}
	return sent, err
}

// readBody reads the data of a request that has begun.
func (s steady) readBody(from io.Reader, data []byte) error {
	defer func() { _ = s.SetReadDeadline(time.Time{}) }()
	for len(data) > 0 {
		if err := s.SetReadDeadline(time.Now().Add(s.within)); err != nil {
			return err
		}
		count := min(piece, len(data))
		if _, err := io.ReadFull(from, data[:count]); err != nil {
			return err
		}
		data = data[count:]
	}
	return nil
}
