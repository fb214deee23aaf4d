package logbook

import (
	"path/filepath"
	"testing"
)

// The logbook is where each system keeps what programs remember for a user.
func TestLogbooksPlace(t *testing.T) {
	for _, c := range []struct {
		system      string
		environment map[string]string
		there       string // a logbook that is there already
		want        string
	}{
		{"linux", nil, "", "home/.local/share/opengauge/logbook.db"},
		{"freebsd", nil, "", "home/.local/share/opengauge/logbook.db"},
		{"linux", map[string]string{"XDG_DATA_HOME": "data"}, "", "data/opengauge/logbook.db"},
		{"linux", map[string]string{"LOCALAPPDATA": "local"}, "", "home/.local/share/opengauge/logbook.db"},
		{"darwin", nil, "", "home/Library/Application Support/opengauge/logbook.db"},
		{"darwin", map[string]string{"XDG_DATA_HOME": "data"}, "", "data/opengauge/logbook.db"},
		{"windows", map[string]string{"LOCALAPPDATA": "local"}, "", "local/opengauge/logbook.db"},
		{"windows", map[string]string{"LOCALAPPDATA": "local"}, "home/.local/share/opengauge/logbook.db",
			"home/.local/share/opengauge/logbook.db"},
		{"darwin", map[string]string{"XDG_DATA_HOME": "data"}, "home/.local/share/opengauge/logbook.db",
			"data/opengauge/logbook.db"},
		{"darwin", nil, "home/Library/Application Support/opengauge/logbook.db",
			"home/Library/Application Support/opengauge/logbook.db"},
		{"windows", nil, "", "home/.local/share/opengauge/logbook.db"},
	} {
		got := dataFile(c.system, "home", func(name string) string { return c.environment[name] },
			func(path string) bool { return path == filepath.FromSlash(c.there) })
		if got != filepath.FromSlash(c.want) {
			t.Errorf("%s with %v: %s, want %s", c.system, c.environment, got, c.want)
		}
	}
}

// $OPENGAUGE_LOGBOOK is above all.
func TestLogbookThatTheEnvironmentNames(t *testing.T) {
	t.Setenv("OPENGAUGE_LOGBOOK", "elsewhere.db")
	if path, err := DefaultPlace(); path != "elsewhere.db" || err != nil {
		t.Errorf("it is at %s, %v", path, err)
	}
	data := t.TempDir()
	t.Setenv("OPENGAUGE_LOGBOOK", "")
	t.Setenv("XDG_DATA_HOME", data)
	if path, err := DefaultPlace(); path != filepath.Join(data, "opengauge", "logbook.db") || err != nil {
		t.Errorf("it is at %s, %v", path, err)
	}
}
