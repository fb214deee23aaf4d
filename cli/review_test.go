package cli_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"opengauge/core/record/session"
	"opengauge/lab/night"
)

// reviews is where the examples are.
const reviews = "../examples/reviews/"

// answered is what a test looks at of an answer.
type answered struct {
	Settled bool
	Counted int
	Runs    int
	Spread  float64 `json:"set_up_spread_share"`
	Notes   []string
	Mixed   []struct{ Effect string }
	Reasons []struct {
		Factor, From, To, Says string
		Share                  float64
		Known                  bool
	}
	Verdicts []struct {
		Given   []struct{ Factor, Level string }
		Named   string
		Settled bool
		Sure    float64
		Cheaper bool `json:"taken_because_cheaper"`
		Options []struct {
			Name, Out string
			Figure    float64
			Visits    int
		}
		Ahead *struct{ Share float64 }
	}
	Next *struct{ Cell, Why string }
}

// Cases, drives and a fan on two hosts: the fast case where the host has a fast port, and
// the cheap one where it has not; the fan is nothing that matters.
func TestTheReviewOfCases(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	a := decode[answered](t, d.must("review", "run", reviews+"cases.yaml", "--unattended", "--json"))
	if !a.Settled || len(a.Verdicts) != 2 || a.Runs < 24 || a.Runs > 61 {
		t.Fatalf("settled %v after %d runs: %+v", a.Settled, a.Runs, a.Verdicts)
	}
	below, deck := a.Verdicts[0], a.Verdicts[1]
	if !strings.HasPrefix(below.Named, "barnacle/sandpiper/") || below.Sure < 0.95 ||
		below.Given[0].Level != "cabin-desk.front" {
		t.Errorf("below deck: %+v", below)
	}
	if deck.Named != "limpet/sandpiper" || deck.Sure < 0.95 || deck.Given[0].Level != "deck-tablet" {
		t.Errorf("on deck: %+v", deck)
	}
	told := map[string]float64{}
	for _, r := range a.Reasons {
		if strings.Contains(r.Says, "cabin-desk") {
			told[r.Factor] = r.Share
		}
	}
	// The cases carry 1042 and 2810 MB/s, and the drives and the fan are no limit of those.
	if want := 1042.0/2810 - 1; !(math.Abs(told["enclosure"]-want) <= 0.03) || !(math.Abs(told["fan"]) <= 0.05) {
		t.Errorf("reasons %v, want %.3f for the enclosure", told, want)
	}
	if len(a.Mixed) != 0 || !(a.Spread >= 0.005 && a.Spread <= 0.03) {
		t.Errorf("mixed %v, spread %g", a.Mixed, a.Spread)
	}
	text := d.must("review", "answer", reviews+"cases.yaml")
	for _, want := range []string{"At host deck-tablet: limpet/sandpiper", "← the answer", "What single changes do",
		"It is said of these specimens", "Not tested: anything but cable short-cable"} {
		if !strings.Contains(text, want) {
			t.Errorf("the answer does not say %q:\n%s", want, text)
		}
	}
	again := decode[answered](t, d.must("review", "run", reviews+"cases.yaml", "--unattended", "--json"))
	if again.Runs != a.Runs {
		t.Errorf("a review that is over went on, from %d to %d runs", a.Runs, again.Runs)
	}
}

// A firmware, before and after: 18 % of the drive's own rate, of which the case hides a part.
func TestTheReviewOfAFirmware(t *testing.T) {
	t.Parallel()
	a := decode[answered](t, newDesk(t).must("review", "run", reviews+"firmware.yaml", "--unattended", "--json"))
	if !a.Settled || len(a.Verdicts) != 1 || a.Verdicts[0].Named != "1.2" {
		t.Fatalf("%+v", a.Verdicts)
	}
	// Before, the case's 2810 MB/s are the limit; after, 82 % of the drive's 2900.
	if want := 2810/(0.82*2900) - 1; !(math.Abs(a.Verdicts[0].Ahead.Share-want) <= 0.04) {
		t.Errorf("ahead by %.3f, want %.3f", a.Verdicts[0].Ahead.Share, want)
	}
	if len(a.Reasons) != 1 || !strings.Contains(a.Reasons[0].Says, "was measured on both sides, and is taken off") {
		t.Errorf("%+v", a.Reasons)
	}
}

