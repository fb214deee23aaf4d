package cli_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Of a damaged logbook all that can be read is saved, and the rest is named: by an export, a
// repair and an import alike.
func TestADamagedLogbookIsSaved(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	for _, name := range []string{"one", "two", "three"} {
		d.must("measure", "sim:dunlin", "--hold", "1s", "--name", name)
	}
	sound := filepath.Join(folder, "sound.db")
	d.must("logbook", "backup", sound)
	content := must1(os.ReadFile(sound))(t)
	// Before the last one there may be what was overwritten.
	at := bytes.LastIndex(content, []byte(`"format":"opengauge.session/1"`))
	if at < 0 {
		t.Fatal("the logbook's documents are not where this test looks for them")
	}
	content[at+15] ^= 0x40
	damaged := filepath.Join(folder, "damaged.db")
	if err := os.WriteFile(damaged, content, 0o600); err != nil {
		t.Fatal(err)
	}
	saved, other, exported := filepath.Join(folder, "saved.db"), filepath.Join(folder, "other.db"),
		filepath.Join(folder, "saved.json")
	for name, arguments := range map[string][]string{
		"a repair":  {"logbook", "check", "--repair", saved, "--logbook", damaged},
		"an import": {"logbook", "import", damaged, "--logbook", other},
		"an export": {"logbook", "export", "--all", "--out", exported, "--logbook", damaged},
	} {
		got := d.run(arguments...)
		if got.code != 1 || !strings.Contains(got.stderr, "is damaged and was left out") ||
			!strings.Contains(got.stdout+got.stderr, "2 sessions") {
			t.Errorf("%s: exit %d: %s%s", name, got.code, got.stdout, got.stderr)
		}
	}
	d.must("logbook", "import", exported, "--logbook", filepath.Join(folder, "third.db"))
	for _, made := range []string{saved, other, filepath.Join(folder, "third.db")} {
		wants(t, filepath.Base(made), d.must("logbook", "check", "--logbook", made), "2 sessions, and nothing is damaged")
	}
	if got := d.run("logbook", "check", "--repair", saved); got.code == 0 {
		t.Error("a repair replaces a logbook that is there")
	}
}
