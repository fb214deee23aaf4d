// Package codec reads the JSON of sessions that others wrote, compressed or not, without taking more
// memory than a session can be worth. Files, rows of logbooks and pages are all read by it.
//
// A [Decoder] may be used by several goroutines at once. The readers of [NewReader] belong to one.
package codec

import (
	"bytes"
	"errors"
	"fmt"

	fastjson "github.com/go-json-experiment/json"
	"github.com/klauspost/compress/zstd"
)

const (
	// MostExpansion is how many times as long as its compressed form a document may be: sessions compress to a
	// tenth or a twentieth, and the steadiest recordings of the simulator to a hundredth.
	MostExpansion = 200
	// AnyExpansion is the length that a document may have however small its compressed form is, in bytes.
	AnyExpansion = 8 << 20
	// LargestDocument is the most that one document may take, in bytes: a week of samples with many sensors
	// takes a tenth.
	LargestDocument = 1 << 30
	// LargestWindow bounds the memory that a zstd stream may ask for, in bytes (RFC 8878, 3.1.1.1.2).
	LargestWindow = 64 << 20

	// bytesPerObject is the least that an object takes on average. A pass has at least 300 bytes in three objects,
	// a sample at least 150 in up to three; in memory a pass takes 500 bytes, however little is written of it.
	bytesPerObject = 48
	// anyObjects is how many objects a document may have however short it is.
	anyObjects = 1 << 14
)

// ErrTooLarge says that something is larger than any session, or becomes that when it is read.
var ErrTooLarge = errors.New("no session is as large")

// Unmarshal reads the JSON of a session, or of a part of one. Documents of very many empty objects, which
// would take many times their length in memory, are [ErrTooLarge].
func Unmarshal(document []byte, into any) error {
	if err := checkDensity(document); err != nil {
		return err
	}
	return fastjson.Unmarshal(document, into)
}

// checkDensity counts the objects of a document. Braces within texts count too: no text has as many.
func checkDensity(document []byte) error {
	if len(document) > LargestDocument {
		return fmt.Errorf("%w: it has %d bytes", ErrTooLarge, len(document))
	}
	objects := bytes.Count(document, []byte("{")) + bytes.Count(document, []byte("null"))
	if objects > anyObjects && objects > len(document)/bytesPerObject {
		return fmt.Errorf("%w: its %d bytes are %d objects", ErrTooLarge, len(document), objects)
	}
	return nil
}

// Decoder reads documents that were compressed by zstd, each in one frame.
type Decoder struct {
	small, large *zstd.Decoder
}

// NewDecoder returns a decoder, which is closed when it is no longer used.
func NewDecoder() (*Decoder, error) {
	small, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(AnyExpansion),
		zstd.WithDecoderMaxWindow(AnyExpansion))
	if err != nil {
		return nil, err
	}
	large, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(LargestDocument),
		zstd.WithDecodeAllCapLimit(true))
	if err != nil {
		small.Close()
		return nil, err
	}
	return &Decoder{small, large}, nil
}

// Close lets go of the decoder's memory.
func (d *Decoder) Close() {
	d.small.Close()
	d.large.Close()
}

// Decompress returns a document. Memory for it is taken as far as its compressed form is worth it.
func (d *Decoder) Decompress(packed []byte) ([]byte, error) {
	var header zstd.Header
	if err := header.Decode(packed); err != nil {
		return nil, err
	}
	if !header.HasFCS || header.FrameContentSize <= AnyExpansion {
		plain, err := d.small.DecodeAll(packed, nil)
		return plain, wrapSize(err, len(packed))
	}
	if header.FrameContentSize > uint64(MostExpansion*len(packed)) || header.FrameContentSize > LargestDocument {
		return nil, fmt.Errorf("%w: its %d bytes expand to %d", ErrTooLarge, len(packed), header.FrameContentSize)
	}
	plain, err := d.large.DecodeAll(packed, make([]byte, 0, header.FrameContentSize))
	return plain, wrapSize(err, len(packed))
}

func wrapSize(err error, packed int) error {
	if errors.Is(err, zstd.ErrDecoderSizeExceeded) || errors.Is(err, zstd.ErrWindowSizeExceeded) {
		return fmt.Errorf("%w: its %d bytes expand to more than they are worth", ErrTooLarge, packed)
	}
	return err
}

// Decode reads a compressed document.
func (d *Decoder) Decode(packed []byte, into any) error {
	plain, err := d.Decompress(packed)
	if err != nil {
		return err
	}
	return Unmarshal(plain, into)
}
