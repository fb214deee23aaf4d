package logbook

import (
	"errors"
	"net"

	"golang.org/x/sys/unix"
)

// peerOf returns the user id of the process that listens at the other end of a socket (unix(7), SO_PEERCRED).
func peerOf(conn net.Conn) (uid int, err error) {
	socket, ok := conn.(*net.UnixConn)
	if !ok {
		return 0, errors.New("it is no socket")
	}
	raw, err := socket.SyscallConn()
	if err != nil {
		return 0, err
	}
	var peer *unix.Ucred
	controlled := raw.Control(func(fd uintptr) {
		peer, err = unix.GetsockoptUcred(int(fd), unix.SOL_SOCKET, unix.SO_PEERCRED)
	})
	if err := errors.Join(controlled, err); err != nil {
		return 0, err
	}
	return int(peer.Uid), nil
}
