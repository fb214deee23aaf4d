package input

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
)

func TestReadFile(t *testing.T) {
	folder := t.TempDir()
	small := filepath.Join(folder, "small")
	large := filepath.Join(folder, "large")
	for name, size := range map[string]int{small: 100, large: 101} {
		if err := os.WriteFile(name, bytes.Repeat([]byte("x"), size), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if content, err := ReadFile(small, 100); err != nil || len(content) != 100 {
		t.Errorf("of 100 bytes %d are read, %v", len(content), err)
	}
	if _, err := ReadFile(large, 100); !errors.Is(err, ErrTooLarge) || !strings.Contains(err.Error(), large) {
		t.Errorf("a file that is too large: %v", err)
	}
	if _, err := ReadFile(folder, 100); err == nil || !strings.Contains(err.Error(), "is a folder") {
		t.Errorf("a folder: %v", err)
	}
	if _, err := ReadFile(filepath.Join(folder, "none"), 100); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("no file: %v", err)
	}
	if runtime.GOOS == "windows" {
		return
	}
	if _, err := ReadFile("/dev/zero", 1000); !errors.Is(err, ErrTooLarge) {
		t.Errorf("a file without an end: %v", err)
	}
}

func TestLines(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		ok   bool
	}{
		"short ones":  {strings.Repeat("1,2,3\n", 1_000_000), true},
		"the longest": {strings.Repeat("1", Line) + "\n" + strings.Repeat("2", Line), true},
		"too long":    {"1,2\n" + strings.Repeat("1", Line+1), false},
	} {
		read, err := io.Copy(io.Discard, Lines(strings.NewReader(c.text)))
		if (err == nil) != c.ok || c.ok && read != int64(len(c.text)) {
			t.Errorf("%s: %d of %d bytes, %v", name, read, len(c.text), err)
		}
	}
}
