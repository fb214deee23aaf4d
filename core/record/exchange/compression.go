package exchange

import (
	"bufio"
	"errors"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

type uncompressed struct{ io.Writer }

func (uncompressed) Close() error { return nil }

func compressed(w io.Writer, compression Compression) (io.WriteCloser, error) {
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
func decompressed(r io.Reader) (io.Reader, error) {
	buffered := bufio.NewReaderSize(r, 1<<16)
	begin, err := buffered.Peek(4)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch {
	case len(begin) > 1 && begin[0] == 0x1f && begin[1] == 0x8b: // RFC 1952, 2.3.1
		return gzip.NewReader(buffered)
	case string(begin) == "\x28\xb5\x2f\xfd": // RFC 8878, 3.1.1
		return zstd.NewReader(buffered, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(largestWindow))
	}
	return buffered, nil
}
