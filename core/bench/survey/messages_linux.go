package survey

import (
	"bytes"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"
)

// messages are the kernel's log (dev-kmsg) and its events of devices (netlink,
// NETLINK_KOBJECT_UEVENT), as far as this program may read them.
type messages struct {
	log, events int
}

// openMessages begins to listen, from now on.
func openMessages() *messages {
	m := &messages{log: -1, events: -1}
	if log, err := unix.Open("/dev/kmsg", unix.O_RDONLY|unix.O_NONBLOCK|unix.O_CLOEXEC, 0); err == nil {
		_, _ = unix.Seek(log, 0, unix.SEEK_END)
		m.log = log
	}
	const kernelGroup = 1
	socket, err := unix.Socket(unix.AF_NETLINK, unix.SOCK_DGRAM|unix.SOCK_NONBLOCK|unix.SOCK_CLOEXEC,
		unix.NETLINK_KOBJECT_UEVENT)
	if err == nil && unix.Bind(socket, &unix.SockaddrNetlink{Family: unix.AF_NETLINK, Groups: kernelGroup}) == nil {
		m.events = socket
	} else if err == nil {
		_ = unix.Close(socket)
	}
	return m
}

func (m *messages) close() {
	for _, file := range []int{m.log, m.events} {
		if file >= 0 {
			_ = unix.Close(file)
		}
	}
}

// most that is taken at once, so that a storm of messages does not hold a
// measurement up.
const mostMessages = 256

// take gives what has come since it was called last.
func (m *messages) take() []message {
	var taken []message
	buffer := make([]byte, 8192)
	for len(taken) < mostMessages && m.log >= 0 {
		length, err := unix.Read(m.log, buffer)
		if err == unix.EPIPE { // lines were overwritten before they were read
			continue
		}
		if err != nil || length <= 0 {
			break
		}
		if parsed, sound := parseLogRecord(string(buffer[:length])); sound {
			taken = append(taken, parsed)
		}
	}
	for len(taken) < 2*mostMessages && m.events >= 0 {
		length, err := unix.Read(m.events, buffer)
		if err != nil || length <= 0 {
			break
		}
		if parsed, sound := parseDeviceEvent(buffer[:length]); sound {
			taken = append(taken, parsed)
		}
	}
	return taken
}

// parseLogRecord reads "6,339,5140900,-;text" and leaves out the lines after it
// (Documentation/ABI/testing/dev-kmsg).
func parseLogRecord(record string) (message, bool) {
	head, rest, found := strings.Cut(record, ";")
	first, _, _ := strings.Cut(head, ",")
	priority, err := strconv.Atoi(first)
	if !found || err != nil {
		return message{}, false
	}
	text, _, _ := strings.Cut(rest, "\n")
	return message{text: text, priority: priority & 7}, true
}

// parseDeviceEvent reads "remove@/devices/...", which ends with a zero byte.
func parseDeviceEvent(event []byte) (message, bool) {
	first, _, _ := bytes.Cut(event, []byte{0})
	action, place, found := strings.Cut(string(first), "@")
	if !found || !strings.HasPrefix(place, "/") {
		return message{}, false
	}
	return message{text: place, priority: 6, device: action}, true
}
