package logbook

import (
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// endsInSilence lets a connection end where nothing that it sent was acknowledged for so long
// (tcp(7), TCP_USER_TIMEOUT): keepalives say nothing while something is under way.
func endsInSilence(within time.Duration) func(network, address string, raw syscall.RawConn) error {
	return func(network, _ string, raw syscall.RawConn) error {
		if network != "tcp4" && network != "tcp6" {
			return nil
		}
		var failed error
		err := raw.Control(func(fd uintptr) {
			failed = unix.SetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT, int(within.Milliseconds()))
		})
		if err != nil {
			return err
		}
		return failed
	}
}
