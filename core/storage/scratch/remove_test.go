package scratch

import (
	"os"
	"path/filepath"
	"testing"
)

// One by one, all of a folder goes, and nothing that a link in it leads to.
func TestEachIsRemoved(t *testing.T) {
	kept := filepath.Join(t.TempDir(), "kept")
	folder := filepath.Join(t.TempDir(), "folder")
	if err := os.MkdirAll(filepath.Join(folder, "a", "b"), 0o700); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{kept, filepath.Join(folder, "x"), filepath.Join(folder, "a", "b", "y")} {
		if err := os.WriteFile(name, []byte("z"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Dir(kept), filepath.Join(folder, "a", "link")); err != nil {
		t.Skip("no symbolic links here: ", err)
	}
	if err := removeEach(folder); err != nil {
		t.Fatal(err)
	}
	if _, err := os.Lstat(folder); !os.IsNotExist(err) {
		t.Errorf("the folder is still there: %v", err)
	}
	if _, err := os.Stat(kept); err != nil {
		t.Errorf("what a link led to is gone: %v", err)
	}
	if err := RemoveAll(folder); err != nil {
		t.Errorf("a folder that is not there: %v", err)
	}
}
