package target

import (
	"bytes"
	"testing"
)

func TestContentsAreRecognised(t *testing.T) {
	for _, s := range signatures {
		device := make([]byte, 1<<20)
		copy(device[s.offset:], s.magic)
		if got, err := contents(bytes.NewReader(device)); err != nil || got != s.what {
			t.Errorf("%s is recognised as %q, %v", s.what, got, err)
		}
	}
}

func TestAnEmptyDeviceHoldsNothing(t *testing.T) {
	for _, size := range []int{0, 100, 512, 1 << 20} {
		if got, err := contents(bytes.NewReader(make([]byte, size))); err != nil || got != "" {
			t.Errorf("%d zeros are recognised as %q, %v", size, got, err)
		}
	}
}
