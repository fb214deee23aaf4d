package exchange

import (
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
