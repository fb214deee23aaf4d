package target

import (
	"bytes"
	"testing"

	"opengauge/core/unit"
)

// The size is no multiple of what superblocks at the end are aligned to.
const contentsSize = 4<<20 + 37*4096 + 512

// Every signature is found where it belongs, and not a byte beside it.
func TestContentsAreRecognised(t *testing.T) {
	for _, s := range signatures {
		at := place(s.offset, s.align, contentsSize)
		if s.source == "" {
			t.Errorf("%s at %d has no source", s.what, s.offset)
		}
		device := make([]byte, contentsSize)
		copy(device[at:], s.magic)
		if got, err := contents(bytes.NewReader(device), contentsSize); err != nil || got == "" ||
			got != s.what && len(s.magic) > 2 {
			t.Errorf("%s at %d is recognised as %q, %v", s.what, s.offset, got, err)
		}
	}
}

// Superblocks at the end are where their formats say, worked out by hand for this size.
func TestContentsAtTheEnd(t *testing.T) {
	for _, c := range []struct {
		at          int
		magic, want string
	}{
		{contentsSize - 512, "EFI PART", "the backup of a GPT partition table"},
		{4<<20 + 35*4096, "\xfc\x4e\x2b\xa9", "a RAID member"},                     // 1.0: 8 KiB before, at 4 KiB
		{4<<20 + 64<<10, "\xa9\x2b\x4e\xfc", "a RAID member"},                      // 0.90: 64 KiB before, at 64 KiB
		{4<<20 + 36*4096 + 60, "\x83\x74\x02\x6b", "a replicated device"},          // 4 KiB before, at 4 KiB
		{4<<20 - 100<<10, "\x0c\xb1\xba\x00\x00\x00\x00\x00", "a ZFS pool member"}, // in the last label's ring
		{131 << 10, "\x00\x00\x00\x00\x00\xba\xb1\x0c", "a ZFS pool member"},       // in the first label's
		{4<<20 + 64<<10 + 64, "\xa9\x2b\x4e\xfc", unknownData},                     // beside its place
		{contentsSize - 63*512, "Promise Technology, Inc.", "a firmware RAID member"},
	} {
		device := make([]byte, contentsSize)
		copy(device[c.at:], c.magic)
		if got, err := contents(bytes.NewReader(device), contentsSize); err != nil || got != c.want {
			t.Errorf("%q at %d is %q, %v; want %q", c.magic, c.at, got, err, c.want)
		}
	}
}

func TestAnEmptyDeviceHoldsNothing(t *testing.T) {
	for _, size := range []int{0, 100, 512, 1 << 20, contentsSize} {
		if got, err := contents(bytes.NewReader(make([]byte, size)), unit.Bytes(size)); err != nil || got != "" {
			t.Errorf("%d zeros are recognised as %q, %v", size, got, err)
		}
	}
}
