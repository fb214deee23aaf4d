package logbook

import (
	"net"
	"testing"
	"time"

	"golang.org/x/sys/unix"
)

// The kernel says what a connection was given.
func TestAConnectionEndsInSilence(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	dialer := net.Dialer{Control: endsInSilence(7 * time.Second)}
	c, err := dialer.DialContext(t.Context(), "tcp", listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	raw, err := c.(*net.TCPConn).SyscallConn()
	if err != nil {
		t.Fatal(err)
	}
	var got int
	if err := raw.Control(func(fd uintptr) {
		got, _ = unix.GetsockoptInt(int(fd), unix.IPPROTO_TCP, unix.TCP_USER_TIMEOUT)
	}); err != nil || got != 7000 {
		t.Errorf("it ends after %d ms without an answer, %v", got, err)
	}
}
