//go:build unix

package scratch

import (
	"io/fs"
	"os"
	"syscall"
)

// own says whether a file belongs to the user of this process.
func own(info fs.FileInfo) bool {
	status, ok := info.Sys().(*syscall.Stat_t)
	return ok && int(status.Uid) == os.Geteuid()
}

// numberOf is a file's number in its file system.
func numberOf(info fs.FileInfo) uint64 {
	status, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return 0
	}
	return uint64(status.Ino)
}
