package target

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// signature is a mark that a device has at a place when something is on it.
type signature struct {
	// offset is where the magic is; below zero it counts from the end of the device,
	// after that was brought down to a multiple of align, where there is one.
	offset int64
	align  int64
	magic  string
	what   string
	source string
}

// circle is a stretch in which a magic is at one of many places.
type circle struct {
	signature // at the first of its places
	// The places lie step apart, over a length.
	length, step int64
}

// circles are the marks of pools whose newest block is anywhere in a ring: at the beginning of the device and
// at its end.
var circles = []circle{
	{signature{128 << 10, 0, "\x0c\xb1\xba\x00\x00\x00\x00\x00", "a ZFS pool member", zfs}, 128 << 10, 1024},
	{signature{128 << 10, 0, "\x00\x00\x00\x00\x00\xba\xb1\x0c", "a ZFS pool member", zfs}, 128 << 10, 1024},
	{signature{-128 << 10, 256 << 10, "\x0c\xb1\xba\x00\x00\x00\x00\x00", "a ZFS pool member", zfs}, 128 << 10, 1024},
	{signature{-128 << 10, 256 << 10, "\x00\x00\x00\x00\x00\xba\xb1\x0c", "a ZFS pool member", zfs}, 128 << 10, 1024},
}

// Where the formats are described: files of the Linux kernel's source, which are named by
// their path in it, and published specifications.
const (
	uefi    = "UEFI Specification 2.10, 5.3.2"
	lvm     = "lvm2, lib/format_text/layout.h"
	raid    = "include/uapi/linux/raid/md_p.h"
	zfs     = "ZFS On-Disk Specification, 1.2 and 1.3.3"
	swap    = "include/linux/swap.h"
	minix   = "fs/minix/minix.h, include/uapi/linux/magic.h"
	magics  = "include/uapi/linux/magic.h"
	udf     = "ECMA-167, part 2, 9.1"
	ufs     = "fs/ufs/ufs_fs.h"
	bcache  = "drivers/md/bcache/bcache_ondisk.h"
	luks2   = "LUKS2 On-Disk Format Specification, 2.1 and 2.2"
	drbd    = "drivers/block/drbd/drbd_main.c"
	firmRAI = "util-linux, libblkid/src/superblocks"
)

