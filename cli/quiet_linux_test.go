package cli_test

import (
	"os"
	"strconv"
	"strings"
	"testing"
)

// tolerableSteal is the share of processor time that a virtual machine may lose
// to others before times measured on it mean nothing.
const tolerableSteal = 0.02

// onQuietMachine runs a check of times up to three times, until it finds no
// fault. It fails if a fault remains, or skips if the machine was being paused
// all the while.
func onQuietMachine(t *testing.T, check func() []string) {
	t.Helper()
	var faults []string
	least := 1.0
	for range 3 {
		before := processorTicks()
		if faults = check(); len(faults) == 0 {
			return
		}
		least = min(least, processorTicks().stolenSince(before))
	}
	if least > tolerableSteal {
		t.Skipf("this machine is paused by its host for %.0f %% of the time, so times cannot be judged: %s",
			least*100, strings.Join(faults, "; "))
	}
	for _, fault := range faults {
		t.Error(fault)
	}
}

// ticks is processor time since the system started (proc(5), /proc/stat).
type ticks struct{ stolen, busy float64 }

func processorTicks() ticks {
	text, _ := os.ReadFile("/proc/stat")
	line, _, _ := strings.Cut(string(text), "\n")
	fields := strings.Fields(line)
	value := func(at int) float64 {
		if at >= len(fields) {
			return 0
		}
		number, _ := strconv.ParseFloat(fields[at], 64)
		return number
	}
	const user, nice, system, steal = 1, 2, 3, 8
	return ticks{stolen: value(steal), busy: value(user) + value(nice) + value(system) + value(steal)}
}

// stolenSince is how much of the time that was wanted was not given.
func (t ticks) stolenSince(earlier ticks) float64 {
	if t.busy <= earlier.busy {
		return 0
	}
	return (t.stolen - earlier.stolen) / (t.busy - earlier.busy)
}
