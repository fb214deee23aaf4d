package text

import "testing"

func TestClean(t *testing.T) {
	for text, want := range map[string]string{
		"drive\x1b[31m\x07": "drive·[31m·", "a\u202eb\u2066c": "a·b·c", "lines\nand\ttabs": "lines\nand\ttabs",
		"1 µs ± 2 %": "1 µs ± 2 %", "": "", "\u200f\u009b": "··", "a\r\n": "a·\n",
	} {
		if got := Clean(text); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}
