package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/core/record/session"
)

// Somebody times two copies by the keys of a terminal, throws one away, and marks a lap.
func TestAStopwatchByItsKeys(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	m := d.inTerminal("stopwatch", "--set", "mixed-folder", "--size", "1GB", "--from", "deck-tablet",
		"--to", "sandpiper", "--repeat", "2", "--name", "tablet")
	m.await("space starts as the copy does")
	m.press(" ")
	m.await("space stops")
	m.press("x")
	m.await("thrown away")
	// The copy begins after the key is pressed and before that is shown, and so it ends.
	earliest := time.Now()
	m.press(" ")
	m.await("space stops")
	latest := time.Now()
	time.Sleep(600 * time.Millisecond)
	m.press("l")
	m.await("lap 1 at")
	time.Sleep(400 * time.Millisecond)
	least := time.Since(latest).Seconds()
	m.press(" ")
	m.await("copy 2 of 2")
	most := time.Since(earliest).Seconds()
	m.press(" ")
	m.await("space stops")
	time.Sleep(500 * time.Millisecond)
	m.press(" ")
	m.await("Timed by hand: each time is known to within 0.2 s")
	s := decode[session.Session](t, outcome{stdout: d.must("logbook", "show", "tablet", "--json")}.stdout)
	if s.State != session.Complete || len(s.Copies) != 2 {
		t.Fatalf("%s with %d copies", s.State, len(s.Copies))
	}
	c := s.Copies[0]
	laps := c.ByHand.LapsSeconds
	const tick = 0.05
	if !(c.ElapsedSeconds >= least-tick) || !(c.ElapsedSeconds <= most+tick) || len(laps) != 1 || !(laps[0] > 0.5) {
		t.Errorf("a time from %.2f to %.2f s was kept as %+v", least, most, c)
	}
	if parts := s.Ends[1].Parts; len(parts) != 1 || parts[0].Name != "sandpiper" || parts[0].Price == 0 {
		t.Errorf("its end is the part %+v, which the bench book knows", parts)
	}
}

// A clock that is never stopped keeps what was taken before it.
func TestAStopwatchThatIsNeverStopped(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	m := d.inTerminal("stopwatch", "--set", "footage", "--files", "10", "--size", "2GB", "--from", "camera",
		"--to", "stick", "--repeat", "3", "--name", "camera")
	m.await("space starts")
	m.press(" ")
	m.await("space stops")
	time.Sleep(400 * time.Millisecond)
	m.press(" ")
	m.await("copy 2 of 3")
	m.press(" ")
	m.await("space stops")
	_ = m.master.Close() // the terminal is closed
	<-m.ended
	shown := d.must("logbook", "show", "camera", "--json")
	s := decode[session.Session](t, shown)
	if s.State != session.Interrupted || len(s.Copies) != 2 || !s.Copies[0].Counts() || s.Copies[1].Counts() {
		t.Errorf("%s: %+v", s.State, s.Copies)
	}
}

func TestTimesThatWereTakenBefore(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	common := []string{"stopwatch", "--set", "mixed-folder", "--size", "26GB", "--from", "deck-tablet", "--to"}
	with := func(arguments ...string) []string { return append(common[:len(common):len(common)], arguments...) }
	run := func(arguments ...string) string { return d.must(with(arguments...)...) }
	run("sandpiper", "--seconds", "47", "--seconds", "0:49", "--name", "fast")
	run("curlew", "--seconds", "1m34s", "--within", "1s", "--name", "slow")
	wants(t, "compare", d.must("compare", "fast", "slow"), "fast (by hand)", "slow (by hand)", "% longer")
	page := filepath.Join(t.TempDir(), "report.html")
	d.must("report", "fast", "slow", "--out", page)
	content, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	wants(t, "the report", string(content), "fast (by hand)", "Timed by hand")
	for _, c := range []struct{ arguments, want string }{
		{"x --seconds 0.1", "no time that a hand can take"}, {"x --seconds -4", "is no time like"},
		{"x --seconds 1:77", "is no time like"}, {"x --seconds NaN", "is no time like"},
		{"x --seconds 47 --repeat 2", "do not go together"},
		{"x --seconds 47 --within 2m", "is not between 0 and 60 s"},
		{"x", "needs a terminal"}, {"x --seconds 47 --set tapes", "unknown file set"},
		{"x --seconds 47 --to-through nowhere", "nowhere"},
	} {
		got := d.run(with(strings.Fields(c.arguments)...)...)
		if got.code != 2 || !strings.Contains(got.stderr, c.want) {
			t.Errorf("%s: exit %d, %s; want %q", c.arguments, got.code, got.stderr, c.want)
		}
	}
}

// A set is laid out, copied by hand, and looked at where it arrived.
func TestASetIsCopiedByHand(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	from, to := t.TempDir(), t.TempDir()
	set := []string{"--set", "archive", "--size", "20MB", "--seed", "9"}
	laid := d.must(append([]string{"copy", "--lay-out", from}, set...)...)
	wants(t, "lay-out", laid, "opengauge stopwatch --set archive "+
		"--size 20000000B --seed 9", "opengauge copy --check FOLDER")
	if err := os.CopyFS(to, os.DirFS(from)); err != nil {
		t.Fatal(err)
	}
	check := append([]string{"copy", "--check", to}, set...)
	wants(t, "check", d.must(check...), "Whole: ", "byte for byte")
	var some string
	_ = filepath.WalkDir(to, func(path string, entry os.DirEntry, _ error) error {
		if !entry.IsDir() {
			some = path
		}
		return nil
	})
	if err := os.Truncate(some, 10); err != nil {
		t.Fatal(err)
	}
	if got := d.run(check...); got.code != 1 || !strings.Contains(got.stdout, "1 file of another size") {
		t.Errorf("a short file: exit %d, %s", got.code, got.stdout)
	}
	for _, c := range []struct{ arguments, want string }{
		{"--lay-out a --check b --set archive", "one after the other"}, {"--lay-out a", "name one --set"},
		{"--check a --set archive,small-files", "name one --set"},
		{"--lay-out a --set archive b", "leave out other ends"},
	} {
		if got := d.run(append([]string{"copy"}, strings.Fields(c.arguments)...)...); got.code != 2 ||
			!strings.Contains(got.stderr, c.want) {
			t.Errorf("%s: exit %d, %s", c.arguments, got.code, got.stderr)
		}
	}
}
