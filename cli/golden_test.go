package cli_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"opengauge/lab/witness"
)

// golden is what the program printed when somebody last read it, a file for each command.
// Read what changed before you write it anew with -update.
const golden = "testdata/golden"

// printed are commands whose output depends on nothing but the recorded sessions. Their
// files have their names.
var printed = map[string][]string{
	"explain-heat":   {"explain", "limpet-passive"},
	"explain-cache":  {"explain", "dunlin-long"},
	"explain-volume": {"explain", "lagoon-burst"},
	"explain-copies": {"explain", "copies"},
	"explain-disk":   {"explain", "whelk"},
	"show":           {"logbook", "show", "limpet-quick"},
	"show-grid":      {"logbook", "show", "limpet-depth-map"},
	"show-bits":      {"logbook", "show", "limpet-quick", "--units", "bits"},
	"list":           {"logbook", "list"},
	"compare":        {"compare", "limpet-passive", "barnacle-fan-on"},
	"compare-by":     {"compare", "--by", "cable"},
	"isolate":        {"isolate", "deck-long-cable", "cabin-long-cable", "deck-short-cable", "cabin-short-cable"},
	"value":          {"value", "dunlin-long", "curlew-passive"},
	"rank":           {"rank", "limpet-passive"},
	"streams":        {"streams", "dunlin-long"},
	"foresee":        {"foresee", "limpet-quick", "--through", "deck-tablet,barnacle"},
	"link":           {"link", "deck port: usb 3.2 gen 2 > limpet: pcie 3.0 x4"},
	"plans":          {"plan", "list"},
	"plan":           {"plan", "show", "fill-ladder"},
	"plan-check":     {"plan", "check", "fill-ladder", "--size", "1TB"},
	"survey":         {"survey", "--sysroot", "../examples/cabin-desk.tar.gz"},
	"series": {"explain", "--series", "../examples/logger.csv", "--operation", "write", "--block-size",
		"1MiB", "--depth", "8"},
	"review-check":        {"review", "check", reviews + "cases.yaml"},
	"review-next":         {"review", "run", reviews + "job.yaml", "--next"},
	"review-none-yet":     {"review", "answer", reviews + "job.yaml"},
	"an-unknown-session":  {"explain", "limpet-pasive"},
	"an-unknown-plan":     {"measure", "sim:sandpiper", "--plan", "qick"},
	"an-unknown-standard": {"link", "usb 9"},
}

func TestWhatIsPrinted(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("logbook", "import", "../examples/sessions.json.gz")
	for name := range printed {
		witness.CheckKept(t, filepath.Join(golden, name+".txt"), d.printed(name))
	}
	files, err := os.ReadDir(golden)
	if err != nil || len(files) != len(printed) {
		t.Errorf("%d files for %d commands, %v", len(files), len(printed), err)
	}
}

// printed is what a command prints, with neither the place of the logbook in it nor who kept a session.
func (d desk) printed(name string) string {
	d.t.Helper()
	got := d.run(printed[name]...)
	text := "$ opengauge " + strings.Join(printed[name], " ") + "\n" + got.stdout + got.stderr
	text = keptBy.ReplaceAllString(text, "")
	return strings.ReplaceAll(text, d.logbook, "LOGBOOK")
}

var keptBy = regexp.MustCompile(`(?m)^kept by .*\n`)
