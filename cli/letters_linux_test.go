package cli_test

import (
	"strings"
	"testing"
	"time"
)

// In a terminal that shows ASCII alone, in a dumb one and in a good one, all of a live run is
// shown in what it can.
func TestWhatTerminalsCanShow(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		settings        []string
		unicode, redraw bool
	}{
		"good":             {[]string{"LANG=C.UTF-8", "TERM=xterm"}, true, true},
		"no Unicode":       {[]string{"LANG=C", "TERM=xterm"}, false, true},
		"dumb":             {[]string{"LANG=C.UTF-8", "TERM=dumb"}, true, false},
		"dumb, no Unicode": {[]string{"LANG=C", "TERM=dumb"}, false, false},
	} {
		t.Run(name, func(t *testing.T) {
			d := newProgramDesk(t)
			term := d.inTerminalWith(c.settings, "measure", t.TempDir(), "--size", "8MiB",
				"--plan", "quick-read", "--hold", "600ms")
			select {
			case <-term.ended:
			case <-time.After(60 * time.Second):
				t.Fatal("it does not end")
			}
			shown := term.shown.String()
			if !strings.Contains(shown, "Kept as") {
				t.Fatalf("it shows %q", shown)
			}
			unicode := strings.IndexFunc(shown, func(r rune) bool { return r > 0x7f }) >= 0
			if unicode != c.unicode {
				t.Errorf("Unicode is shown: %v", unicode)
			}
			if redrawn := strings.Contains(shown, "\x1b[K"); redrawn != c.redraw {
				t.Errorf("lines are drawn again: %v", redrawn)
			}
			if !c.redraw && strings.Contains(shown, "\x1b") {
				t.Errorf("a dumb terminal is steered: %q", shown)
			}
		})
	}
}
