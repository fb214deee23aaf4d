package target

import (
	"errors"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/bench/survey"
)

// The made-up machine of the survey's captures, on the systems whose survey says what is on
// which device.
func machine(t *testing.T, system string) *survey.Machine {
	t.Helper()
	m, err := survey.Under(filepath.Join("../../bench/survey/testdata/machine", system+".tar.gz"))
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// Only a whole device that is named by its serial number, that nothing is mounted from, and
// that is not the system's, is overwritten; one that holds something when that is said too.
func TestGuardsOfOtherSystems(t *testing.T) {
	home := map[string]string{"windows": `C:\Windows`, "macos": "/"}
	empty := func() (string, error) { return "", nil }
	full := func() (string, error) { return "a GPT partition table", nil }
	unreadable := func() (string, error) { return "", errors.New("it cannot be read") }
	for _, c := range []struct {
		system, path string
		options      PathOptions
		holds        func() (string, error)
		refused      string // empty for allowed
	}{
		{"windows", `\\.\PhysicalDrive3`, PathOptions{Overwrite: "TW-0004"}, empty, ""},
		{"windows", `\\.\physicaldrive3`, PathOptions{Overwrite: "TW-0004"}, empty, ""},
		{"windows", `\\.\PhysicalDrive3`, PathOptions{Overwrite: "TW-0001"}, empty,
			"has to give its serial number, TW-0004"},
		{"windows", `\\.\PhysicalDrive3`, PathOptions{}, empty, "has to give its serial number"},
		{"windows", `\\.\PhysicalDrive3`, PathOptions{Overwrite: "TW-0004"}, full, "it holds a GPT partition table"},
		{"windows", `\\.\PhysicalDrive3`, PathOptions{Overwrite: "TW-0004"}, unreadable, "cannot be read"},
		{"windows", `\\.\PhysicalDrive3`, PathOptions{Overwrite: "TW-0004", OverwriteContents: true}, full, ""},
		{"windows", `\\.\PhysicalDrive0`, PathOptions{Overwrite: "TW-0001", OverwriteContents: true}, empty,
			"it is the system disk"},
		{"windows", `\\.\PhysicalDrive1`, PathOptions{Overwrite: "TW-0002", OverwriteContents: true}, empty,
			`mounted at E:\`},
		{"windows", `\\.\E:`, PathOptions{Overwrite: "TW-0002", OverwriteContents: true}, empty, "a part of a device"},
		{"windows", `\\.\PhysicalDrive9`, PathOptions{Overwrite: `\\.\PhysicalDrive9:0`}, empty,
			"does not tell what is mounted"},
		{"macos", "/dev/rdisk3", PathOptions{Overwrite: "TW-0004"}, empty, ""},
		{"macos", "/dev/disk3", PathOptions{Overwrite: "TW-0004"}, empty, ""},
		{"macos", "/dev/rdisk0", PathOptions{Overwrite: "TW-0001", OverwriteContents: true}, empty,
			"it is the system disk"},
		{"macos", "/dev/rdisk1", PathOptions{Overwrite: "TW-0002", OverwriteContents: true}, empty,
			"mounted at /Volumes/limpet"},
		{"macos", "/dev/rdisk1s1", PathOptions{Overwrite: "TW-0002", OverwriteContents: true}, empty,
			"a part of a device"},
		// The container that the system runs from is a disk of its own by name only.
		{"macos", "/dev/rdisk5", PathOptions{Overwrite: "TW-0001", OverwriteContents: true}, empty,
			"a part of a device"},
		{"macos", "/dev/rdisk77", PathOptions{Overwrite: "x"}, empty, "does not tell what is mounted"},
	} {
		found := surveyDevice(machine(t, c.system), c.path, home[c.system])
		err := found.mayOverwrite(c.options, c.holds)
		switch {
		case c.refused == "" && err != nil:
			t.Errorf("%s: %s is refused: %v", c.system, c.path, err)
		case c.refused != "" && (err == nil || !strings.Contains(err.Error(), c.refused)):
			t.Errorf("%s: %s with %+v: %v, want %q", c.system, c.path, c.options, err, c.refused)
		}
	}
	// A system whose own place is not found tells too little of what is mounted.
	lost := surveyDevice(machine(t, "windows"), `\\.\PhysicalDrive3`, `X:\Windows`)
	if err := lost.mayOverwrite(PathOptions{Overwrite: "TW-0004"}, empty); err == nil ||
		!strings.Contains(err.Error(), "which disk it runs from") {
		t.Errorf("where the system is not found: %v", err)
	}
	// So does one that has something mounted, and does not tell of which disk.
	lost = surveyDevice(machine(t, "windows"), `\\.\PhysicalDrive3`, `C:\Windows`)
	lost.unplaced = []string{`F:\`}
	if err := lost.mayOverwrite(PathOptions{Overwrite: "TW-0004"}, empty); err == nil ||
		!strings.Contains(err.Error(), `which disk F:\ is on`) {
		t.Errorf("where a volume's disk is not told: %v", err)
	}
}

// What came back is the same device by its serial number and its size.
func TestWhatCameBackIsTheSame(t *testing.T) {
	found := surveyDevice(machine(t, "windows"), `\\.\PhysicalDrive3`, `C:\Windows`)
	stranger := new(StrangerError)
	if err := found.same("TW-0004", 2000398934016); err != nil {
		t.Errorf("the same device is not: %v", err)
	}
	if err := found.same("TW-0005", found.size); !errors.As(err, &stranger) {
		t.Errorf("another serial number: %v", err)
	}
	if err := found.same("TW-0004", found.size+1); !errors.As(err, &stranger) {
		t.Errorf("another size: %v", err)
	}
}
