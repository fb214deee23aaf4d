//go:build unix

package target

import (
	"os"

	"golang.org/x/sys/unix"
)

// claim marks a test file as in use by this process, for as long as it lives.
func claim(file *os.File) { _ = unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB) }

// unclaimed says whether no living process uses a test file.
func unclaimed(name string) bool {
	file, err := os.Open(name)
	if err != nil {
		return false
	}
	defer file.Close()
	return unix.Flock(int(file.Fd()), unix.LOCK_EX|unix.LOCK_NB) == nil
}
