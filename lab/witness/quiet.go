package witness

import (
	"os"
	"strconv"
	"strings"
	"testing"

	"opengauge/lab/night"
)

// A machine is fit to judge times while its processors are idle for at least this share of the
// time, and its host takes at most this share of what is wanted.
const (
	neededIdle     = 0.2
	tolerableSteal = 0.02
)

// JudgesTimes skips a test whose whole point is a time, except where nothing else runs.
func JudgesTimes(t *testing.T) {
	t.Helper()
	if !timesAreJudged() {
		t.Skip("make times runs it: it judges times, on cores that do nothing else")
	}
}

func timesAreJudged() bool { return os.Getenv("OPENGAUGE_TIMES") != "" || night.IsOn() }

// OnQuietMachine runs a check that gives faults of times. The kernel's own counters of the same
// seconds are the witness of whether the machine was fit to judge: a fault found on one that was
// is an error; where it was not, the test is skipped. make times tries three times.
func OnQuietMachine(t *testing.T, check func() []string) {
	t.Helper()
	why := ""
	tries := 1
	if timesAreJudged() {
		tries = 3
	}
	for range tries {
		since := BeginStretch()
		faults := check()
		if len(faults) == 0 {
			return
		}
		if why = since.Unfit(); why == "" {
			for _, fault := range faults {
				t.Error(fault)
			}
			return
		}
		why += ": " + strings.Join(faults, "; ")
	}
	t.Skip("times cannot be judged on this machine now, ", why)
}

// Stretch is time of which the kernel's counters tell whether times could be judged in it.
type Stretch struct{ began ticks }

// BeginStretch begins a stretch.
func BeginStretch() Stretch { return Stretch{processorTicks()} }

// Unfit says why times could not be judged since the stretch began, or nothing.
func (s Stretch) Unfit() string { return processorTicks().unfitSince(s.began) }

// ticks is processor time since the system started (proc(5), /proc/stat).
type ticks struct{ stolen, idle, all float64 }

func processorTicks() ticks {
	text, _ := os.ReadFile("/proc/stat")
	line, _, _ := strings.Cut(string(text), "\n")
	const idle, wait, steal, guest = 4, 5, 8, 9
	var counted ticks
	for at, field := range strings.Fields(line) {
		value, err := strconv.ParseFloat(field, 64)
		if err != nil || at >= guest { // guests are counted in the time of users
			continue
		}
		counted.all += value
		switch at {
		case idle, wait:
			counted.idle += value
		case steal:
			counted.stolen += value
		}
	}
	return counted
}

// unfitSince says why the machine was not fit to judge times since then, or nothing.
func (t ticks) unfitSince(earlier ticks) string {
	all := t.all - earlier.all
	if all <= 0 {
		return "as nothing is counted"
	}
	idle := (t.idle - earlier.idle) / all
	wanted := all * (1 - idle)
	stolen := (t.stolen - earlier.stolen) / max(wanted, 1)
	switch {
	case stolen > tolerableSteal:
		return strconv.FormatFloat(100*stolen, 'f', 0, 64) + " % of whose time its host takes"
	case idle < neededIdle:
		return "which is idle for " + strconv.FormatFloat(100*idle, 'f', 0, 64) + " % of the time"
	}
	return ""
}