// Five candidates for a job: one is too dear and is not measured, one does not carry the
// streams, and of the others the fastest; it is a bundle, of which no part is the reason.
func TestTheReviewOfAJob(t *testing.T) {
	t.Parallel()
	a := decode[answered](t, newDesk(t).must("review", "run", reviews+"job.yaml", "--unattended", "--json"))
	v := a.Verdicts[0]
	if !v.Settled || v.Named != "sandpiper-barnacle" {
		t.Fatalf("%+v", v)
	}
	for _, o := range v.Options {
		says := map[string]string{"dunlin-barnacle": "cost at most 220", "dunlin-limpet": "sonar"}[o.Name]
		if !strings.Contains(o.Out, says) || (o.Visits == 0) != (o.Name == "dunlin-barnacle") {
			t.Errorf("%s, visited %d times, is out because %q", o.Name, o.Visits, o.Out)
		}
	}
	for _, r := range a.Reasons {
		if r.Factor == "enclosure" || r.Factor == "fan" {
			t.Errorf("%s; and case and fan always changed together", r.Says)
		}
	}
}

// A review goes on in another logbook, with all that it needs.
func TestAReviewIsCarried(t *testing.T) {
	t.Parallel()
	d, other := newDesk(t), newDesk(t)
	folder := t.TempDir()
	pack := filepath.Join(folder, "pack.json.gz")
	d.must("review", "run", reviews+"firmware.yaml", "--unattended", "--visits", "3", "--json")
	d.must("review", "pack", reviews+"firmware.yaml", "--out", pack)
	took := other.must("review", "take", pack, "--out", filepath.Join(folder, "there"))
	if !strings.Contains(took, "added 3 sessions of the review firmware") {
		t.Errorf("%q", took)
	}
	there := filepath.Join(folder, "there", "firmware.yaml")
	first := decode[struct{ Order int }](t, other.must("review", "run", there, "--next", "--json"))
	if first.Order != 4 {
		t.Errorf("the next visit is %d", first.Order)
	}
	a := decode[answered](t, other.must("review", "run", there, "--unattended", "--json"))
	if !a.Settled || a.Counted != a.Runs || len(a.Notes) != 0 {
		t.Errorf("%+v", a)
	}
	if again := other.must("review", "take", pack, "--out", filepath.Join(folder, "there")); !strings.Contains(again,
		"added 0 sessions of the review firmware; 3 already there") {
		t.Errorf("%q", again)
	}
	validated(t, "review-pack", unpacked(t, pack))
	if err := os.WriteFile(there, []byte("review: mine\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if got := other.must("review", "take", pack, "--out", filepath.Join(folder, "there")); !strings.Contains(
		strings.Join(strings.Fields(got), " "), "says something else; it was left alone") {
		t.Errorf("%q", got)
	}
}

func unpacked(t *testing.T, file string) []byte {
	t.Helper()
	source := must1(os.ReadFile(file))(t)
	return must1(io.ReadAll(must1(gzip.NewReader(bytes.NewReader(source)))(t)))(t)
}

// validated holds a document against a schema.
func validated(t *testing.T, schema string, source []byte) {
	t.Helper()
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(source))
	if err != nil {
		t.Fatal(err)
	}
	if err := strictly(t, schema).Validate(document); err != nil {
		t.Errorf("it does not follow the schema %s: %v", schema, err)
	}
}

// The examples follow the schema of reviews, and a file with another key does not.
func TestReviewsFollowTheirSchema(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"cases", "firmware", "job"} {
		source := must1(yaml.YAMLToJSON(must1(os.ReadFile(reviews + name + ".yaml"))(t)))(t)
		validated(t, "review", source)
		var document map[string]any
		if err := json.Unmarshal(source, &document); err != nil {
			t.Fatal(err)
		}
		document["colour"] = "red"
		if err := strictly(t, "review").Validate(document); err == nil {
			t.Errorf("%s with a colour follows it too", name)
		}
	}
}

