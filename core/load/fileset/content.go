package fileset

import (
	"encoding/binary"
	"math/rand/v2"
)

// granule is the stretch within which compressible content keeps its share: a page,
// the smallest unit that devices compress.
const granule = 4096

// Content makes the bytes of an entry, from its start on.
type Content struct {
	source *rand.ChaCha8
	// random is how many bytes of each granule cannot be compressed.
	random int
	at     int64
}

// Content of the entry of that number.
func (s Set) Content(number int) *Content {
	var key [32]byte
	binary.LittleEndian.PutUint64(key[:], s.Seed)
	binary.LittleEndian.PutUint64(key[8:], uint64(number)+1)
	return &Content{source: rand.NewChaCha8(key), random: int(granule * (1 - s.Entries[number].CompressibleShare))}
}

// Read fills a buffer; it never fails and never ends.
func (c *Content) Read(buffer []byte) (int, error) {
	for done := 0; done < len(buffer); {
		inside := int(c.at % granule)
		stretch := buffer[done:min(done+granule-inside, len(buffer))]
		random := stretch[:min(max(c.random-inside, 0), len(stretch))]
		_, _ = c.source.Read(random) // never fails, by its documentation
		clear(stretch[len(random):])
		done += len(stretch)
		c.at += int64(len(stretch))
	}
	return len(buffer), nil
}
