package text

import (
	"os"
	"path/filepath"
	"testing"
	"unicode/utf8"
)

// Every sign that any output of the program has becomes one letter of ASCII, so that columns
// stay where they are.
func TestEverySignHasALetter(t *testing.T) {
	files, err := filepath.Glob("../../cli/testdata/golden/*")
	if err != nil || len(files) < 20 {
		t.Fatalf("%d outputs, %v", len(files), err)
	}
	seen := 0
	for _, file := range files {
		shown, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, r := range string(shown) {
			if r < utf8.RuneSelf {
				continue
			}
			seen++
			if letter := ASCII(string(r)); len(letter) != 1 || letter == "?" {
				t.Errorf("%s: %q becomes %q", filepath.Base(file), r, letter)
			}
		}
	}
	if seen < 1000 {
		t.Errorf("only %d signs are in all outputs", seen)
	}
}

func TestASCII(t *testing.T) {
	for shown, want := range map[string]string{
		"": "", "plain": "plain", "42 °C → 3 × 4": "42  C > 3 x 4", "⠀⣀⠤": " **", "größe ☃": "gr??e ?", "█▁": "#_",
		"\x1b[1mbold\x1b[0m": "\x1b[1mbold\x1b[0m",
	} {
		if got := ASCII(shown); got != want {
			t.Errorf("%q becomes %q, want %q", shown, got, want)
		}
	}
}
