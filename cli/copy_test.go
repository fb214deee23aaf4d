package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/record/session"
)

// contending writes a plan of a load on two drives behind one port.
func contending(t *testing.T) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "at-once.yaml")
	source := "plan: at-once\nsteps:\n  - contend: {with: \"sim:dunlin through deck-tablet,limpet\", operation: " +
		"read, access: sequential, block: 1MiB, depth: 8, hold: 5s}\n"
	if err := os.WriteFile(name, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	return name
}

func TestCopyCommand(t *testing.T) {
	t.Parallel()
	d, one, other := newDesk(t), t.TempDir(), t.TempDir()
	s := decode[session.Session](t, d.must("copy", one, other, "--set", "mixed-folder,large-file", "--size", "8MiB",
		"--both-ways", "--repeat", "2", "--verify", "--condition", "cable=short", "--json"))
	assertEmpty(t, one)
	assertEmpty(t, other)
	copies := 0
	for _, c := range s.Copies {
		if c.Bytes != 8<<20 || c.CutShort || c.Differing != 0 {
			t.Errorf("copy %+v", c)
		}
		if c.Work == session.CopyWhole {
			copies++
		}
	}
	if copies != 8 || len(s.Copies) != 16 || s.Conditions["cable"] != "short" || s.State != session.Complete {
		t.Errorf("%d copies of %d pieces of work, %s", copies, len(s.Copies), s.State)
	}
	wants(t, "show", d.must("logbook", "show", "latest"), "mixed-folder", "longer or darker is faster",
		"files were compared")
	wants(t, "explain", d.must("explain", "latest"), "the copy runs at", "the source alone gives",
		"the destination alone")
	d.must("report", "latest", "--out", filepath.Join(one, "r.html"), "--kit", filepath.Join(one, "kit"))
}

func TestACopyOfOnesOwnFolder(t *testing.T) {
	t.Parallel()
	d, one, other := newDesk(t), t.TempDir(), t.TempDir()
	if err := os.WriteFile(filepath.Join(one, "tide"), []byte("ebb"), 0o600); err != nil {
		t.Fatal(err)
	}
	d.must("copy", one, other, "--keep")
	left, _ := filepath.Glob(filepath.Join(other, "opengauge-copy-*", "tide"))
	if len(left) != 1 {
		t.Fatalf("kept are %v", left)
	}
	if content, _ := os.ReadFile(left[0]); string(content) != "ebb" {
		t.Errorf("the copy is %q", content)
	}
}

// The truth is the simulator's: 520 MB/s into the curlew, 210 MB/s into the turnstone.
func TestTheCopyMatrix(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	text := d.must("copy", "--among", "sim:sandpiper,sim:curlew,sim:turnstone", "--size", "4GB", "--name", "matrix")
	wants(t, "matrix", text, "copies of large-file", "copies of mixed-folder", "to sim:turnstone", "520 MB/s",
		"limit: destination", "limit: source")
	s := decode[session.Session](t, d.must("logbook", "show", "matrix", "--json"))
	ways := map[[2]int]float64{}
	for _, c := range s.Copies {
		if c.Work == session.CopyWhole && c.Set == "large-file" {
			ways[[2]int{c.From, c.To}] = float64(c.BytesPerSecond)
		}
	}
	if len(ways) != 6 || ways[[2]int{0, 1}] < 510e6 || ways[[2]int{0, 1}] > 525e6 || ways[[2]int{0, 2}] > 212e6 {
		t.Errorf("the ways are %v", ways)
	}
	d.must("report", "matrix", "--image", filepath.Join(t.TempDir(), "m.svg"), "--figure", "copy-matrix")
}

