package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"opengauge/core/record/session"
)

// demoLogbook is a logbook of the recorded sessions, made once.
var demoLogbook = sync.OnceValues(func() ([]byte, error) {
	folder := filepath.Join(filepath.Dir(program), "recorded") // which goes with the program
	backup := filepath.Join(folder, "backup.db")
	if _, err := executeAll(filepath.Join(folder, "made.db"),
		[]string{"logbook", "import", "../examples/sessions.json.gz"}, []string{"logbook", "backup", backup}); err != nil {
		return nil, err
	}
	return os.ReadFile(backup)
})

// demoDesk returns a desk with the recorded sessions in its logbook.
func demoDesk(t *testing.T) desk {
	t.Helper()
	content, err := demoLogbook()
	if err != nil {
		t.Fatal(err)
	}
	d := newDesk(t)
	if err := os.WriteFile(d.logbook, content, 0o600); err != nil {
		t.Fatal(err)
	}
	return d
}

func wants(t *testing.T, what, text string, wanted ...string) {
	t.Helper()
	flat := strings.Join(strings.Fields(text), " ")
	for _, want := range wanted {
		if !strings.Contains(flat, want) {
			t.Errorf("%s: %q is not in\n%s", what, want, text)
		}
	}
}

func TestCompareCommand(t *testing.T) {
	t.Parallel()
	d := demoDesk(t)
	wants(t, "compare", d.must("compare", "barnacle-automatic", "barnacle-fan-on"),
		"(simulated)", "13 % faster", "+12.84 % to +12.93 %", "only fan differs", "longer is better")
	wants(t, "baseline", d.must("compare", "barnacle-automatic", "limpet-passive", "--baseline", "limpet-passive"),
		"against limpet-passive", "confounded", "enclosure=barnacle, fan=automatic instead of enclosure=limpet, "+
			"fan=passive", "or as near to that as the parts allow")
	wants(t, "by", d.must("compare", "--by", "cable", "--plan", "quick"), "cable=deck-cable", "times as fast",
		"Left out:")
	document := decode[map[string]any](t, d.must("compare", "barnacle-automatic", "barnacle-fan-on", "--json"))
	if document["format"] != "opengauge.comparison/1" || document["simulated"] != true {
		t.Errorf("the document is %v", document)
	}
	for _, c := range []struct {
		code      int
		want      string
		arguments []string
	}{
		{2, "needs two sessions", []string{"compare", "limpet-passive"}},
		{2, "named twice", []string{"compare", "limpet-passive", "limpet-passive"}},
		{1, "nothing to compare", []string{"compare", "limpet-passive", "lagoon-burst"}},
		{1, "no session \"none\"", []string{"compare", "limpet-passive", "none"}},
		{1, "no session says its tide", []string{"compare", "--by", "tide"}},
		{2, "--since", []string{"compare", "--by", "fan", "--since", "yesterday"}},
		{2, "two sessions at least", []string{"isolate", "limpet-passive"}},
		{1, "no session has passes on a drive or volume", []string{"value", "copies"}},
		{2, "bench book has no chain", []string{"value", "limpet-passive", "--through", "nowhere", "--bench",
			"../examples/bench.yaml"}},
	} {
		if got := d.run(c.arguments...); got.code != c.code || !strings.Contains(got.stderr, c.want) {
			t.Errorf("%q: exit %d, %q; want %d and %q", c.arguments, got.code, got.stderr, c.code, c.want)
		}
	}
}

