package logbook

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
)

// The logbook is where each system keeps what programs remember for a user.
func TestLogbooksPlace(t *testing.T) {
	t.Parallel()
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

// What waits is found, however the address of the same database is written, and by the way in
// which the program writes it.
func TestSpoolsOfOneDatabaseAreAtOnePlace(t *testing.T) {
	t.Setenv("XDG_DATA_HOME", t.TempDir())
	places := map[string]string{}
	for _, same := range [][]string{
		{"postgres://ada@lab.example/log", "postgres://ada@LAB.example/log", "postgres://ada@lab.example:5432/log/",
			"postgres://ada@lab.example/log?sslmode=verify-full", "postgres://ada@lab.example/log?port=5432"},
		{"postgres://ada@lab.example:5599/log", "postgres://ada@lab.example/log?port=5599"},
		{"postgres://ada@/log?host=/run/pg", "postgres://ada@/log?port=5432&host=/run/pg"},
		{"postgres://ada@/log?host=/run/pg&port=5599", "postgres://ada@:5599/log?host=/run/pg"},
		{"postgres://ada@[::1]/log", "postgres://ada@[::1]:5432/log"},
		{"postgres://ada@[::1]:5599/log"}, {"postgres://bench@lab.example/log"}, {"postgres://ada@lab.example/other"},
	} {
		want := waitsAt(same[0])
		if other, known := places[want]; known {
			t.Errorf("%s and %s share a place", same[0], other)
		}
		places[want] = same[0]
		for _, text := range same {
			address, err := parseAddress(text)
			if err != nil {
				t.Fatal(err)
			}
			for _, way := range []string{text, canonical(address)} {
				if got := waitsAt(way); got != want {
					t.Errorf("of %s what waits is at %s, and of %s at %s", way, got, same[0], want)
				}
			}
		}
	}
}

// However a server on another machine is named, it has to show a certificate that holds, and there
// is no way beside.
func TestServersElsewhereAreChecked(t *testing.T) {
	services := filepath.Join(t.TempDir(), "services")
	if err := os.WriteFile(services, []byte("[far]\nhost=lab.example\n[near]\nhost=/run/lab\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	t.Setenv("PGSERVICEFILE", services)
	for _, c := range []struct {
		place, host, mode string
		elsewhere         bool
	}{
		{"postgres://ada@lab.example/log", "", "", true},
		{"postgres://ada@10.0.0.5/log", "", "", true},
		{"postgres://ada@[fd00::5]:5433/log", "", "", true},
		{"postgres://ada@localhost/log?host=10.0.0.5", "", "", true},
		{"postgres:///log?host=/run/lab,10.0.0.5", "", "", true},
		{"postgres://ada@localhost,lab.example/log", "", "", true},
		{"postgres:///log", "lab.example", "", true},
		{"postgres:///log?service=far", "", "", true},
		{"postgres:///log?service=far", "", "verify-full", true},
		{"postgres://ada@lab.example/log", "", "verify-full", true},
		{"postgres://ada@localhost/log", "", "", false},
		{"postgres://ada@127.0.0.3/log", "", "", false},
		{"postgres://ada@[::1]/log", "", "", false},
		{"postgres:///log?host=/run/lab", "", "", false},
		{"postgres:///log?service=near", "", "", false},
		{"postgres:///log", "/run/lab", "", false},
	} {
		t.Setenv("PGHOST", c.host)
		t.Setenv("PGSSLMODE", c.mode)
		config, err := connection(c.place, settings{})
		if err != nil {
			t.Errorf("%s: %v", c.place, err)
			continue
		}
		ways := []*pgconn.FallbackConfig{{Host: config.Host, TLSConfig: config.TLSConfig}}
		checked := true
		for _, way := range append(ways, config.Fallbacks...) {
			checked = checked && (strings.HasPrefix(way.Host, "/") ||
				way.TLSConfig != nil && !way.TLSConfig.InsecureSkipVerify && way.TLSConfig.ServerName == way.Host)
		}
		if c.elsewhere && !checked {
			t.Errorf("%s with the host %q can be reached unchecked", c.place, c.host)
		}
		if !c.elsewhere && checked && !strings.HasPrefix(config.Host, "/") {
			t.Errorf("%s with the host %q is on this machine, and needs a certificate", c.place, c.host)
		}
	}
	for _, mode := range []string{"disable", "allow", "prefer", "require"} {
		t.Setenv("PGSSLMODE", mode)
		for _, place := range []string{"postgres:///log?service=far", "postgres://ada@localhost/log?host=10.0.0.5",
			"postgres:///log?host=/run/lab,10.0.0.5"} {
			if _, err := connection(place, settings{}); err == nil || !strings.Contains(err.Error(), "does not check") {
				t.Errorf("%s, %s: %v", place, mode, err)
			}
		}
	}
}
