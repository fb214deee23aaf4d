package wine

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"opengauge/core/bench/windows"
	"opengauge/core/storage/fault"
)

// compile builds a C program with MinGW-w64, whose headers of Windows are another project's.
func compile(t *testing.T, source string) string {
	t.Helper()
	compiler, err := exec.LookPath("x86_64-w64-mingw32-gcc")
	if err != nil {
		t.Skip("x86_64-w64-mingw32-gcc is not here (make tools)")
	}
	program := filepath.Join(t.TempDir(), "program.exe")
	if out, err := exec.Command(compiler, "-Wall", "-o", program, source).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	return program
}

// headers is what a C program prints of names, of which it knows nothing else.
func headers(t *testing.T, contract windows.Contract) []string {
	t.Helper()
	var body strings.Builder
	for _, f := range contract.Fields {
		fmt.Fprintf(&body, "FIELD(%s, %s)\n", f.Structure, f.Name)
	}
	for _, n := range contract.Numbers {
		fmt.Fprintf(&body, "NUMBER(%s)\n", n.Name)
	}
	for _, n := range fault.OfWindows {
		fmt.Fprintf(&body, "NUMBER(%s)\n", n.Name)
	}
	for _, k := range contract.Keys {
		fmt.Fprintf(&body, "KEY(%s)\n", k.Name)
	}
	for name := range contract.Classes {
		fmt.Fprintf(&body, "CLASS(%s)\n", name)
	}
	source, err := os.ReadFile("testdata/headers.c")
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "headers.c")
	text := strings.Replace(string(source), "/* names */", body.String(), 1)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	_, w := windowsWith(t)
	printed := w.Run(t, compile(t, file))
	return strings.Split(strings.TrimSpace(strings.ReplaceAll(printed, "\r", "")), "\n")
}

// Every offset, size, code, enumerator, property and error number is that of the headers.
func TestNamesAreThoseOfTheHeaders(t *testing.T) {
	wanted(t)
	contract := windows.TheContract()
	printed := headers(t, contract)
	var want []string
	for _, f := range contract.Fields {
		want = append(want, fmt.Sprintf("field %s.%s %d %d", f.Structure, f.Name, f.Offset, f.Size))
	}
	for _, n := range contract.Numbers {
		want = append(want, fmt.Sprintf("number %s %d", n.Name, n.Value))
	}
	for _, n := range fault.OfWindows {
		want = append(want, fmt.Sprintf("number %s %d", n.Name, n.Value))
	}
	for _, k := range contract.Keys {
		want = append(want, fmt.Sprintf("key %s %s", k.Name, k.Key))
	}
	for name, class := range contract.Classes {
		want = append(want, fmt.Sprintf("class %s %s", name, class))
	}
	if len(want) < 120 {
		t.Errorf("only %d names are compared", len(want))
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
