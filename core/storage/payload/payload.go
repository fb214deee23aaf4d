// Package payload is the data that writes carry: as compressible as asked, over a block
// and over a stream of them alike, and never the same twice.
//
// It lies ready in memory, so that a write takes its data from there without copying
// it: making it anew would cost a fast device's writes their processor. Any number of
// goroutines may take data from a source at once.
package payload

import (
	"encoding/binary"
	"math/rand/v2"
	"runtime"
	"sync"
	"sync/atomic"

	"github.com/shirou/gopsutil/v4/mem"

	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

const (
	// Usual is how much goes by before data comes again, but for the numbers in it, on
	// a machine that has the memory: twice the longest window in which compressors
	// of streams look for repetitions, which is 128 MiB.
	Usual = 256 * unit.MiB
	// mostOfMemory is the share of the memory that the data takes at the most.
	mostOfMemory = 4

	// sector is the smallest unit in which a device could recognise data that it
	// has seen before.
	sector = 512
	// granule is the stretch within which compressible data keeps its share: a
	// page, the smallest unit that devices compress.
	granule = 4096
)

// Source is data that lies ready.
type Source struct {
	memory []byte
	// random is how many bytes at the start of each granule are not zero.
	random int
	// at is how many bytes were given out, and serial the last number that was
	// written into a sector.
	at, serial atomic.Uint64
	// places finds a sector in memory by its proof; nil until one was looked for.
	places map[uint64]uint32
}

var (
	mutex   sync.Mutex
	sources = map[float64]*Source{}
)

// Compressible gives the source of data of which a share compresses away: the same
// one for the same share, which is made when it is first asked for.
func Compressible(share float64) *Source {
	mutex.Lock()
	defer mutex.Unlock()
	if sources[share] == nil {
		sources[share] = newSource(share, Size())
	}
	return sources[share]
}

// Size is how much data lies ready on this machine: [Usual], or a quarter of a small
// machine's memory.
func Size() unit.Bytes {
	memory, err := mem.VirtualMemory()
	if err != nil {
		return Usual
	}
	return min(Usual, unit.Bytes(memory.Total)/mostOfMemory/unit.MiB*unit.MiB)
}

func newSource(share float64, size unit.Bytes) *Source {
	s := &Source{memory: direct.Buffer(int(size)), random: int(granule * (1 - share))}
	s.serial.Store(rand.Uint64())
	var filling sync.WaitGroup
	parts := runtime.GOMAXPROCS(0)
	length := (len(s.memory)/parts + granule) / granule * granule
	for from := 0; from < len(s.memory); from += length {
		part := s.memory[from:min(from+length, len(s.memory))]
		filling.Go(func() { s.fill(part, rand.Uint64()) })
	}
	filling.Wait()
	return s
}

// fill makes the granules of a stretch.
func (s *Source) fill(stretch []byte, state uint64) {
	for ; len(stretch) > 0; stretch = stretch[min(granule, len(stretch)):] {
		random := stretch[:min(s.random, len(stretch))]
		for ; len(random) >= 8; random = random[8:] {
			binary.LittleEndian.PutUint64(random, mix(&state))
		}
		for i := range random {
			random[i] = byte(mix(&state))
		}
	}
}

// mix returns the next of a sequence of numbers without a pattern (SplitMix64: Steele, Lea and
// Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014). It has to be quick, and
// nothing may compress its output.
func mix(state *uint64) uint64 {
	*state += 0x9e3779b97f4a7c15
	z := *state
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return z ^ z>>31
}

// Fits says whether [Source.Next] gives data of that length: whole pages, so that any
// device takes it from where it lies.
func (s *Source) Fits(length int) bool {
	return length > 0 && length%direct.Align == 0 && length <= len(s.memory)/4
}

// Next gives the data for one write, of a length that [Source.Fits]. It is the
// caller's for as long as the write is under way, and is not to be changed.
func (s *Source) Next(length int) []byte {
	from := s.advance(length, direct.Align)
	data := s.memory[from : from+length : from+length]
	s.number(data, from)
	return data
}

// Fill copies the data for one write, of whatever length, into a buffer.
func (s *Source) Fill(buffer []byte) {
	if s.random == 0 {
		clear(buffer)
		return
	}
	for rest := buffer; len(rest) > 0; {
		part := rest[:min(len(rest), len(s.memory)/4/granule*granule)]
		from := s.advance(len(part), 1)
		copy(part, s.memory[from:])
		s.number(part, from)
		rest = rest[len(part):]
	}
}

// advance takes the next stretch of a length, from a multiple of align on, and returns where it
// begins. A rest of the memory that is shorter is passed over.
func (s *Source) advance(length, align int) int {
	for {
		at := s.at.Load()
		begin := (at + uint64(align-1)) / uint64(align) * uint64(align)
		from := int(begin % uint64(len(s.memory)))
		if from+length > len(s.memory) {
			begin += uint64(len(s.memory) - from)
			from = 0
		}
		if s.at.CompareAndSwap(at, begin+uint64(length)) {
			return from
		}
	}
}

// number makes every sector of data that is not zero differ from all before it. From
// is where the data lies in memory.
func (s *Source) number(data []byte, from int) {
	if s.random < 8 {
		return
	}
	serial := s.serial.Add(uint64(len(data)/sector+1)) * 0x9e3779b97f4a7c15
	for i := 0; i+8 <= len(data); i += sector {
		if (from+i)%granule > s.random-8 {
			continue
		}
		// Steps of an odd number keep the numbers distinct and spread them over all
		// eight bytes.
		serial -= 0x9e3779b97f4a7c15
		binary.LittleEndian.PutUint64(data[i:], serial)
	}
}
