package codec

import (
	"bufio"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// NewReader returns a reader of the plain text of a stream, which may be compressed by gzip or zstd: it is
// told by how the stream begins. A stream that expands to more than it is worth ends with [ErrTooLarge].
func NewReader(r io.Reader) (io.Reader, error) {
	packed := &counter{from: r}
	buffered := bufio.NewReaderSize(packed, 1<<16)
	begin, err := buffered.Peek(4)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch {
	case len(begin) > 1 && begin[0] == 0x1f && begin[1] == 0x8b: // RFC 1952, 2.3.1
		plain, err := gzip.NewReader(buffered)
		return &expander{from: plain, packed: packed}, err
	case string(begin) == "\x28\xb5\x2f\xfd": // RFC 8878, 3.1.1
		plain, err := zstd.NewReader(buffered, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(LargestWindow))
		return &expander{from: plain, packed: packed}, err
	}
	return buffered, nil
}

// counter counts the bytes read through it.
type counter struct {
	from io.Reader
	read int64
}

func (c *counter) Read(into []byte) (int, error) {
	read, err := c.from.Read(into)
	c.read += int64(read)
	return read, err
}

// expander ends a stream that becomes longer than any session could.
type expander struct {
	from   io.Reader
	packed *counter
	read   int64
}

func (e *expander) Read(into []byte) (int, error) {
	read, err := e.from.Read(into)
	e.read += int64(read)
	if e.read > AnyExpansion && e.read > MostExpansion*e.packed.read {
		return 0, fmt.Errorf("%w: its %d bytes expand to more than %d", ErrTooLarge, e.packed.read, e.read)
	}
	return read, err
}
