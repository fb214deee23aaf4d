package cli_test

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/move"
	"opengauge/core/record/session"
)

// What practitioners ask, on simulated parts whose answer is known. Each of these was once
// answered wrongly.

// simulated measures parts, each "NAME: arguments of measure".
func simulated(t *testing.T, runs ...string) desk {
	t.Helper()
	d := newDesk(t)
	for _, run := range runs {
		name, rest, _ := strings.Cut(run, ": ")
		d.must(append([]string{"measure", "--name", name}, strings.Fields(rest)...)...)
	}
	return d
}

func TestRepeatedCopiesBeginInTheSameState(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	copies := func(arguments ...string) session.Session {
		return decode[session.Session](t, d.must(append([]string{"copy", "sim:curlew", "sim:dunlin", "--set", "large-file",
			"--size", "100GB", "--to-through", "barnacle", "--json"}, arguments...)...))
	}
	alone := copies("--copies-only").Copies[0].ElapsedSeconds
	s := copies("--repeat", "3")
	for _, c := range s.Copies[:3] {
		if c.Work != session.CopyWhole || !(math.Abs(c.ElapsedSeconds/alone-1) <= 0.01) {
			t.Errorf("%s %d took %.1f s, and by itself %.1f s", c.Work, c.Repeat+1, c.ElapsedSeconds, alone)
		}
	}
	if len(s.Findings) != 1 || s.Findings[0].Kind != "endpoint-bound" || !strings.Contains(s.Findings[0].Summary,
		"the source, sim:curlew, is the limit") {
		t.Errorf("found %+v", s.Findings)
	}
}

func TestALongCopySaysWhyItFell(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	out := d.must("copy", "sim:curlew", "sim:dunlin", "--set", "large-file", "--size", "400GB", "--to-through", "barnacle",
		"--copies-only", "--name", "long")
	wants(t, "copy", out, "cache-exhausted", "Copy 1, large-file from sim:curlew to sim:dunlin",
		"from 560 MB/s to 190 MB/s")
	wants(t, "explain", d.must("explain", "long", "--amount", "100GB"), "at 560 MB/s, then 190 MB/s", "100 GB 2 min 59 s")
}

func TestCopiesAreComparedByTimeAndByBothChains(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, enclosure := range []string{"limpet", "barnacle"} {
		d.must("copy", "sim:sandpiper", "sim:dunlin", "--from-through", "barnacle", "--to-through", enclosure, "--set",
			"large-file,mixed-folder", "--size", "20GB", "--repeat", "3", "--name", enclosure)
	}
	made := decode[compare.Comparison](t, d.must("compare", "limpet", "barnacle", "--json"))
	var whole []compare.Row
	for _, row := range made.Rows {
		if !row.Folded {
			whole = append(whole, row)
		}
		if row.ByAmount || row.Metric != compare.Time {
			t.Errorf("%s is compared by %s, by amounts: %v", row.Label, row.Metric, row.ByAmount)
		}
	}
	if len(made.Moves) != 0 {
		t.Errorf("a folder of small and large files goes through levels: %+v", made.Moves)
	}
	if len(whole) != 2 || whole[0].Metric != compare.Time || !(math.Abs(whole[0].Figures[0].Value/19.2-1) <= 0.02) {
		t.Errorf("rows are %+v", whole)
	}
	if !strings.Contains(made.Verdicts[0], "only destination enclosure differs") {
		t.Errorf("%q", made.Verdicts[0])
	}
}

