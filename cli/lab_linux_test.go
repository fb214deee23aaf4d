package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/storage/witness"
)

// labDesk is a desk whose logbook is a new database of a server.
func labDesk(t *testing.T) desk {
	t.Helper()
	server := witness.SharedPostgres(t)
	t.Setenv("XDG_DATA_HOME", t.TempDir())
	return desk{t: t, logbook: server.Address("keeper", server.NewDatabase(t))}
}

// Every command prints the same, whether sessions are in a file or on a server.
func TestAServerPrintsWhatAFileDoes(t *testing.T) {
	d := labDesk(t)
	d.must("logbook", "import", "../examples/sessions.json.gz")
	for name := range printed {
		kept, err := os.ReadFile(filepath.Join(golden, name+".txt"))
		if err != nil {
			t.Fatal(err)
		}
		if got := d.printed(name); got != string(kept) {
			t.Errorf("%s, on a server:\n%s\nand in a file:\n%s", name, got, kept)
		}
	}
}

// What changes a logbook changes one on a server too.
func TestALogbookOnAServerIsTakenCareOf(t *testing.T) {
	d := labDesk(t)
	folder := t.TempDir()
	d.must("logbook", "import", "../examples/sessions.json.gz")
	d.must("logbook", "tag", "dunlin-long", "deck")
	d.must("logbook", "note", "dunlin-long", "the fan was loud")
	d.must("logbook", "quote", "sandpiper", "read sequential 1 MiB, depth 8", "2900MB/s", "--source", "a leaflet")
	if got := d.must("logbook", "list", "--tag", "deck"); !strings.Contains(got, "dunlin-long") {
		t.Errorf("by its tag:\n%s", got)
	}
	whole := d.must("logbook", "export", "--all")
	backup := filepath.Join(folder, "backup.db")
	d.must("logbook", "backup", backup)
	file := desk{t: t, logbook: backup}
	if got := file.must("logbook", "export", "--all"); got != whole {
		t.Error("a backup of a server's logbook does not hold what that holds")
	}
	file.must("logbook", "check")
	second := labDesk(t)
	second.must("logbook", "import", backup)
	if got := second.must("logbook", "export", "--all"); got != whole {
		t.Error("what was merged is not what was in the other logbook")
	}
	if got := d.must("logbook", "check"); !strings.Contains(got, "nothing is damaged") {
		t.Errorf("check: %s", got)
	}
	d.must("logbook", "remove", "dunlin-long", "--yes")
	if got := d.run("logbook", "show", "dunlin-long"); got.code != 1 {
		t.Errorf("a removed session is shown: %+v", got)
	}
}
