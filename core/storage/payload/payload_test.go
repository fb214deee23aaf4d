package payload

import (
	"bytes"
	"io"
	"math"
	"testing"
	"unsafe"

	"github.com/klauspost/compress/zstd"

	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// compressed is what a compressor with a window makes of a stream, as a share of it.
func compressed(t *testing.T, window int, write func(to io.Writer)) float64 {
	t.Helper()
	counter := &counted{}
	compressor, err := zstd.NewWriter(counter, zstd.WithWindowSize(window), zstd.WithEncoderLevel(zstd.SpeedDefault),
		zstd.WithEncoderConcurrency(1))
	if err != nil {
		t.Fatal(err)
	}
	before := &counted{to: compressor}
	write(before)
	if err := compressor.Close(); err != nil {
		t.Fatal(err)
	}
	return float64(counter.bytes) / float64(before.bytes)
}

type counted struct {
	to    io.Writer
	bytes int
}

func (c *counted) Write(data []byte) (int, error) {
	c.bytes += len(data)
	if c.to == nil {
		return len(data), nil
	}
	return c.to.Write(data)
}

// A stream of blocks of any length compresses as much as was asked and no more, for a
// compressor that looks back over half of what lies ready.
func TestAStreamCompressesAsAsked(t *testing.T) {
	const size = 8 * unit.MiB
	for _, share := range []float64{0, 0.25, 0.9, 1} {
		for _, block := range []int{512, 4096, 6144, 1 << 20} {
			s := newSource(share, size)
			got := compressed(t, int(size/2), func(to io.Writer) {
				for written := 0; written < 3*int(size); written += block {
					_, _ = to.Write(take(s, block))
				}
			})
			if want := 1 - share; !(math.Abs(got-want) < 0.03) {
				t.Errorf("share %.2f in blocks of %d: compresses to %.3f, want %.2f", share, block, got, want)
			}
		}
	}
}

// take takes data as a write does.
func take(s *Source, block int) []byte {
	if s.Fits(block) {
		return s.Next(block)
	}
	buffer := make([]byte, block)
	s.Fill(buffer)
	return buffer
}

// No sector comes twice, also where the data that lies ready has gone round.
func TestNoSectorComesTwice(t *testing.T) {
	s := newSource(0, unit.MiB)
	seen := map[string]bool{}
	for range 4 * 1024 {
		for _, block := range []int{512, 4096} {
			data := take(s, block)
			for i := 0; i < len(data); i += sector {
				seen[string(data[i:i+sector])] = true
			}
		}
	}
	if want := 4 * 1024 * 9; len(seen) != want {
		t.Errorf("%d different sectors, want %d", len(seen), want)
	}
}

// What is given out is aligned for direct I/O, and nothing is given out twice at once.
func TestNextIsAligned(t *testing.T) {
	s := newSource(0, 8*unit.MiB)
	last := []byte(nil)
	for range 100 {
		data := s.Next(3 * direct.Align)
		if len(data) != 3*direct.Align || cap(data) != len(data) {
			t.Fatalf("length %d, capacity %d", len(data), cap(data))
		}
		if last != nil && &last[0] == &data[0] {
			t.Fatal("the same data twice")
		}
		last = data
	}
	for _, length := range []int{0, 512, direct.Align + 512, 16 << 20} {
		if s.Fits(length) {
			t.Errorf("%d bytes fit", length)
		}
	}
	// Nothing but zeros is asked for, and nothing else is given.
	zeros := make([]byte, 6000)
	zeros[17] = 3
	newSource(1, unit.MiB).Fill(zeros)
	if !bytes.Equal(zeros, make([]byte, 6000)) {
		t.Error("data of which all compresses is not all zeros")
	}
}

func TestASourceIsMadeOnce(t *testing.T) {
	half, again := Compressible(0.5), Compressible(0.5)
	if half != again || half == Compressible(0.25) {
		t.Error("sources are not told apart by their share")
	}
	if size := Size(); size > Usual || size < unit.MiB {
		t.Errorf("%s lie ready", size)
	}
}

// BenchmarkNext says what the data of a write costs, against copying it.
func BenchmarkNext(b *testing.B) {
	for _, share := range []float64{0, 0.5} {
		s := Compressible(share)
		b.Run(map[float64]string{0: "incompressible", 0.5: "half"}[share], func(b *testing.B) {
			b.SetBytes(1 << 20)
			for b.Loop() {
				s.Next(1 << 20)
			}
		})
	}
	buffer, s := direct.Buffer(1<<20), Compressible(0)
	b.Run("copied", func(b *testing.B) {
		b.SetBytes(1 << 20)
		for b.Loop() {
			s.Fill(buffer)
		}
	})
}

// Data of whole pages lies where any device takes it from, whatever was taken before.
func TestDataOfPagesIsAligned(t *testing.T) {
	s := newSource(0, unit.MiB)
	for _, length := range []int{512, 777, 1, 4096, 70_000} {
		s.Fill(make([]byte, length))
		data := s.Next(8192)
		if at := uintptr(unsafe.Pointer(&data[0])) % direct.Align; at != 0 {
			t.Errorf("after %d bytes it lies %d bytes behind a page's beginning", length, at)
		}
	}
}
