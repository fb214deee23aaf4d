package windows

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"opengauge/core/storage/witness"
)

// header is what a C program prints that knows the headers of Windows as another project
// wrote them (MinGW-w64), and of this program nothing but names.
func header(t *testing.T) []string {
	t.Helper()
	compiler, err := exec.LookPath("x86_64-w64-mingw32-gcc")
	if err != nil {
		t.Skip("x86_64-w64-mingw32-gcc is not here (make tools)")
	}
	var body strings.Builder
	for _, f := range fields {
		fmt.Fprintf(&body, "FIELD(%s, %s)\n", f.Structure, f.Name)
	}
	for _, n := range numbers {
		fmt.Fprintf(&body, "NUMBER(%s)\n", n.Name)
	}
	for _, k := range keys {
		fmt.Fprintf(&body, "KEY(%s)\n", k.Name)
	}
	fmt.Fprintf(&body, "CLASS(GUID_DEVINTERFACE_DISK)\nCLASS(GUID_DEVINTERFACE_USB_HUB)\n")
	source, err := os.ReadFile("testdata/headers.c")
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	file, program := filepath.Join(folder, "headers.c"), filepath.Join(folder, "headers.exe")
	text := strings.Replace(string(source), "/* names */", body.String(), 1)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command(compiler, "-o", program, file).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	return strings.Split(strings.TrimSpace(strings.ReplaceAll(witness.StartWine(t).Run(t, program), "\r", "")), "\n")
}

// Every offset, size, code, enumerator and property is that of the headers.
func TestNamesAreThoseOfTheHeaders(t *testing.T) {
	printed := header(t)
	var want []string
	for _, f := range fields {
		want = append(want, fmt.Sprintf("field %s.%s %d %d", f.Structure, f.Name, f.Offset, f.Size))
	}
	for _, n := range numbers {
		want = append(want, fmt.Sprintf("number %s %d", n.Name, n.Value))
	}
	for _, k := range keys {
		want = append(want, fmt.Sprintf("key %s %s", k.Name, k.Key))
	}
	want = append(want, "class GUID_DEVINTERFACE_DISK "+classDisk, "class GUID_DEVINTERFACE_USB_HUB "+classHub)
	if len(fields) < 40 || len(numbers) < 38 || len(keys) < 10 {
		t.Errorf("only %d fields, %d numbers and %d properties are compared", len(fields), len(numbers), len(keys))
	}
	for _, line := range want {
		if !slices.Contains(printed, line) {
			t.Errorf("here it is %q", line)
		}
	}
	for _, line := range printed {
		if !slices.Contains(want, line) {
			t.Errorf("in the headers it is %q", line)
		}
	}
}
