package survey

import (
	"testing"
)

func TestParseTheKernelsMessages(t *testing.T) {
	cases := []struct {
		record string
		want   message
		sound  bool
	}{
		{"4,1092,7012345,-;nvme nvme0: timeout\n SUBSYSTEM=nvme\n", message{"nvme nvme0: timeout", 4, ""}, true},
		{"30,1,2,-;text; with semicolon", message{"text; with semicolon", 6, ""}, true},
		{"no record", message{}, false}, {"", message{}, false}, {"x,1;y", message{}, false},
	}
	for _, c := range cases {
		if got, sound := parseLogRecord(c.record); sound != c.sound || got != c.want {
			t.Errorf("%q is %+v, %v", c.record, got, sound)
		}
	}
	got, sound := parseDeviceEvent([]byte("remove@/devices/virtual/block/loop0\x00ACTION=remove\x00"))
	if !sound || got != (message{"/devices/virtual/block/loop0", 6, "remove"}) {
		t.Errorf("the event is %+v, %v", got, sound)
	}
	if _, sound := parseDeviceEvent([]byte("libudev\x00\xfe\xed")); sound {
		t.Error("a message that is not the kernel's is taken")
	}
}

// Listening works, or quietly does not, whatever this program may do here.
func TestListening(t *testing.T) {
	m := openMessages()
	defer m.close()
	m.take()
}
