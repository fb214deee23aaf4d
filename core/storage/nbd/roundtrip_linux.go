package nbd

import (
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// RoundTrip returns the network's round trip as the kernel sees it, on the connection that reads (tcp(7),
// TCP_INFO: the smoothed time of RFC 6298, section 2, in microseconds). It does not include the time that
// this program waits for a processor. It is false for a connection that is not over TCP.
func (q *queue) RoundTrip() (time.Duration, bool) {
	connection, ok := q.connections[inwards].Conn.(syscall.Conn)
	if !ok {
		return 0, false
	}
	raw, err := connection.SyscallConn()
	if err != nil {
		return 0, false
	}
	var info *unix.TCPInfo
	if failed := raw.Control(func(descriptor uintptr) {
		info, err = unix.GetsockoptTCPInfo(int(descriptor), unix.IPPROTO_TCP, unix.TCP_INFO)
	}); failed != nil || err != nil || info.Rtt == 0 {
		return 0, false
	}
	return time.Duration(info.Rtt) * time.Microsecond, true
}
