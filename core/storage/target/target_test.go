package target

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
	"unsafe"

	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// drive submits operations and waits for all of them.
func drive(t *testing.T, q Queue, clock Target, operations ...Operation) []Completion {
	t.Helper()
	if err := q.Submit(operations); err != nil {
		t.Fatal(err)
	}
	var all []Completion
	done := make([]Completion, len(operations))
	for len(all) < len(operations) {
		filled, err := q.Wait(done, clock.Now()+10*time.Second)
		if err != nil || filled == 0 {
			t.Fatalf("waiting gives %d, %v", filled, err)
		}
		all = append(all, done[:filled]...)
	}
	return all
}

func TestFolderMakesAndRemovesItsTestFile(t *testing.T) {
	folder := t.TempDir()
	opened, err := OpenPath(folder, PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	files, _ := filepath.Glob(filepath.Join(folder, "opengauge-test-file-*.tmp"))
	if len(files) != 1 {
		t.Fatalf("test files are %v", files)
	}
	info, err := os.Stat(files[0])
	if err != nil {
		t.Fatal(err)
	}
	if info.Mode().Perm() != 0o600 && runtime.GOOS != "windows" {
		t.Errorf("the test file has mode %v, want 0600", info.Mode().Perm())
	}
	if info.Size() != int64(unit.MiB) {
		t.Errorf("the test file has %d bytes, want 1 MiB", info.Size())
	}
	second, err := OpenPath(folder, PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	if two, _ := filepath.Glob(filepath.Join(folder, "opengauge-test-file-*.tmp")); len(two) != 2 {
		t.Errorf("two test files are %v", two)
	}
	if err := second.Close(); err != nil {
		t.Fatal(err)
	}
	if err := opened.Close(); err != nil {
		t.Fatal(err)
	}
	if left, _ := os.ReadDir(folder); len(left) != 0 {
		t.Errorf("%d files are left behind", len(left))
	}
}

func TestQueueReadsBackWhatItWrote(t *testing.T) {
	opened, err := OpenPath(t.TempDir(), PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	q, err := opened.Open(Shape{Slots: 4, Block: 4096})
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	var operations []Operation
	for slot := range 4 {
		copy(q.Buffer(slot), bytes.Repeat([]byte{byte('a' + slot)}, 4096))
		operations = append(operations, Operation{Action: Write, Slot: slot, Offset: int64(slot) * 4096, Length: 4096})
	}
	for _, completion := range drive(t, q, opened, operations...) {
		if completion.Err != nil || completion.Completed < completion.Submitted {
			t.Errorf("completion %+v", completion)
		}
	}
	if flushed := drive(t, q, opened, Operation{Action: Flush}); flushed[0].Err != nil {
		t.Errorf("flush: %v", flushed[0].Err)
	}
	drive(t, q, opened, Operation{Action: Read, Slot: 0, Offset: 3 * 4096, Length: 4096})
	if got := q.Buffer(0); got[0] != 'd' || got[4095] != 'd' {
		t.Errorf("read back %q...%q, want d", got[0], got[4095])
	}
}

func TestWaitEndsAtItsTime(t *testing.T) {
	opened, err := OpenPath(t.TempDir(), PathOptions{Size: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	q, _ := opened.Open(Shape{Slots: 1, Block: 4096})
	defer q.Close()
	began := opened.Now()
	if filled, err := q.Wait(make([]Completion, 1), began+20*time.Millisecond); filled != 0 || err != nil {
		t.Errorf("an empty queue gives %d, %v", filled, err)
	}
	if waited := opened.Now() - began; waited < 20*time.Millisecond {
		t.Errorf("waited %s, want at least 20ms", waited)
	}
}

func TestExistingFileIsReadAndNotWritten(t *testing.T) {
	name := filepath.Join(t.TempDir(), "footage")
	content := bytes.Repeat([]byte("tide"), 16*1024)
	if err := os.WriteFile(name, content, 0o400); err != nil {
		t.Fatal(err)
	}
	opened, err := OpenPath(name, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	d := opened.Description()
	if d.Kind != File || d.Writable || d.Unfilled || d.Span != unit.Bytes(len(content)) {
		t.Errorf("description is %+v", d)
	}
	q, _ := opened.Open(Shape{Slots: 1, Block: 4096})
	drive(t, q, opened, Operation{Action: Read, Offset: 4096, Length: 4096})
	if !bytes.HasPrefix(q.Buffer(0), []byte("tidetide")) {
		t.Error("the file's content did not come back")
	}
	if failed := drive(t, q, opened, Operation{Action: Write, Length: 4096}); failed[0].Err == nil {
		t.Error("a write to a file that is only read went through")
	}
	_ = q.Close()
	if err := opened.Close(); err != nil {
		t.Fatal(err)
	}
	if after, _ := os.ReadFile(name); !bytes.Equal(after, content) {
		t.Error("the file was changed or removed")
	}
}

func TestFileSystemWithoutDirectIOFallsBack(t *testing.T) {
	const name = "/sys/kernel/btf/vmlinux" // sysfs has no direct I/O
	if _, err := os.Stat(name); err != nil {
		t.Skip("no file on a file system without direct I/O here: ", err)
	}
	opened, err := OpenPath(name, PathOptions{})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	if opened.Description().Direct {
		t.Error("the file is said to be read with direct I/O")
	}
	q, err := opened.Open(Shape{Slots: 1, Block: 4096})
	if err != nil {
		t.Fatal(err)
	}
	defer q.Close()
	if got := drive(t, q, opened, Operation{Action: Read, Length: 4096}); got[0].Err != nil {
		t.Errorf("reading: %v", got[0].Err)
	}
}

func TestOpenPathRefuses(t *testing.T) {
	folder := t.TempDir()
	file := filepath.Join(folder, "small")
	if err := os.WriteFile(file, []byte("x"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name, path string
		size       unit.Bytes
		want       string
	}{
		{"missing", filepath.Join(folder, "none"), 0, "no such folder or file"},
		{"not storage", os.DevNull, 0, "neither a folder nor a file"},
		{"more than there is", folder, 1 << 60, "no space"},
		{"more than the file", file, unit.MiB, "larger than"},
	} {
		opened, err := OpenPath(c.path, PathOptions{Size: c.size})
		if err == nil {
			_ = opened.Close()
		}
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v, want one with %q", c.name, err, c.want)
		}
	}
	if left, _ := os.ReadDir(folder); len(left) != 1 {
		t.Errorf("%d files are in the folder, want the one that was there", len(left))
	}
}

func TestBuffersAreAligned(t *testing.T) {
	for slot, buffer := range newBuffers(Shape{Slots: 3, Block: 512}) {
		if len(buffer) != 512 || cap(buffer) != 512 {
			t.Errorf("buffer %d has %d bytes of %d, want 512", slot, len(buffer), cap(buffer))
		}
		if past := uintptr(unsafe.Pointer(&buffer[0])) % direct.Align; past != 0 {
			t.Errorf("buffer %d is %d bytes past a page", slot, past)
		}
	}
}

func TestExplainKeepsTheCause(t *testing.T) {
	err := Explain(os.ErrPermission)
	if !errors.Is(err, os.ErrPermission) || !strings.Contains(err.Error(), "permission is denied") {
		t.Errorf("explained as %v", err)
	}
	if other := errors.New("odd"); Explain(other) != other || Explain(nil) != nil {
		t.Error("an error without advice was changed")
	}
}
