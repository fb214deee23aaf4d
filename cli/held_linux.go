package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// holding are the calls in which a device, or whoever serves a file system, can hold a
// thread, whatever signals it is sent.
var holding = map[int]string{
	unix.SYS_PREAD64: "a read", unix.SYS_PWRITE64: "a write", unix.SYS_PWRITEV2: "a write", unix.SYS_FSYNC: "a flush",
	unix.SYS_FDATASYNC: "a flush", unix.SYS_SYNCFS: "a flush", unix.SYS_FTRUNCATE: "giving space back",
	unix.SYS_UNLINKAT: "removing a file", unix.SYS_FALLOCATE: "taking space", unix.SYS_OPENAT: "opening a file",
	unix.SYS_CLOSE: "closing a file", unix.SYS_IOCTL: "a device",
}

// heldByKernel names the call in which the kernel holds a thread of this process (proc(5),
// /proc/pid/task/tid/syscall, and its state D and wchan in stat), or returns "".
func heldByKernel() string {
	tasks, _ := filepath.Glob("/proc/self/task/*")
	for _, task := range tasks {
		call, err := os.ReadFile(filepath.Join(task, "syscall"))
		if err != nil {
			continue
		}
		first, _, _ := strings.Cut(string(call), " ")
		number, err := strconv.Atoi(first)
		what, known := holding[number]
		status, _ := os.ReadFile(filepath.Join(task, "stat"))
		_, state, _ := strings.Cut(string(status), ") ")
		switch deep := strings.HasPrefix(state, "D"); {
		case err == nil && known && !deep && waitsForPartner(task): // a pipe that nobody opens at its other end
			continue
		case err == nil && known:
		case deep:
			what = "a call"
		default:
			continue
		}
		return fmt.Sprintf("the kernel holds a thread until %s is over%s", what, waitingIn(task))
	}
	return ""
}

// waitsForPartner reports whether a thread opens a pipe and waits for somebody at its other end (fifo(7)).
func waitsForPartner(task string) bool {
	in, _ := os.ReadFile(filepath.Join(task, "wchan"))
	return strings.TrimSpace(string(in)) == "wait_for_partner"
}

// waitingIn is the place in the kernel at which a thread waits, where that is known.
func waitingIn(task string) string {
	in, _ := os.ReadFile(filepath.Join(task, "wchan"))
	if text := strings.TrimSpace(string(in)); text != "" && text != "0" {
		return ", in " + text
	}
	return ""
}
