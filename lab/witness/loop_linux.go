package witness

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"opengauge/core/unit"
)

// Loop makes a block device of a file, past the system's cache, and gives its path.
func Loop(tb testing.TB, size unit.Bytes) string {
	tb.Helper()
	file := filepath.Join(tb.TempDir(), "disk")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		tb.Fatal(err)
	}
	return LoopOver(tb, file, size, "--direct-io=on")
}

// LoopOver makes a block device of a file that is there, which gets that size, with more
// options for it.
func LoopOver(tb testing.TB, file string, size unit.Bytes, options ...string) string {
	tb.Helper()
	if os.Geteuid() != 0 {
		tb.Skip("making a loop device needs root")
	}
	if err := os.Truncate(file, int64(size)); err != nil {
		tb.Fatal(err)
	}
	return LoopOnto(tb, file, options...)
}

// LoopOnto makes a block device of a file or of another device.
func LoopOnto(tb testing.TB, file string, options ...string) string {
	tb.Helper()
	out, err := exec.Command("losetup", append(options, "--find", "--show", file)...).CombinedOutput()
	if err != nil {
		tb.Skipf("a loop device cannot be made here: %s", out)
	}
	device := strings.TrimSpace(string(out))
	tb.Cleanup(func() { _ = exec.Command("losetup", "--detach", device).Run() })
	return device
}

// MountExt4 makes a file system on a device, with options for how it is mounted, and gives
// the folder.
func MountExt4(tb testing.TB, device, options string) string {
	tb.Helper()
	// Tables that are not written now would be written in the background later.
	const whole = "lazy_itable_init=0,lazy_journal_init=0"
	if out, err := exec.Command("mkfs.ext4", "-q", "-F", "-E", whole, device).CombinedOutput(); err != nil {
		tb.Skipf("no file system can be made here: %v: %s", err, out)
	}
	folder := tb.TempDir()
	if out, err := exec.Command("mount", "-o", options, device, folder).CombinedOutput(); err != nil {
		tb.Skipf("nothing can be mounted here: %v: %s", err, out)
	}
	tb.Cleanup(func() { _ = exec.Command("umount", folder).Run() })
	return folder
}

// Sectors returns the kernel's counts for a device, in bytes read and written
// (Documentation/block/stat.rst).
func Sectors(tb testing.TB, device string) (read, written unit.Bytes) {
	tb.Helper()
	return unit.Bytes(count(tb, device, 2)) * 512, unit.Bytes(count(tb, device, 6)) * 512
}

// Flushes is how many flushes a device was sent.
func Flushes(tb testing.TB, device string) int64 {
	tb.Helper()
	return count(tb, device, 15)
}

// count returns a field of the kernel's counts for a device.
func count(tb testing.TB, device string, field int) int64 {
	tb.Helper()
	text, err := os.ReadFile(filepath.Join("/sys/block", filepath.Base(device), "stat"))
	if err != nil {
		tb.Fatal(err)
	}
	fields := strings.Fields(string(text))
	if len(fields) <= field {
		tb.Skipf("this kernel counts %d things of a device, and not %d", len(fields), field+1)
	}
	number, err := strconv.ParseInt(fields[field], 10, 64)
	if err != nil {
		tb.Fatal(err)
	}
	return number
}
