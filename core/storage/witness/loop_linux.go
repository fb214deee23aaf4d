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
	if os.Getuid() != 0 {
		tb.Skip("loop devices need root")
	}
	file := filepath.Join(tb.TempDir(), "disk")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		tb.Fatal(err)
	}
	if err := os.Truncate(file, int64(size)); err != nil {
		tb.Fatal(err)
	}
	out, err := exec.Command("losetup", "--find", "--show", "--direct-io=on", file).CombinedOutput()
	if err != nil {
		tb.Skipf("no loop device can be made here: %v: %s", err, out)
	}
	device := strings.TrimSpace(string(out))
	tb.Cleanup(func() { _ = exec.Command("losetup", "--detach", device).Run() })
	return device
}

// Mounted makes a file system on a device, with options for how it is mounted, and gives
// the folder.
func Mounted(tb testing.TB, device, options string) string {
	tb.Helper()
	// What is not written now would be written in the background later.
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

// Sectors are what the kernel counts of a device, in bytes read and written.
func Sectors(tb testing.TB, device string) (read, written unit.Bytes) {
	tb.Helper()
	text, err := os.ReadFile(filepath.Join("/sys/block", filepath.Base(device), "stat"))
	if err != nil {
		tb.Fatal(err)
	}
	fields := strings.Fields(string(text))
	count := func(field int) unit.Bytes {
		sectors, err := strconv.ParseInt(fields[field], 10, 64)
		if err != nil {
			tb.Fatal(err)
		}
		return unit.Bytes(sectors) * 512
	}
	return count(2), count(6)
}