// signatures of partition tables, file systems, volume managers and firmware RAIDs.
var signatures = []signature{
	{512, 0, "EFI PART", "a GPT partition table", uefi},
	{4096, 0, "EFI PART", "a GPT partition table", uefi},
	{-512, 0, "EFI PART", "the backup of a GPT partition table", uefi},
	{-4096, 0, "EFI PART", "the backup of a GPT partition table", uefi},
	{1080, 0, "\x53\xef", "an ext file system", "Documentation/filesystems/ext4/super.rst"},
	{0, 0, "XFSB", "an XFS file system", "fs/xfs/libxfs/xfs_format.h"},
	{0x10040, 0, "_BHRfS_M", "a Btrfs file system", "include/uapi/linux/btrfs_tree.h"},
	{0x1018, 0, "\xc6\x85\x73\xf6\x4e\x1a\x45\xca\x82\x65\xf5\x7f\x48\xba\x6d\x81", "a bcache device", bcache},
	{0x1018, 0, "\xc6\x85\x73\xf6\x66\xce\x90\xa9\xd9\x6a\x60\xcf\x80\x3d\xf7\xef", "a bcachefs file system",
		"fs/bcachefs/bcachefs_format.h"},
	{3, 0, "NTFS    ", "an NTFS file system", "fs/ntfs3/ntfs.h"},
	{3, 0, "ReFS\x00", "a ReFS file system", "its published header"},
	{3, 0, "-FVE-FS-", "an encrypted volume", "its published header"},
	{3, 0, "EXFAT   ", "an exFAT file system", "exFAT specification, 3.1.2"},
	{54, 0, "FAT", "a FAT file system", "FAT specification, section 3"},
	{82, 0, "FAT32", "a FAT file system", "FAT specification, section 3"},
	{1024, 0, "\xe2\xe1\xf5\xe0", "an EROFS file system", "fs/erofs/erofs_fs.h"},
	{1024, 0, "\x10\x20\xf5\xf2", "an F2FS file system", "include/linux/f2fs_fs.h"},
	{0, 0, "hsqs", "a SquashFS file system", "fs/squashfs/squashfs_fs.h"},
	{0, 0, "sqsh", "a SquashFS file system", "fs/squashfs/squashfs_fs.h"},
	{0, 0, "\x45\x3d\xcd\x28", "a CramFS file system", magics},
	{512, 0, "\x45\x3d\xcd\x28", "a CramFS file system", magics},
	{0, 0, "-rom1fs-", "a ROMFS file system", "include/uapi/linux/romfs_fs.h"},
	{32769, 0, "CD001", "an ISO 9660 file system", "ECMA-119, 8.1"},
	{32769, 0, "BEA01", "a UDF file system", udf},
	{32769, 0, "NSR0", "a UDF file system", udf},
	{1024, 0, "H+", "an HFS+ file system", "fs/hfsplus/hfsplus_raw.h"},
	{1024, 0, "HX", "an HFS+ file system", "fs/hfsplus/hfsplus_raw.h"},
	{1024, 0, "BD", "an HFS file system", "fs/hfs/hfs.h"},
	{32, 0, "NXSB", "an APFS container", "Apple File System Reference, nx_superblock_t"},
	{0, 0, "ER", "an Apple partition map", "block/partitions/mac.h"},
	{512, 0, "PM", "an Apple partition map", "block/partitions/mac.h"},
	{0x10034, 0, "ReIsEr", "a ReiserFS file system", "fs/reiserfs/reiserfs.h"},
	{0x2034, 0, "ReIsEr", "a ReiserFS file system", "fs/reiserfs/reiserfs.h"},
	{0x10000, 0, "ReIsEr4", "a Reiser4 file system", "its published header"},
	{0x8000, 0, "JFS1", "a JFS file system", "fs/jfs/jfs_superblock.h"},
	{1030, 0, "\x34\x34", "a NILFS2 file system", "include/uapi/linux/nilfs2_ondisk.h"},
	{1024, 0, "OCFSV2", "an OCFS2 file system", "fs/ocfs2/ocfs2_fs.h"},
	{2048, 0, "OCFSV2", "an OCFS2 file system", "fs/ocfs2/ocfs2_fs.h"},
	{4096, 0, "OCFSV2", "an OCFS2 file system", "fs/ocfs2/ocfs2_fs.h"},
	{8192, 0, "OCFSV2", "an OCFS2 file system", "fs/ocfs2/ocfs2_fs.h"},
	{0x10000, 0, "\x01\x16\x19\x70", "a GFS2 file system", "include/uapi/linux/gfs2_ondisk.h"},
	{8192 + 1372, 0, "\x54\x19\x01\x00", "a UFS file system", ufs},
	{0x10000 + 1372, 0, "\x19\x01\x54\x19", "a UFS file system", ufs},
	{8192 + 1372, 0, "\x00\x01\x19\x54", "a UFS file system", ufs},
	{0x10000 + 1372, 0, "\x19\x54\x01\x19", "a UFS file system", ufs},
	{1040, 0, "\x7f\x13", "a Minix file system", minix},
	{1040, 0, "\x8f\x13", "a Minix file system", minix},
	{1040, 0, "\x68\x24", "a Minix file system", minix},
	{1040, 0, "\x78\x24", "a Minix file system", minix},
	{1048, 0, "\x5a\x4d", "a Minix file system", minix},
	{544, 0, "1SFB", "a BFS file system", "fs/befs/befs_fs_types.h"},
	{544, 0, "BFS1", "a BFS file system", "fs/befs/befs_fs_types.h"},
	{8192, 0, "\x22\x11\x19\x68", "a QNX6 file system", magics},
	{1024, 0, "\xf5\xfc\x01\xa5", "a VxFS file system", "fs/freevxfs/vxfs.h"},
	{0x100000, 0, "\x0d\xd0\x01\xc0", "a VMFS volume", "its published header"},
	{0xff6, 0, "SWAPSPACE2", "swap space", swap},
	{0xff6, 0, "SWAP-SPACE", "swap space", swap},
	{0xff6, 0, "S1SUSPEND", "an image of a sleeping system", "kernel/power/swap.c"},
	{0x1ff6, 0, "SWAPSPACE2", "swap space", swap},
	{0x3ff6, 0, "SWAPSPACE2", "swap space", swap},
	{0x7ff6, 0, "SWAPSPACE2", "swap space", swap},
	{0xfff6, 0, "SWAPSPACE2", "swap space", swap},
	{0, 0, "LUKS\xba\xbe", "an encrypted volume", luks2},
	{0x4000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x8000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x10000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x20000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x40000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x80000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0x100000, 0, "SKUL\xba\xbe", "an encrypted volume", luks2},
	{0, 0, "verity\x00\x00", "a table of checksums", "cryptsetup, lib/verity/verity.c"},
	{0, 0, "integrt\x00", "a device with checksums", "drivers/md/dm-integrity.c"},
	{0, 0, "SnAp", "a snapshot of a device", "drivers/md/dm-snap-persistent.c"},
	{0, 0, "bluestore block device", "an object store", "its published label"},
	{516, 0, "!Stra0tis\x86\xff\x02^\x41rh", "a volume pool member", "stratisd, static header"},
	{4096, 0, "\xfc\x4e\x2b\xa9", "a RAID member", raid},
	{0, 0, "\xfc\x4e\x2b\xa9", "a RAID member", raid},
	{-8192, 4096, "\xfc\x4e\x2b\xa9", "a RAID member", raid},
	{-65536, 65536, "\xfc\x4e\x2b\xa9", "a RAID member", raid},
	{-65536, 65536, "\xa9\x2b\x4e\xfc", "a RAID member", raid},
	{-4036, 4096, "\x83\x74\x02\x6b", "a replicated device", drbd},
	{-4036, 4096, "\x83\x74\x02\x6d", "a replicated device", drbd},
	{-512, 0, "\xde\x11\xde\x11", "a firmware RAID member", "SNIA Common RAID Disk Data Format 2.0, 4.1"},
	{-1024, 0, "Intel Raid ISM Cfg", "a firmware RAID member", firmRAI},
	{-1024, 0, "NVIDIA", "a firmware RAID member", firmRAI},
	{-512, 0, "$XIDE$", "a firmware RAID member", firmRAI},
	{-63 * 512, 0, "Promise Technology, Inc.", "a firmware RAID member", firmRAI},
	{9*512 + 32, 0, "\xf0\x16\x78\x5a", "a firmware RAID member", firmRAI},
	{-512, 0, "DPTM", "a firmware RAID member", firmRAI},
	{0, 0, "dmvdo001", "a deduplicated volume", "drivers/md/dm-vdo/encodings.c"},
	{0, 0, "SFOZ", "a zonefs file system", magics},
	{0, 0, "HM\x01\x00", "an LVM volume", lvm},
	{0, 0, "LABELONE", "an LVM volume", lvm},
	{512, 0, "LABELONE", "an LVM volume", lvm},
	{1024, 0, "LABELONE", "an LVM volume", lvm},
	{1536, 0, "LABELONE", "an LVM volume", lvm},
	{512, 0, "\x57\x45\x56\x82", "a BSD disk label", "block/partitions/msdos.c"},
	{64, 0, "\x57\x45\x56\x82", "a BSD disk label", "block/partitions/msdos.c"},
	{508, 0, "\xda\xbe", "a Sun disk label", "block/partitions/sun.c"},
	{0, 0, "\x0b\xe5\xa9\x41", "an SGI disk label", "block/partitions/sgi.c"},
	{0, 0, "\xc9\xc2\xd4\xc1", "an IBM disk label", "block/partitions/ibm.c"},
	{510, 0, "\x55\xaa", "a boot record or partition table", "UEFI Specification 2.10, 5.2.1"},
}