func TestIsolateValueAndRankCommands(t *testing.T) {
	t.Parallel()
	d := demoDesk(t)
	wants(t, "value of a volume", d.must("value", "lagoon-burst"), "44.00 a month")
	wants(t, "isolate", d.must("isolate", "deck-long-cable", "cabin-long-cable", "deck-short-cable",
		"cabin-short-cable"),
		"It is cable deck-cable, with a probability of", "host deck-tablet.side deck-short-cable")
	wants(t, "isolate two", d.must("isolate", "deck-long-cable", "cabin-short-cable"), "Cannot tell yet",
		"Measure next:", "if it is slow, it is", "if it is fast, it is")
	wants(t, "value", d.must("value", "limpet-passive", "barnacle-fan-on", "dunlin-long"),
		"123.00", "steady writes", "J a GB", "From sandpiper + limpet to sandpiper + barnacle, 90 more buys",
		"25 more buys 1 TB more, and nothing for writes,", "steady writes (93 % slower)")
	wants(t, "value through", d.must("value", "barnacle-fan-on", "--through", "deck-tablet", "--bench",
		"../examples/bench.yaml"), "held by deck-tablet side")
	wants(t, "rank", d.must("rank", "deck-short-cable"), "stands among simulated PCI Express through usb 3.2 gen 2",
		"percentile")
	ranking := decode[struct {
		Loads []struct {
			Load                  string
			Others, Slower, Alike int
			Percentile            float64
		}
	}](t, d.must("rank", "limpet-quick", "--json"))
	if first := ranking.Loads[0]; first.Others != 2 || first.Alike != 2 || first.Percentile != 50 {
		t.Errorf("limpet-quick stands at %+v", first)
	}
}