// Packs that are damaged, or would write where they should not, are refused, and leave
// nothing.
func TestPacksThatAreNone(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	folder := t.TempDir()
	for name, content := range map[string]string{
		"no zip":      "",
		"no json":     "{",
		"other form":  `{"format": "opengauge.session/1"}`,
		"climbs":      `{"format": "opengauge.review-pack/1", "files": {"../x.yaml": "a"}, "sessions": []}`,
		"no yaml":     `{"format": "opengauge.review-pack/1", "files": {"x.sh": "a"}, "sessions": []}`,
		"empty":       `{"format": "opengauge.review-pack/1", "files": {}, "sessions": [null]}`,
		"bad session": `{"format": "opengauge.review-pack/1", "files": {}, "sessions": [{"format": "x"}]}`,
	} {
		file := filepath.Join(folder, "pack.gz")
		var packed bytes.Buffer
		if name != "no zip" {
			w := gzip.NewWriter(&packed)
			_, _ = io.WriteString(w, content)
			_ = w.Close()
		}
		if err := os.WriteFile(file, packed.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
		out := filepath.Join(folder, "out")
		if got := d.run("review", "take", file, "--out", out); got.code != 1 || !strings.Contains(got.stderr, file) {
			t.Errorf("%s: exit %d, %q", name, got.code, got.stderr)
		}
		if _, err := os.Stat(out); err == nil {
			t.Errorf("%s: files were written", name)
		}
	}
}

// own writes a review of the demo's parts with something in it replaced.
func own(t *testing.T, example string, replace ...string) string {
	t.Helper()
	source := string(must1(os.ReadFile(reviews + example + ".yaml"))(t))
	changed := strings.NewReplacer(replace...).Replace(source)
	if len(replace) > 0 && changed == source {
		t.Fatalf("nothing of %q is in %s", replace, example)
	}
	folder := t.TempDir()
	for _, plan := range must1(filepath.Glob(reviews + "*.yaml"))(t) {
		if err := os.WriteFile(filepath.Join(folder, filepath.Base(plan)), must1(os.ReadFile(plan))(t), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(folder, "review.yaml")
	if err := os.WriteFile(file, []byte(changed), 0o644); err != nil {
		t.Fatal(err)
	}
	return file
}

func TestReviewsThatCannotRun(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	for _, c := range []struct {
		code     int
		says     string
		file     string
		besides  []string
		command2 string
	}{
		{2, "nothing that is measured tells", own(t, "cases", "of: write", "of: read"), nil, "check"},
		{1, "the budget is too small", own(t, "cases", "visits-at-most: 5", "hours-at-most: 1"), nil, "check"},
		{1, "hours-at-most is 1", own(t, "cases", "visits-at-most: 5", "hours-at-most: 1"), []string{"--unattended"}, "run"},
		{2, "no combination can be the answer", own(t, "job", "price-at-most: 220", "price-at-most: 20"), nil, "check"},
		{2, "no drive \"albatross\"", own(t, "cases", "sandpiper", "albatross"), nil, "check"},
		{2, "no host \"dinghy\"", reviews + "cases.yaml", []string{"--host", "dinghy"}, "run"},
		{2, "could not read the review", "nowhere.yaml", nil, "check"},
		{2, "of no known kind", reviews + "cases.yaml", []string{"--probe", "x"}, "run"},
	} {
		got := d.run(append([]string{"review", c.command2, c.file}, c.besides...)...)
		if got.code != c.code || !strings.Contains(got.stderr, c.says) {
			t.Errorf("%s %s: exit %d, %q; want %d and %q", c.command2, c.says, got.code, got.stderr, c.code, c.says)
		}
	}
	bench := filepath.Join(t.TempDir(), "bench.yaml")
	source := string(must1(os.ReadFile("../examples/bench.yaml"))(t))
	real := strings.Replace(source, "about: 2 TB QLC drive", "about: 2 TB QLC drive\n    serial: SN-7", 1)
	if err := os.WriteFile(bench, []byte(real), 0o644); err != nil {
		t.Fatal(err)
	}
	got := d.run("review", "run", reviews+"cases.yaml", "--unattended", "--bench", bench)
	if got.code != 2 || !strings.Contains(got.stderr, "dunlin is a real one with the serial SN-7") {
		t.Errorf("exit %d, %q", got.code, got.stderr)
	}
}

// A review that was changed half-way says what still counts; status has a row a cell, with
// what was noted.
func TestStatus(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	file := own(t, "firmware")
	d.must("review", "run", file, "--unattended", "--visits", "4")
	listed := decode[struct{ Sessions []struct{ ID string } }](t, d.must("logbook", "list", "--json"))
	id := listed.Sessions[0].ID
	s := decode[session.Session](t, d.must("logbook", "show", id, "--json"))
	d.must("logbook", "note", id, "The cable was loose.")
	if s.Review == nil || s.Review.StartCelsius == nil || s.Review.AmbientCelsius == nil || s.Review.Order < 1 {
		t.Fatalf("%+v", s.Review)
	}
	text := d.must("review", "status", file)
	for _, want := range []string{"4 of 4 visits count", "The cable was loose.", "missing", "Next: opengauge review run"} {
		if !strings.Contains(text, want) {
			t.Errorf("status does not say %q:\n%s", want, text)
		}
	}
	changed := strings.Replace(string(must1(os.ReadFile(file))(t)), "matters: 5%", "matters: 3%", 1)
	if err := os.WriteFile(file, []byte(changed), 0o644); err != nil {
		t.Fatal(err)
	}
	text = d.must("review", "status", file)
	if !strings.Contains(strings.Join(strings.Fields(text), " "), "The review was changed (decide) after 4 sessions") {
		t.Errorf("a change is not said:\n%s", text)
	}
	d.must("logbook", "note", id, "It was the other firmware.", "--condition", "firmware=1.3")
	text = d.must("review", "status", file)
	if !strings.Contains(text, "3 of 4 visits count") || !strings.Contains(text, "other parts were there") {
		t.Errorf("a visit with other parts counts:\n%s", text)
	}
}

// A bench sheet has a line for each visit, fits on a page, and is the same every time.
func TestBenchSheet(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	sheet := d.must("review", "check", reviews+"job.yaml", "--sheet", "-")
	lines := strings.Split(sheet, "\n")
	visits := 0
	for _, line := range lines {
		if len([]rune(line)) > 80 {
			t.Errorf("a line of %d columns: %q", len([]rune(line)), line)
		}
		if strings.Contains(line, "measured at") {
			visits++
		}
	}
	check := decode[struct {
		Order []struct{ Cell string }
		Least struct{ Visits int }
	}](t, d.must("review", "check", reviews+"job.yaml", "--json"))
	if visits != check.Least.Visits || len(check.Order) != visits || !slices.ContainsFunc(lines, func(l string) bool {
		return strings.Contains(l, "[ ] Exchange the")
	}) {
		t.Errorf("%d visits on the sheet, and %d in the check:\n%s", visits, check.Least.Visits, sheet)
	}
	if again := d.must("review", "check", reviews+"job.yaml", "--sheet", "-"); again != sheet {
		t.Error("the sheet is another one the second time")
	}
}

// Stopped after every third visit, and at night after every one, a review comes to the same end.
func TestAReviewGoesOn(t *testing.T) {
	t.Parallel()
	whole := decode[answered](t, newDesk(t).must("review", "run", reviews+"firmware.yaml", "--unattended", "--json"))
	d := newDesk(t)
	visits := "3"
	if night.IsOn() {
		visits = "1"
	}
	for range 60 {
		d.must("review", "run", reviews+"firmware.yaml", "--unattended", "--visits", visits)
		if a := decode[answered](t, d.must("review", "answer", reviews+"firmware.yaml", "--json")); a.Settled {
			break
		}
	}
	a := decode[answered](t, d.must("review", "run", reviews+"firmware.yaml", "--unattended", "--json"))
	if !a.Settled || a.Verdicts[0].Named != whole.Verdicts[0].Named {
		t.Errorf("in steps %+v, at once %+v", a.Verdicts, fmt.Sprint(whole.Verdicts))
	}
}

// Two programs of one bench would make the same visits: the second is told, until the first ends.
func TestAReviewIsLedByOneProgram(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	first := d.command("review", "run", reviews+"cases.yaml") // it waits for parts that never come
	if err := first.Start(); err != nil {
		t.Fatal(err)
	}
	held := func() bool {
		found, err := filepath.Glob(d.logbook + "-turn-*")
		return err == nil && len(found) > 0
	}
	for began := time.Now(); !held() && time.Since(began) < 30*time.Second; time.Sleep(20 * time.Millisecond) {
	}
	visit := []string{"review", "run", reviews + "cases.yaml", "--unattended", "--visits", "1"}
	if got := d.run(visit...); got.code != 1 || !strings.Contains(got.stderr, "by another program") {
		t.Errorf("while another leads through it: exit %d\n%s", got.code, got.stderr)
	}
	d.must("review", "run", reviews+"firmware.yaml", "--unattended", "--visits", "1")
	if err := first.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = first.Wait()
	d.must(visit...)
	if held() {
		t.Error("its turn is left behind")
	}
}

// A review that the previous program began, whose sessions are stored here, goes on with this one.
func TestAReviewGoesOnWithALaterProgram(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("logbook", "import", "testdata/begun/sessions.json.gz")
	status := decode[struct{ Runs, Counted int }](t, d.must("review", "status", reviews+"cases.yaml", "--json"))
	if status.Runs != 3 || status.Counted != 3 {
		t.Errorf("%d of %d visits count, want all 3", status.Counted, status.Runs)
	}
	got := decode[answered](t, d.must("review", "run", reviews+"cases.yaml", "--unattended", "--visits", "1", "--seed",
		"5", "--json"))
	if got.Runs != 4 || got.Counted != 4 {
		t.Errorf("with one visit more %d of %d count", got.Counted, got.Runs)
	}
}
