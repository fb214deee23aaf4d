package exchange

import (
	"bufio"
	"errors"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

type uncompressed struct{ io.Writer }

func (uncompressed) Close() error { return nil }

func newCompressor(w io.Writer, compression Compression) (io.WriteCloser, error) {
	switch compression {
	case Gzip:
		return gzip.NewWriter(w), nil
	case Zstd:
		return zstd.NewWriter(w, zstd.WithEncoderConcurrency(1))
	}
	return uncompressed{w}, nil
}

// largestWindow bounds the memory that a zstd stream may ask for.
const largestWindow = 64 << 20

// decompressed reads plain, gzip and zstd streams, by how they begin.
func newDecompressor(r io.Reader) (io.Reader, error) {
	packed := &counting{from: r}
	buffered := bufio.NewReaderSize(packed, 1<<16)
	begin, err := buffered.Peek(4)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch {
	case len(begin) > 1 && begin[0] == 0x1f && begin[1] == 0x8b: // RFC 1952, 2.3.1
		plain, err := gzip.NewReader(buffered)
		return &credible{from: plain, packed: packed}, err
	case string(begin) == "\x28\xb5\x2f\xfd": // RFC 8878, 3.1.1
		plain, err := zstd.NewReader(buffered, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(largestWindow))
		return &credible{from: plain, packed: packed}, err
	}
	return buffered, nil
}

const (
	// mostExpansion is how many times as long as its packed form a stream may be: sessions
	// compress to a tenth or a twentieth, and nothing that is worth reading to this.
	mostExpansion = 200
	// anyExpansion is the size that a stream may always have, however small its packed form is, in
	// bytes.
	anyExpansion = 64 << 20
)

// counting counts the bytes read through it.
type counting struct {
	from io.Reader
	read int64
}

func (c *counting) Read(into []byte) (int, error) {
	read, err := c.from.Read(into)
	c.read += int64(read)
	return read, err
}

// credible ends a stream that becomes longer than any session could.
type credible struct {
	from   io.Reader
	packed *counting
	read   int64
}

func (c *credible) Read(into []byte) (int, error) {
	read, err := c.from.Read(into)
	if c.read += int64(read); c.read > anyExpansion && c.read > mostExpansion*c.packed.read {
		return 0, fmt.Errorf("its %d bytes expand to more than %d: no session does", c.packed.read, c.read)
	}
	return read, err
}