// place is where something at an offset of a signature is on a device of a size, or below
// zero if that has no such place.
func place(offset, align, size int64) int64 {
	if offset >= 0 {
		return offset
	}
	if align > 0 {
		size = size / align * align
	}
	return size + offset
}

// label is at the beginning of a device that a run wrote to: nobody misses its contents.
const label = "Written by opengauge to measure this device. There is nothing else on it.\n"

// contents names the contents of a device of a size by the first signature that is found, or as unknownData.
// It returns "" for a blank device, and for one with a label.
func contents(device io.ReaderAt, size unit.Bytes) (string, error) {
	const head, tail = 1<<20 + 4096, 1 << 20
	begin, err := stretch(device, 0, min(head, int64(size)))
	if err != nil {
		return "", err
	}
	from := max(int64(size)-tail, 0) / direct.Align * direct.Align
	end, err := stretch(device, from, int64(size)-from)
	if err != nil {
		return "", err
	}
	held := func(at int64, magic string) bool { return holds(begin, at, magic) || holds(end, at-from, magic) }
	for _, s := range signatures {
		if held(place(s.offset, s.align, int64(size)), s.magic) {
			return s.what, nil
		}
	}
	for _, r := range circles {
		first := place(r.offset, r.align, int64(size))
		for at := first; at < first+r.length; at += r.step {
			if held(at, r.magic) {
				return r.what, nil
			}
		}
	}
	if holds(begin, 0, label) {
		return "", nil
	}
	if !isBlank(begin) || !isBlank(end) {
		return unknownData, nil
	}
	return unrecognised(device, from)
}

// unknownData describes contents that are not blank, and have no known form.
const unknownData = "data of a form that is not known"

// unrecognised looks for data here and there before the end of a device.
func unrecognised(device io.ReaderAt, before int64) (string, error) {
	const places, length = 64, 64 << 10
	for i := range int64(places) {
		at := before / places * i / direct.Align * direct.Align
		data, err := stretch(device, at, min(length, before-at))
		if err != nil {
			return "", err
		}
		if !isBlank(data) {
			return unknownData, nil
		}
	}
	return "", nil
}

// isBlank reports whether data are all zeros, or all ones as erased flash has them.
func isBlank(data []byte) bool {
	if len(data) == 0 {
		return true
	}
	return (data[0] == 0 || data[0] == 0xff) && bytes.Equal(data[1:], data[:len(data)-1])
}

func holds(data []byte, at int64, magic string) bool {
	return at >= 0 && at+int64(len(magic)) <= int64(len(data)) &&
		bytes.Equal(data[at:at+int64(len(magic))], []byte(magic))
}

// stretch reads a part of a device, in memory that direct I/O takes.
func stretch(device io.ReaderAt, from, length int64) ([]byte, error) {
	data := direct.Buffer(direct.Up(int(length)))[:length]
	read, err := device.ReadAt(data, from)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("looking for what is on the device: %w", err)
	}
	return data[:read], nil
}