func TestCopyMistakes(t *testing.T) {
	t.Parallel()
	d, folder := newDesk(t), t.TempDir()
	for _, c := range []struct {
		code      int
		want      string
		arguments []string
	}{
		{2, "name FROM and TO", []string{"copy", folder}},
		{2, "--among names the ends itself", []string{"copy", folder, folder, "--among", "a,b"}},
		{2, "two ends at least", []string{"copy", "--among", "a"}},
		{2, "unknown file set", []string{"copy", folder, folder, "--set", "boats"}},
		{2, "holds no file", []string{"copy", folder, folder}},
		{2, "--repeat 0", []string{"copy", folder, folder, "--set", "large-file", "--repeat", "0"}},
		{2, "different clocks", []string{"copy", "sim:sandpiper", folder, "--set", "large-file"}},
		{2, "unknown simulated part", []string{"copy", "sim:godwit", "sim:sandpiper"}},
		{1, "could not look at", []string{"copy", folder, filepath.Join(folder, "none"), "--set", "large-file"}},
		{1, "does not fit", []string{"copy", "sim:sandpiper", "sim:curlew", "--size", "600GB", "--set", "large-file"}},
		{2, "no such file", []string{"streams", "latest", "--streams", filepath.Join(folder, "none.yaml")}},
	} {
		if got := d.run(c.arguments...); got.code != c.code || !strings.Contains(got.stderr, c.want) {
			t.Errorf("%q: exit %d, %q; want %d and %q", c.arguments, got.code, got.stderr, c.code, c.want)
		}
	}
	assertEmpty(t, folder)
}

func TestStreamsCommand(t *testing.T) {
	t.Parallel()
	d := demoDesk(t)
	// The simulated write area runs out after 163 GB, and 190 MB/s are left.
	wants(t, "recorders", d.must("streams", "dunlin-long"), "hydrophone array", "cache-exhausted",
		"128 channels x 192 000 samples a second x 24 bit = 73.7 MB/s", "not measured", "for 1 min")
	list := filepath.Join(t.TempDir(), "own.yaml")
	if err := os.WriteFile(list, []byte("streams:\n  - {name: own, data-rate: 189MB/s}\n  - {name: too much, "+
		"data-rate: 400MB/s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	document := decode[struct {
		Streams []struct {
			Writing struct {
				Carried bool
				Most    int    `json:"most_at_once"`
				EndedBy string `json:"ended_by"`
			}
		}
	}](t, d.must("streams", "dunlin-long", "--streams", list, "--json"))
	if own, much := document.Streams[0].Writing, document.Streams[1].Writing; !own.Carried || own.Most != 1 ||
		much.Carried || much.EndedBy != "cache-exhausted" {
		t.Errorf("own %+v, too much %+v", own, much)
	}
	if got := d.run("streams", "lagoon-burst"); got.code != 1 || !strings.Contains(got.stderr, "no sequential pass") {
		t.Errorf("without a recording: %d, %s", got.code, got.stderr)
	}
}

func TestTargetsAtOnce(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	wants(t, "simulated", d.must("measure", "sim:sandpiper", "--through", "deck-tablet,limpet", "--plan",
		contending(t)), "deck-tablet side is shared", "50 %")
	one, other := t.TempDir(), t.TempDir()
	name := filepath.Join(t.TempDir(), "real.yaml")
	source := "plan: real\nsteps:\n  - contend: {with: [" + other + "], operation: write, access: sequential, " +
		"block: 64KiB, depth: 4, hold: 100ms}\n"
	if err := os.WriteFile(name, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	s := decode[session.Session](t, d.must("measure", one, "--plan", name, "--size", "4MiB", "--json"))
	if len(s.Contentions) != 1 || len(s.Contentions[0].Members) != 2 ||
		s.Contentions[0].Members[1].Together.Bytes == 0 || s.Contentions[0].Members[1].Address != other {
		t.Errorf("contentions are %+v", s.Contentions)
	}
	assertEmpty(t, one)
	assertEmpty(t, other)
}

func TestStartsTellWhenTheyAreFinished(t *testing.T) {
	t.Parallel()
	wants(t, "start", newDesk(t).must("measure", "sim:turnstone", "--plan", "start"), "time to finish", "of 16 KiB",
		"It is finished after")
}
