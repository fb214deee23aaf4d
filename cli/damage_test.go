package cli_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
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
		if got.code != 0 || !strings.Contains(words(got.stderr), "is damaged and was left out") ||
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

// words puts a text that was broken into lines together again.
func words(text string) string { return strings.Join(strings.Fields(text), " ") }

// bomb is a list of empty passes, which takes a thousand times its length in memory.
func bomb(t *testing.T) []byte {
	t.Helper()
	encoder, err := zstd.NewWriter(nil)
	if err != nil {
		t.Fatal(err)
	}
	defer encoder.Close()
	return encoder.EncodeAll([]byte("["+strings.Repeat("{},", 7<<20/3)+"{}]"), nil)
}

// A row that cannot be used costs nothing but itself: whatever is asked of the logbook is answered of all
// others, and the row is named. None takes much memory.
func TestADamagedRowCostsItself(t *testing.T) {
	t.Parallel()
	damages := map[string]struct {
		statement string
		argument  any
		named     string
		unlisted  bool // a list has no place for it
	}{
		"a date":     {`UPDATE sessions SET started_ms = 9223372036854775 WHERE name = $1`, "two", "", true},
		"a document": {`UPDATE sessions SET document = '{' WHERE name = $1`, "two", "session", false},
		"another's":  {`UPDATE sessions SET document = replace(document, '"id":"', '"id":"x') WHERE name = $1`, "two", "session", false},
		"a name": {`UPDATE sessions SET document = replace(document, '"name":"two"', '"name":"\u001b[2J"') WHERE name = $1`,
			"two", "session", false},
		"a bomb": {`UPDATE pass_lists SET document = $1, digest = $1 WHERE session = (SELECT id FROM sessions WHERE name = 'two')`,
			bomb(t), "session", false},
		"samples": {`UPDATE passes SET samples = $1 WHERE session = (SELECT id FROM sessions WHERE name = 'two')`,
			bomb(t), "", false},
		"a quote":     {`UPDATE quotes SET document = '{' || $1`, "", "quoted figure", false},
		"a figure":    {`UPDATE entries SET mean = 9e999 * $1`, 1.0, "", false},
		"an infinity": {`UPDATE figures SET value = 9e999 * $1`, 1.0, "", false},
	}
	d := newDesk(t)
	for _, name := range []string{"one", "two", "three"} {
		d.must("measure", "sim:dunlin", "--hold", "1s", "--name", name, "--condition", "deck="+name[:2])
	}
	d.must("logbook", "quote", "dunlin", "write sequential 1 MiB, depth 8", "2900MB/s", "--source", "a paper")
	whole := filepath.Join(t.TempDir(), "whole.db")
	d.must("logbook", "backup", whole)
	for name, c := range damages {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			damaged := newDesk(t)
			if err := os.WriteFile(damaged.logbook, must1(os.ReadFile(whole))(t), 0o600); err != nil {
				t.Fatal(err)
			}
			database, err := sql.Open("sqlite", damaged.logbook)
			if err != nil {
				t.Fatal(err)
			}
			if _, err := database.Exec(c.statement, c.argument); err != nil {
				t.Fatal(err)
			}
			if err := database.Close(); err != nil {
				t.Fatal(err)
			}
			for _, line := range []string{"logbook list --json", "logbook list", "logbook list --name o",
				"logbook list --plan quick",
				"logbook export --all", "logbook quote", "rank one", "rank one --json", "compare one three", "compare --by deck",
				"explain three",
				"logbook backup " + filepath.Join(t.TempDir(), "copy.db"), "logbook retention",
				"logbook check --repair " + filepath.Join(t.TempDir(), "saved.db")} {
				var got outcome
				took := allocated(func() { got = damaged.run(strings.Fields(line)...) })
				if got.code != 0 {
					t.Errorf("%s: exit %d: %s", line, got.code, got.stderr)
				}
				if strings.Contains(line, "--json") && !json.Valid([]byte(got.stdout)) {
					t.Errorf("%s prints no JSON: %s", line, got.stdout)
				}
				if took > 256<<20 {
					t.Errorf("%s takes %d MB", line, took>>20)
				}
				reads := strings.HasPrefix(line, "logbook export") || line == "compare --by deck" && name == "a bomb"
				if reads && c.named == "session" && !strings.Contains(words(got.stderr), "is damaged and was left out") ||
					line == "logbook quote" && c.named == "quoted figure" &&
						!strings.Contains(words(got.stderr), "quoted figure 1 is damaged") ||
					line == "logbook list --json" && c.unlisted && !strings.Contains(words(got.stderr), "which is no date") {
					t.Errorf("%s: it is not named: %s", line, got.stderr)
				}
			}
			if got := damaged.run("logbook", "check"); got.code != 1 && c.named == "session" {
				t.Errorf("a check finds nothing: exit %d: %s", got.code, got.stdout)
			}
		})
	}
}

// allocated returns how many bytes a function allocates; others that run beside it count too.
func allocated(do func()) uint64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	do()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}