// checkCaptions checks that each figure of a kit has a message, a caption and an alternative
// text, and that its pictures have their sizes.
func checkCaptions(t *testing.T, kit string, figures int) {
	t.Helper()
	file, err := os.Open(filepath.Join(kit, "figures.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil || len(rows) != figures+1 {
		t.Fatalf("%d captions of %d figures, %v", len(rows)-1, figures, err)
	}
	for _, row := range rows[1:] {
		if slices.Contains(row, "") {
			t.Errorf("something is missing of %q", row)
		}
		for behind, size := range map[string]image.Point{"": {X: 1280, Y: 800}, "-dark": {X: 1280, Y: 800},
			"-large": {X: 3840, Y: 2160}, "-large-dark": {X: 3840, Y: 2160}} {
			picture, err := os.Open(filepath.Join(kit, row[0]+behind+".png"))
			if err != nil {
				t.Error(err)
				continue
			}
			config, err := png.DecodeConfig(picture)
			if err != nil || config.Width != size.X || config.Height != size.Y {
				t.Errorf("%s%s is %d by %d, %v", row[0], behind, config.Width, config.Height, err)
			}
			_ = picture.Close()
		}
	}
}

func TestReportKit(t *testing.T) {
	t.Parallel()
	d, kit := demoDesk(t), filepath.Join(t.TempDir(), "kit")
	d.must("report", "barnacle-automatic", "barnacle-fan-on", "dunlin-full", "limpet-depth-map", "--kit", kit,
		"--title", "Fan_or *not*?", "--author", "=A(1)")
	files, err := os.ReadDir(kit)
	if err != nil {
		t.Fatal(err)
	}
	counts := map[string]int{}
	for _, file := range files {
		counts[filepath.Ext(file.Name())]++
	}
	if counts[".png"] != 4*counts[".svg"] || counts[".svg"] < 6 || counts[".csv"] < 10 || counts[".md"] != 1 {
		t.Errorf("the kit has %v", counts)
	}
	checkCaptions(t, kit, counts[".svg"])
	article, err := os.ReadFile(filepath.Join(kit, "article.md"))
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "article", string(article), `# Fan\_or \*not\*?`, "**Fan on instead of automatic: ",
		"](figure-1-comparison.png)", "## What does the money buy?", "- barnacle-fan-on: enclosure barnacle")
	if strings.Contains(string(article), "| longest |") {
		t.Error("the tables for checking are in the article")
	}
	table, err := os.Open(filepath.Join(kit, "table-comparison.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer table.Close()
	if rows, err := csv.NewReader(table).ReadAll(); err != nil || len(rows) < 3 || rows[0][0] != "load" {
		t.Errorf("the table is %v, %v", rows, err)
	}
	if got := d.run("report", "limpet-passive", "--kit", kit); got.code != 2 ||
		!strings.Contains(got.stderr, "there already") {
		t.Errorf("over another kit: %d, %s", got.code, got.stderr)
	}
	if got := d.run("report", "limpet-passive", "--kit", filepath.Join(kit, "article.md", "x")); got.code != 1 {
		t.Errorf("into a file: %d, %s", got.code, got.stderr)
	}
}

func TestExchangeCommands(t *testing.T) {
	t.Parallel()
	d, folder := demoDesk(t), t.TempDir()
	at := func(name string) string { return filepath.Join(folder, name) }
	d.must("logbook", "export", "--all", "--out", at("passes.parquet"))
	d.must("logbook", "export", "--all", "--out", at("samples.parquet"), "--table", "samples")
	d.must("logbook", "export", "--condition", "fan=on", "--out", at("on.json.zst"))
	d.must("logbook", "backup", at("backup.db"))
	want := d.must("logbook", "show", "limpet-passive", "--json")
	for _, files := range [][]string{{at("passes.parquet"), at("samples.parquet")}, {at("backup.db")}} {
		other := newDesk(t)
		wants(t, files[0], other.must(append([]string{"logbook", "import"}, files...)...),
			"added 15 sessions; 0 already there")
		wants(t, files[0], other.must(append([]string{"logbook", "import"}, files...)...),
			"added 0 sessions; 15 already there")
		if got := other.must("logbook", "show", "limpet-passive", "--json"); got != want {
			t.Errorf("%s: limpet-passive comes back different", files[0])
		}
	}
	if single := decode[session.Session](t, d.must("logbook", "export", "whelk")); single.Name != "whelk" {
		t.Errorf("one session is exported as %+v", single)
	}
	wants(t, "filtered", newDesk(t).must("logbook", "import", at("on.json.zst")), "added 3 sessions")
	for _, bad := range [][]string{
		{"logbook", "export"}, {"logbook", "export", "--all", "--out", at("x.pdf")},
		{"logbook", "export", "--all", "--format", "x"}, {"logbook", "export", "--all", "--table", "x"},
	} {
		if got := d.run(bad...); got.code != 2 {
			t.Errorf("%q: exit %d, %s", bad, got.code, got.stderr)
		}
	}
	left, _ := os.ReadDir(folder)
	if len(left) != 4 {
		t.Errorf("left behind: %v", left)
	}
}

func TestAnExportThatFailsLeavesNothing(t *testing.T) {
	t.Parallel()
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("this system has no /dev/full")
	}
	d, folder := demoDesk(t), t.TempDir()
	command := d.command("logbook", "export", "--all")
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	defer full.Close()
	command.Stdout = full
	if err := command.Run(); err == nil {
		t.Error("a full disk is no error")
	}
	if got := d.run("logbook", "export", "--all", "--out", filepath.Join(folder, "none", "x.json")); got.code != 1 {
		t.Errorf("into no folder: %d, %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
}

func TestAnonymousExport(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	d.must("measure", folder, "--hold", "20ms", "--size", "4MiB", "--name", "mine")
	got := d.run("logbook", "export", "mine", "--anonymous")
	if got.code != 0 || strings.Contains(got.stdout, folder) || !strings.Contains(got.stderr, "replaced") {
		t.Errorf("exit %d, %s; the folder's path is in the document: %v", got.code, got.stderr,
			strings.Contains(got.stdout, folder))
	}
	if host, err := os.Hostname(); err == nil && len(host) > 3 && strings.Contains(got.stdout, `"`+host+`"`) {
		t.Error("the host's name is in the document")
	}
	file := filepath.Join(folder, "x.json")
	if err := os.WriteFile(file, []byte(got.stdout), 0o600); err != nil {
		t.Fatal(err)
	}
	wants(t, "import", newDesk(t).must("logbook", "import", file), "added 1 session;")
}

func TestTagsRemoveAndCheckCommands(t *testing.T) {
	t.Parallel()
	d := demoDesk(t)
	wants(t, "tag", d.must("logbook", "tag", "whelk", "drops", "article"), "article, drops")
	wants(t, "list", d.must("logbook", "list", "--tag", "drops"), "whelk", "article, drops")
	wants(t, "list", d.must("logbook", "list", "--limit", "3"), "and 12 older ones")
	wants(t, "list", d.must("logbook", "list", "--tag", "none"), "No session in the logbook")
	if got := d.run("logbook", "tag", "whelk", "two words"); got.code != 2 {
		t.Errorf("a tag of two words: %d", got.code)
	}
	if got := d.run("logbook", "remove", "whelk"); got.code != 2 || !strings.Contains(got.stderr, "--yes") {
		t.Errorf("removing without being asked: %d, %s", got.code, got.stderr)
	}
	if got := d.run("logbook", "remove"); got.code != 2 {
		t.Errorf("removing everything: %d, %s", got.code, got.stderr)
	}
	wants(t, "remove", d.must("logbook", "remove", "--tag", "drops", "--yes"), "removed 1 session")
	wants(t, "check", d.must("logbook", "check"), "14 sessions, and nothing is damaged")
	if list := decode[struct{ Total int }](t, d.must("logbook", "list", "--json")); list.Total != 14 {
		t.Errorf("%d sessions are left", list.Total)
	}
}

// Names that came from elsewhere are shown as text everywhere.
func TestHostileSessionsAreHarmless(t *testing.T) {
	t.Parallel()
	d, folder := demoDesk(t), t.TempDir()
	document := decode[map[string]any](t, d.must("logbook", "show", "limpet-quick", "--json"))
	document["id"], document["name"] = "hostile", `=1+1 <img src=x onerror=alert(1)>`
	document["target"].(map[string]any)["address"] = "../../\x1b[31mred\x1b]0;title\x07"
	source, _ := json.Marshal(document)
	file, page := filepath.Join(folder, "h.json"), filepath.Join(folder, "h.html")
	if err := os.WriteFile(file, source, 0o600); err != nil {
		t.Fatal(err)
	}
	d.must("logbook", "import", file)
	for _, arguments := range [][]string{{"logbook", "list"}, {"compare", "limpet-quick", "hostile"},
		{"rank", "hostile"}, {"explain", "hostile"}, {"isolate", "hostile", "deck-long-cable"}} {
		if out := d.must(arguments...); strings.Contains(out, "\x1b[31mred") || strings.Contains(out, "\x07") {
			t.Errorf("%q lets a terminal escape through", arguments)
		}
	}
	d.must("report", "hostile", "limpet-quick", "--out", page, "--kit", filepath.Join(folder, "kit"))
	content, err := os.ReadFile(page)
	if err != nil || strings.Contains(string(content), "<img src=x") {
		t.Errorf("a name became markup on the page, %v", err)
	}
	article, err := os.ReadFile(filepath.Join(folder, "kit", "article.md"))
	if err != nil || strings.Contains(string(article), "<img") {
		t.Errorf("a name became markup in the article, %v", err)
	}
}

// In a terminal only long passes are drawn over time: neither those of a few seconds,
// nor each of forty copies.
func TestExplainDrawsLongPassesAlone(t *testing.T) {
	t.Parallel()
	d := demoDesk(t)
	for name, want := range map[string]int{"limpet-quick": 0, "limpet-passive": 1, "copies": 0} {
		if got := strings.Count(d.must("explain", name), "ceiling of port to limpet"); got != want {
			t.Errorf("%s: %d traces under the ceiling are drawn, want %d", name, got, want)
		}
	}
	if text := d.must("explain", "copies"); strings.Count(text, "°C") > strings.Count(text, "Why ") {
		t.Error("copies are drawn over time")
	}
}
