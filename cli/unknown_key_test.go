package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// An unknown key in any file that people write is answered in the same way: with its
// place, and the key that was meant.
func TestUnknownKeysNameTheNearestEverywhere(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("measure", "sim:curlew", "--plan", "quick-read", "--name", "read")
	for name, each := range map[string]struct {
		source, want string
		arguments    []string
	}{
		"a plan": {"plan: p\nsteps:\n  - sweep: {operation: read, acess: random, block: 4KiB, depth: 1}\n",
			`:3:30: unknown key "acess"; did you mean "access"?`, []string{"plan", "check"}},
		"a bench book": {"drives:\n  godwit: {capasity: 1TB}\n",
			`:2:12: unknown key "capasity"; did you mean "capacity"?`,
			[]string{"foresee", "read", "--through", "godwit", "--bench"}},
		"a list of streams": {"streams:\n  - {name: film, data-rat: 20MB/s}\n",
			`unknown key "data-rat"; did you mean "data-rate"?`, []string{"streams", "read", "--streams"}},
		"a script": {"script:\n  - {at: 1s, latancy: 5ms}\n",
			`unknown key "latancy"; did you mean "latency"?`,
			[]string{"standin", "volume", "--listen", filepath.Join(t.TempDir(), "socket"), "--script"}},
	} {
		file := filepath.Join(t.TempDir(), "own.yaml")
		if err := os.WriteFile(file, []byte(each.source), 0o600); err != nil {
			t.Fatal(err)
		}
		got := d.run(append(each.arguments, file)...)
		if got.code != 2 || !strings.Contains(got.stderr, each.want) {
			t.Errorf("%s: exit %d, %s\nwant %s", name, got.code, got.stderr, each.want)
		}
	}
}
