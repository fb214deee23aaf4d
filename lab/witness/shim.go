package witness

import (
	"bytes"
	"encoding/binary"
)

// shim is a Windows library that does nothing but send one function of its on to one of
// another library: programs made with Go ask bcryptprimitives.dll for random numbers as
// they start, which the packaged Wine lacks, and advapi32.dll has a function of the same
// form. It has the headers, one section and the export table of the PE format
// ("PE Format", sections 3, 4 and 6.3) and no code.
func shim(library, function, to string) []byte {
	const (
		fileStep, memoryStep = 0x200, 0x1000
		base                 = memoryStep // where the section is in memory
		directory            = 40         // bytes of the export directory
	)
	texts := bytes.Buffer{}
	text := func(s string) uint32 {
		at := base + directory + 4 + 4 + 2 + 2 + texts.Len() // behind the three tables of one entry each
		texts.WriteString(s)
		texts.WriteByte(0)
		return uint32(at)
	}
	name, exported, forward := text(library), text(function), text(to)
	section := bytes.Buffer{}
	put := func(into *bytes.Buffer, values ...any) {
		for _, value := range values {
			_ = binary.Write(into, binary.LittleEndian, value) // fixed sizes into memory: it cannot fail
		}
	}
	// The export directory: characteristics, time, version, the library's name, the
	// first ordinal, how many addresses and names, and where their tables are.
	put(&section, uint32(0), uint32(0), uint32(0), name, uint32(1), uint32(1), uint32(1),
		uint32(base+directory), uint32(base+directory+4), uint32(base+directory+8))
	put(&section, forward, exported, uint16(0), uint16(0)) // an address within the directory is a forwarder
	section.Write(texts.Bytes())
	size := uint32(section.Len())

	image := bytes.Buffer{}
	image.WriteString("MZ")
	image.Write(make([]byte, 58))
	put(&image, uint32(64)) // where the header is
	image.WriteString("PE\x00\x00")
	// AMD64; a library
	put(&image, uint16(0x8664), uint16(1), uint32(0), uint32(0), uint32(0), uint16(240), uint16(0x2022))
	put(&image, uint16(0x20b), uint16(0), uint32(0), uint32(fileStep), uint32(0), uint32(0), uint32(base), // PE32+
		uint64(0x180000000), uint32(memoryStep), uint32(fileStep), uint16(6), uint16(0), uint16(0), uint16(0),
		uint16(6),
		uint16(0), uint32(0), uint32(2*memoryStep), uint32(fileStep), uint32(0), uint16(3), uint16(0x160),
		uint64(1<<20), uint64(4096), uint64(1<<20), uint64(4096), uint32(0), uint32(16))
	put(&image, uint32(base), size) // the first of sixteen directories is that of exports
	image.Write(make([]byte, 15*8))
	image.WriteString(".edata\x00\x00")
	put(&image, size, uint32(base), uint32(fileStep), uint32(fileStep), uint32(0), uint32(0), uint32(0),
		uint32(0x40000040)) // data, to be read
	image.Write(make([]byte, fileStep-image.Len()))
	image.Write(section.Bytes())
	image.Write(make([]byte, 2*fileStep-image.Len()))
	return image.Bytes()
}
