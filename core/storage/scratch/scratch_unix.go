//go:build unix

package scratch

import (
	"io/fs"
	"syscall"
)

// numberOf is a file's number in its file system.
func numberOf(info fs.FileInfo) uint64 {
	status, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return 0
	}
	return uint64(status.Ino)
}
