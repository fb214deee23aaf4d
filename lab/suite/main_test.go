package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const said = `{"Action":"run","Package":"a/b","Test":"TestOne"}
{"Action":"output","Package":"a/b","Test":"TestOne","Output":"    one_test.go:7: no device here\n"}
{"Action":"output","Package":"a/b","Test":"TestOne","Output":"--- SKIP: TestOne (0.00s)\n"}
{"Action":"skip","Package":"a/b","Test":"TestOne","Elapsed":0}
{"Action":"output","Package":"a/b","Test":"TestTwo","Output":"    two_test.go:9: 2 is not 3\n"}
{"Action":"fail","Package":"a/b","Test":"TestTwo","Elapsed":0.1}
{"Action":"pass","Package":"a/b","Test":"TestThree","Elapsed":0.1}
{"Action":"skip","Package":"a/b","Test":"TestFour","Elapsed":0}
{"Action":"fail","Package":"a/b","Elapsed":1.5}
compiler: it does not build
`

func TestSkipsAreCountedAndNamed(t *testing.T) {
	s := newSuite()
	out := &strings.Builder{}
	if err := s.read(strings.NewReader(said), out); err != nil {
		t.Fatal(err)
	}
	s.sum(out, 2)
	for _, want := range []string{
		"two_test.go:9: 2 is not 3", "the slowest 2:", "  0.1 s  a/b TestTwo", "it does not build",
		"1 tests passed, 1 failed, 2 were skipped", "1  no device here: TestOne", "1  no reason given: TestFour",
	} {
		if !strings.Contains(out.String(), want) {
			t.Errorf("%q is not in\n%s", want, out)
		}
	}
	file := filepath.Join(t.TempDir(), "skips")
	if err := os.WriteFile(file, []byte("# why\nno device  # a comment\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	allowed, err := reasons(file)
	if err != nil {
		t.Fatal(err)
	}
	if unknown := s.beyond(allowed); len(unknown) != 1 || unknown[0] != "no reason given" {
		t.Errorf("not allowed: %q", unknown)
	}
}
