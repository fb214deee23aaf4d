package target

import (
	"bytes"
	"errors"
	"fmt"
	"io"
)

// signature is what the start of a device holds when something is on it.
type signature struct {
	offset int64
	magic  string
	what   string
}

// signatures of partition tables, file systems and volume managers, from their
// published on-disk formats.
var signatures = []signature{
	{512, "EFI PART", "a GPT partition table"},
	{4096, "EFI PART", "a GPT partition table"},
	{1080, "\x53\xef", "an ext file system"},
	{0, "XFSB", "an XFS file system"},
	{0x10040, "_BHRfS_M", "a Btrfs file system"},
	{3, "NTFS    ", "an NTFS file system"},
	{3, "EXFAT   ", "an exFAT file system"},
	{54, "FAT", "a FAT file system"},
	{82, "FAT32", "a FAT file system"},
	{1024, "\xe2\xe1\xf5\xe0", "an EROFS file system"},
	{1024, "\x10\x20\xf5\xf2", "an F2FS file system"},
	{0, "hsqs", "a SquashFS file system"},
	{32769, "CD001", "an ISO 9660 file system"},
	{1024, "H+", "an HFS+ file system"},
	{32, "NXSB", "an APFS container"},
	{4086, "SWAPSPACE2", "swap space"},
	{0, "LUKS\xba\xbe", "an encrypted volume"},
	{4096, "\xfc\x4e\x2b\xa9", "a RAID member"},
	{0, "\xfc\x4e\x2b\xa9", "a RAID member"},
	{512, "LABELONE", "an LVM volume"},
	{510, "\x55\xaa", "a boot record or partition table"},
}

// contents says what a device holds: the first signature that is found at its
// start, or nothing.
func contents(device io.ReaderAt) (string, error) {
	const longest = 0x10040 + 16
	head := make([]byte, longest)
	read, err := device.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("looking for what is on the device: %w", err)
	}
	head = head[:read]
	for _, s := range signatures {
		end := s.offset + int64(len(s.magic))
		if int64(len(head)) >= end && bytes.Equal(head[s.offset:end], []byte(s.magic)) {
			return s.what, nil
		}
	}
	return "", nil
}
