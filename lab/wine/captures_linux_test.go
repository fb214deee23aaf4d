package wine

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// The captures that the survey is tested on are what their encoders write, which share
// nothing with what reads them.
func TestCapturesAreTheirEncoders(t *testing.T) {
	wanted(t)
	if _, err := exec.LookPath("python3"); err != nil {
		t.Skip("python3 is not here (make tools)")
	}
	const machine = "../../core/bench/survey/testdata/machine"
	folder := t.TempDir()
	answers := filepath.Join(folder, "windows.json")
	_, w := windowsWith(t)
	printed := w.Run(t, compile(t, filepath.Join(machine, "windows.c")))
	if err := os.WriteFile(answers, []byte(printed), 0o600); err != nil {
		t.Fatal(err)
	}
	encode := exec.Command("python3", filepath.Join(machine, "machine.py"), folder, answers)
	if out, err := encode.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	for _, name := range []string{"linux.tar.gz", "windows.tar.gz", "macos.tar.gz"} {
		made, kept := unpacked(t, filepath.Join(folder, name)), unpacked(t, filepath.Join(machine, name))
		if len(kept) == 0 || len(made) != len(kept) {
			t.Errorf("%s: %d entries are written, %d are kept", name, len(made), len(kept))
		}
		for entry, content := range made {
			if !bytes.Equal(content, kept[entry]) {
				t.Errorf("%s: %s is written differently now; run machine.py again", name, entry)
			}
		}
	}
}

// unpacked is what is in an archive, links as what they lead to.
func unpacked(t *testing.T, name string) map[string][]byte {
	t.Helper()
	file, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	packed, err := gzip.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	found := map[string][]byte{}
	for archive := tar.NewReader(packed); ; {
		header, err := archive.Next()
		if errors.Is(err, io.EOF) {
			return found
		}
		if err != nil {
			t.Fatal(err)
		}
		content, err := io.ReadAll(archive)
		if err != nil {
			t.Fatal(err)
		}
		found[header.Name] = fmt.Appendf(content, "%c %s", header.Typeflag, header.Linkname)
	}
}
