package claim

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
)

func TestAFileIsClaimedOnce(t *testing.T) {
	name := filepath.Join(t.TempDir(), "file")
	open := func() *os.File {
		file, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE, 0o600)
		if err != nil {
			t.Fatal(err)
		}
		return file
	}
	first, second := open(), open()
	if err := File(first); err != nil {
		t.Fatal(err)
	}
	if err := File(second); !errors.Is(err, ErrHeld) {
		t.Errorf("it is claimed twice: %v", err)
	}
	_ = first.Close()
	if err := File(second); err != nil {
		t.Errorf("it is still held when its owner has let go: %v", err)
	}
	_ = second.Close()
	if err := File(second); err == nil || errors.Is(err, ErrHeld) {
		t.Errorf("a closed file: %v", err)
	}
}