func TestStreamsLastAsLongAsTheyAreKnownTo(t *testing.T) {
	t.Parallel()
	d := simulated(t, "disk: sim:turnstone --plan quick --through limpet",
		"flash: sim:dunlin --plan long-write --through barnacle --condition fan=on")
	list := filepath.Join(t.TempDir(), "streams.yaml")
	if err := os.WriteFile(list, []byte("streams:\n  - {name: four, data-rate: 78MB/s, at-once: 4, buffer: 256MiB}\n  - "+
		"{name: big, data-rate: 400MB/s, buffer: 2GiB}\n  - {name: little, data-rate: 20MB/s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	type answers struct {
		Streams []struct {
			Reading, Writing *struct {
				Carried, Lasting bool
				Most             int     `json:"most_at_once"`
				Until            float64 `json:"until_seconds"`
				From             string
			}
		}
	}
	disk := decode[answers](t, d.must("streams", "disk", "--streams", list, "--json")).Streams
	if r := disk[0].Reading; r.Carried || r.Most != 2 || !(math.Abs(r.Until-1.0737e9/(312e6-210e6)) <= 0.3) {
		t.Errorf("four of 78 MB/s from 210: %+v", r)
	}
	if r := disk[1].Reading; r.Carried || r.Most != 0 {
		t.Errorf("400 MB/s from 210: %+v", r)
	}
	if r := disk[2].Reading; !r.Carried || r.Lasting || !strings.Contains(r.From, "1 MiB") {
		t.Errorf("20 MB/s, recorded for five seconds: %+v", r)
	}
	if w := decode[answers](t, d.must("streams", "flash", "--streams", list, "--json")).Streams[2].Writing; !w.Lasting {
		t.Errorf("20 MB/s after the write area is full: %+v", w)
	}
}

func TestFailuresAreBlamed(t *testing.T) {
	t.Parallel()
	d := simulated(t, "w1: sim:sandpiper --plan long-write --through whelk", "w2: sim:sandpiper --plan long-write "+
		"--through whelk --seed 2", "l1: sim:sandpiper --plan long-write --through limpet",
		"l2: sim:sandpiper --plan long-write --through limpet --seed 2")
	wants(t, "isolate", d.must("isolate", "w1", "w2", "l1", "l2"), "It is enclosure whelk", "2 of 2 runs",
		"0 of 2 without", "an hour", "a TB")
	wants(t, "compare", d.must("compare", "l1", "w1"), "vanished once", "l1 did not", "dropouts")
	wants(t, "rank", d.must("rank", "w1"), "vanished once")
}

func TestPassesThatRanOnAreOneRecording(t *testing.T) {
	t.Parallel()
	d := simulated(t, "on: sim:sandpiper --plan run-on --through barnacle --condition fan=automatic")
	s := decode[struct{ Findings []session.Finding }](t, d.must("explain", "on", "--json"))
	if slices.ContainsFunc(s.Findings, func(f session.Finding) bool { return f.Kind == "unsteady" }) {
		t.Errorf("found %+v", s.Findings)
	}
	wants(t, "explain", d.must("explain", "on"), "Over 10 passes that ran on as one", "once the fan had started",
		"0 errors, 0 dropouts")
}

func TestStartsAreComparedHoweverSlow(t *testing.T) {
	t.Parallel()
	d := simulated(t, "disk: sim:turnstone --plan start --through limpet",
		"flash: sim:sandpiper --plan start --through limpet")
	made := decode[compare.Comparison](t, d.must("compare", "disk", "flash", "--json"))
	if len(made.Rows) != 1 || made.Rows[0].Metric != compare.Time || made.Rows[0].Contrasts[1].Verdict != compare.Better {
		t.Errorf("%+v", made.Rows)
	}
	wants(t, "isolate", d.must("isolate", "disk", "flash"), "drive turnstone")
}

// The fast write area of the dunlin holds 163 GB, at 2 810 MB/s; after that it writes 190.
func TestAmountsOfTheDunlin(t *testing.T) {
	t.Parallel()
	d := simulated(t, "flash: sim:dunlin --plan long-write --through barnacle --condition fan=on")
	var got struct {
		Moves  []move.Record
		Levels []move.LevelRecord
	}
	out := d.must("explain", "flash", "--amount", "100GB,400GB,3TB", "--json")
	if err := json.Unmarshal([]byte(out), &got); err != nil {
		t.Fatal(err)
	}
	area := 163.5e9
	for i, want := range []float64{100e9 / 2810e6, area/2810e6 + (400e9-area)/190e6} {
		if m := got.Moves[i]; !(math.Abs(m.Seconds/want-1) <= 0.03) || m.Extrapolated != (i == 1) {
			t.Errorf("%s: %+v, want %.1f s", m.Amount.Decimal(), m, want)
		}
	}
	if !got.Moves[2].TooLarge {
		t.Errorf("3 TB: %+v", got.Moves[2])
	}
	slow := got.Levels[0].Levels[1]
	if !(math.Abs(float64(slow.From)/area-1) <= 0.02) || !(math.Abs(float64(slow.Rate)/190e6-1) <= 0.01) {
		t.Errorf("levels are %+v", got.Levels[0].Levels)
	}
	for _, amount := range []string{"0GB", "3", "10Gb", "much"} {
		if out := d.run("explain", "flash", "--amount", amount); out.code != 2 || out.stderr == "" {
			t.Errorf("--amount %s: exit %d, %q", amount, out.code, out.stderr)
		}
	}
}

func TestReportsSayHowLongAnAmountTakes(t *testing.T) {
	t.Parallel()
	d := simulated(t, "a: sim:curlew --plan quick", "b: sim:dunlin --through barnacle --plan quick")
	words := regexp.MustCompile(`<strong>([ab])</strong>: [^<]*; 1 GB [0-9.]+ m?s\.<`)
	for _, sessions := range [][]string{{"a"}, {"a", "b"}} {
		page := filepath.Join(t.TempDir(), "page.html")
		d.must(append([]string{"report", "--out", page, "--amount", "1GB"}, sessions...)...)
		said := map[string]bool{}
		for _, match := range words.FindAllStringSubmatch(unfolded(t, page), -1) {
			said[match[1]] = true
		}
		if len(said) != len(sessions) {
			t.Errorf("of %q it says %v", sessions, said)
		}
	}
	page := filepath.Join(t.TempDir(), "none.html")
	out := d.run("report", "a", "--out", page, "--amount", "400")
	if _, err := os.Stat(page); out.code != 2 || err == nil {
		t.Errorf("an amount without a unit: exit %d, the page: %v", out.code, err)
	}
	wants(t, "report", out.stderr, "no amount with its unit")
}
