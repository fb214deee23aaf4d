package windows

import (
	"encoding/binary"
	"slices"
	"unicode/utf16"
)

// Field is a place in a structure of the Windows headers.
type Field struct {
	Structure, Name string
	Offset, Size    int
}

// fields are all that are read or written, for the test that compares them with headers.
var fields []Field

func field(structure, name string, offset, size int) Field {
	f := Field{structure, name, offset, size}
	fields = append(fields, f)
	return f
}

// answer is what a driver answered. Its fields are zero where it is too short for them.
type answer []byte

func (a answer) bytes(f Field) []byte {
	if f.Offset < 0 || f.Size < 0 || f.Offset+f.Size > len(a) {
		return make([]byte, max(f.Size, 0))
	}
	return a[f.Offset : f.Offset+f.Size]
}

// number is a field of 1, 2, 4 or 8 bytes.
func (a answer) number(f Field) uint64 {
	raw := a.bytes(f)
	switch f.Size {
	case 1:
		return uint64(raw[0])
	case 2:
		return uint64(binary.LittleEndian.Uint16(raw))
	case 4:
		return uint64(binary.LittleEndian.Uint32(raw))
	}
	return binary.LittleEndian.Uint64(raw)
}

// put writes a field of 2 or 4 bytes.
func (a answer) put(f Field, value uint32) {
	switch f.Size {
	case 1:
		a[f.Offset] = byte(value)
	case 2:
		binary.LittleEndian.PutUint16(a[f.Offset:], uint16(value))
	default:
		binary.LittleEndian.PutUint32(a[f.Offset:], value)
	}
}

// at are the bytes from an offset that the answer gives itself; none where it lies.
func (a answer) at(offset, length uint64) []byte {
	if offset > uint64(len(a)) || length > uint64(len(a))-offset {
		return nil
	}
	return a[offset : offset+length]
}

// text is what begins at an offset and ends with a zero byte. The offset is zero where
// there is none.
func (a answer) text(f Field) string {
	offset := a.number(f)
	if offset == 0 || offset >= uint64(len(a)) {
		return ""
	}
	rest := a[offset:]
	if end := slices.Index(rest, 0); end >= 0 {
		rest = rest[:end]
	}
	return printable(string(rest))
}

// wide reads text in UTF-16 up to its zero.
func wide(raw []byte) string {
	units := make([]uint16, 0, len(raw)/2)
	for i := 0; i+1 < len(raw); i += 2 {
		unit := binary.LittleEndian.Uint16(raw[i:])
		if unit == 0 {
			break
		}
		units = append(units, unit)
	}
	return printable(string(utf16.Decode(units)))
}
