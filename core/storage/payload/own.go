package payload

import (
	"bytes"
	"encoding/binary"
)

// proofFrom is the offset of a sector's proof, in bytes: the bytes before it may be a number of
// its own, or a stamp. The first proofLength bytes of the proof tell sectors apart.
const (
	proofFrom   = 64
	proofLength = 8
)

// Own reports whether data read from somewhere was written by this process: whether each of its
// whole sectors equals data that lies ready here, apart from numbers and stamps at its beginning.
// Data whose sectors prove nothing (zeros) is nobody's.
func Own(data []byte) bool {
	known := 0
	for ; len(data) >= sector; data = data[sector:] {
		if telling := data[proofFrom+proofLength : sector]; bytes.Count(telling, []byte{0}) == len(telling) {
			continue
		}
		if !ownSector(data[:sector]) {
			return false
		}
		known++
	}
	return known > 0
}

func ownSector(data []byte) bool {
	mutex.Lock()
	defer mutex.Unlock()
	for _, source := range sources {
		if source.holds(data) {
			return true
		}
	}
	return false
}

// holds looks for a sector by the first bytes of its proof. The places of all sectors are
// found out when that is first asked: 8 bytes for each of half a million.
func (s *Source) holds(data []byte) bool {
	if s.places == nil {
		s.places = make(map[uint64]uint32, len(s.memory)/sector)
		for at := 0; at+sector <= len(s.memory); at += sector {
			s.places[proof(s.memory[at:])] = uint32(at / sector)
		}
	}
	place, ok := s.places[proof(data)]
	if !ok {
		return false
	}
	at := int(place) * sector
	return bytes.Equal(s.memory[at+proofFrom:at+sector], data[proofFrom:sector])
}

func proof(data []byte) uint64 { return binary.LittleEndian.Uint64(data[proofFrom:]) }
