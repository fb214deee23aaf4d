package direct

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"
	"unsafe"
)

func TestBuffersAreAligned(t *testing.T) {
	for _, size := range []int{1, 512, Align - 1, Align, 3*Align + 7} {
		buffer := Buffer(size)
		if len(buffer) != size || cap(buffer) != size || uintptr(unsafe.Pointer(&buffer[0]))%Align != 0 {
			t.Errorf("%d bytes: length %d, capacity %d, at %p", size, len(buffer), cap(buffer), &buffer[0])
		}
		if up := Up(size); up < size || up%Align != 0 || up-size >= Align {
			t.Errorf("%d goes up to %d", size, up)
		}
	}
	if Up(0) != 0 {
		t.Error("nothing goes up")
	}
}

// What is written past the cache is what others read.
func TestCreateAndOpen(t *testing.T) {
	name := filepath.Join(t.TempDir(), "file")
	file, direct, err := Create(name, 0o600)
	if err != nil {
		t.Fatal(err)
	}
	data := Buffer(2 * Align)
	for i := range data {
		data[i] = byte(i * 7)
	}
	if _, err := file.WriteAt(data, 0); err != nil {
		t.Fatalf("writing, direct %v: %v", direct, err)
	}
	if err := file.Close(); err != nil {
		t.Fatal(err)
	}
	if seen, err := os.ReadFile(name); err != nil || !bytes.Equal(seen, data) {
		t.Errorf("another reads %d bytes, %v", len(seen), err)
	}
	if _, _, err := Create(name, 0o600); !os.IsExist(err) {
		t.Errorf("a file that is there is made again: %v", err)
	}
	again, direct, err := Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Close()
	back := Buffer(len(data))
	if _, err := again.ReadAt(back, 0); err != nil || !bytes.Equal(back, data) {
		t.Errorf("reading, direct %v: %v", direct, err)
	}
	if _, _, err := Open(name + ".none"); !os.IsNotExist(err) {
		t.Errorf("a file that is not there gives %v", err)
	}
}

func TestReserveTakesTheSpace(t *testing.T) {
	file, err := os.Create(filepath.Join(t.TempDir(), "file"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	if err := Reserve(file, 3*Align); err != nil {
		t.Fatal(err)
	}
	if info, err := file.Stat(); err != nil || info.Size() != 3*Align {
		t.Errorf("the file has %d bytes, %v", info.Size(), err)
	}
	if err := Drop(file); err != nil {
		t.Errorf("dropping it from the cache: %v", err)
	}
}
