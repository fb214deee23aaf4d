package witness

import (
	"flag"
	"os"
	"strings"
	"testing"
)

// Update makes tests write their kept files anew: read the changes first.
var Update = flag.Bool("update", false, "write what is kept anew: read what changed first")

// CheckKept fails a test if a text differs from its kept file, and says where it first differs.
func CheckKept(tb testing.TB, file, text string) {
	tb.Helper()
	if *Update {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			tb.Fatal(err)
		}
	}
	kept, err := os.ReadFile(file)
	if err == nil && string(kept) == text {
		return
	}
	was := strings.Split(string(kept), "\n")
	for i, line := range strings.Split(text, "\n") {
		if i >= len(was) || was[i] != line {
			tb.Errorf("%s is not what is made now (%v): line %d is now\n%s", file, err, i+1, line)
			return
		}
	}
	tb.Errorf("%s is longer than what is made now (%v)", file, err)
}
