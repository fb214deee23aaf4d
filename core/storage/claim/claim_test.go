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

// Only what a dead program left is found, and it is removed however open it is.
func TestWhatTheDeadLeft(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "file")
	if err := os.WriteFile(path, []byte("it wrote"), 0o600); err != nil {
		t.Fatal(err)
	}
	living, err := Dead(path)
	if err != nil || living == nil {
		t.Fatalf("of a dead program's file: %v, %v", living, err)
	}
	if again, err := Dead(path); again != nil || err != nil {
		t.Errorf("of one that is claimed: %v, %v", again, err)
	}
	if err := Remove(living); err != nil {
		t.Error(err)
	}
	if _, err := Dead(path); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("of none: %v", err)
	}
	if err := os.WriteFile(path, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if young, err := Dead(path); young != nil || err != nil {
		t.Errorf("of one that was just made: %v, %v", young, err)
	}
	link := filepath.Join(folder, "link")
	if err := errors.Join(os.WriteFile(path, []byte("mine"), 0o600), os.Symlink(path, link)); err != nil {
		t.Fatal(err)
	}
	if led, err := Dead(link); led != nil || err != nil {
		t.Errorf("of a link: %v, %v", led, err)
	}
}

// What stands for something that one program does is made where it is not, and removed by whoever
// lets go of it; who waited with the old file open does not hold the new one.
func TestOneAtATime(t *testing.T) {
	path := filepath.Join(t.TempDir(), "turn")
	first, err := At(path)
	if err != nil {
		t.Fatal(err)
	}
	if second, err := At(path); second != nil || !errors.Is(err, ErrHeld) {
		t.Errorf("it is held twice: %v", err)
	}
	if err := Remove(first); err != nil {
		t.Fatal(err)
	}
	second, err := At(path)
	if err != nil {
		t.Fatalf("of one that was let go: %v", err)
	}
	if _, err := os.Lstat(path); err != nil {
		t.Errorf("it is held without a file: %v", err)
	}
	if err := Remove(second); err != nil {
		t.Error(err)
	}
	if none, err := At(filepath.Join(path, "none")); none != nil || !errors.Is(err, os.ErrNotExist) {
		t.Errorf("in no folder: %v", err)
	}
}
