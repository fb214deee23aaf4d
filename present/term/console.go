package term

import (
	"io"
	"os"
	"strings"

	"opengauge/present/text"
)

// onlyASCII says whether a terminal shows no more than ASCII: by OPENGAUGE_ASCII, else by the
// first of the variables that say which letters a user's programs write (POSIX.1-2017, 8.2).
func onlyASCII(environment func(string) string) bool {
	if environment("OPENGAUGE_ASCII") != "" {
		return true
	}
	for _, name := range []string{"LC_ALL", "LC_CTYPE", "LANG"} {
		if value := strings.ToLower(environment(name)); value != "" {
			return !strings.Contains(value, "utf-8") && !strings.Contains(value, "utf8")
		}
	}
	return false // which says nothing, and most show more
}

// asciiWriter writes in ASCII alone.
type asciiWriter struct{ out io.Writer }

func (w asciiWriter) Write(p []byte) (int, error) {
	_, err := io.WriteString(w.out, text.ASCII(string(p)))
	return len(p), err
}

// letters returns a writer that uses the letters that the user's environment and the terminal can
// show.
func letters(out io.Writer, steered bool) io.Writer {
	if !steered || onlyASCII(os.Getenv) {
		return asciiWriter{out}
	}
	return out
}
