//go:build linux

// Torture does to the program everything that a bench does to it over years: kills it at any moment, fills
// its disks, tears its logbook, runs it twenty times at once, puts another device behind a path, and lets
// servers lie. After each try it checks everything that must be true: every pass that was told is there, the
// logbook holds up, nothing is left behind, and no byte of a bystander has changed.
//
// Each try draws from a seed of its own, which repeats it: -only PART -seed N -tries 1. With -guards it takes
// guards out of a copy of the program, one at a time, and looks whether that is noticed.
//
// Tries of a part run one after the other, on one goroutine; parts wait for programs that they started.
package main

import (
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// part is a way to torture the program.
type part struct {
	name string
	// share of all tries that it gets.
	share float64
	try   func(*bench) error
}

var parts = []part{
	{"kill measure", 0.45, killMeasure}, {"interrupt", 0.1, interrupt}, {"kill copy", 0.1, killCopy},
	{"kill logbook", 0.12, killLogbook}, {"kill review", 0.02, killReview},
	{"kill report", 0.06, killReport}, {"full disk", 0.06, fullDisk}, {"torn logbook", 0.06, tornLogbook},
	{"twenty at once", 0.005, twentyAtOnce}, {"device swap", 0.01, deviceSwap},
	{"server that lies", 0.02, lyingServer}, {"server away", 0.1, serverAway},
}

func main() {
	tries := flag.Int("tries", 200, "how many tries of all parts together")
	seed := flag.Uint64("seed", 0, "the seed of the first try; 0 draws one")
	only := flag.String("only", "", "only this part")
	guards := flag.Bool("guards", false, "take guards out of the program, and see that it is noticed")
	flag.Parse()
	if *seed == 0 {
		*seed = rand.Uint64N(1_000_000_000)
	}
	if err := run(*tries, *seed, *only, *guards); err != nil {
		fmt.Fprintln(os.Stderr, "torture:", err)
		os.Exit(1)
	}
}

func run(tries int, seed uint64, only string, guards bool) error {
	folder, err := os.MkdirTemp("", "torture-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if guards {
		return withoutGuards(folder, seed, only)
	}
	program := filepath.Join(folder, "opengauge")
	if err := build(".", program); err != nil {
		return err
	}
	defer lab.close()
	t := &table{seed: seed}
	for _, each := range parts {
		count := max(1, int(float64(tries)*each.share+0.5))
		if only != "" {
			count = tries
		}
		if only == "" || only == each.name {
			t.torture(program, folder, each, count, seed)
		}
	}
	t.print(os.Stdout)
	if len(t.faults) > 0 {
		return fmt.Errorf("%d faults", len(t.faults))
	}
	return nil
}

func build(source, program string) error {
	command := exec.Command("go", "build", "-o", program, "./cmd/opengauge")
	command.Dir = source
	command.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := command.CombinedOutput(); err != nil {
		return fmt.Errorf("building the program: %w: %s", err, out)
	}
	return nil
}

// table counts the results of all tries.
type table struct {
	seed   uint64
	rows   []row
	faults []string
}

type row struct {
	part, phase   string
	tries, faults int
	took          time.Duration
}

// torture runs the tries of a part.
func (t *table) torture(program, folder string, of part, tries int, seed uint64) {
	for i := range tries {
		number := seed + uint64(i)
		b, err := newBench(program, filepath.Join(folder, fmt.Sprintf("%s-%d", strings.ReplaceAll(of.name, " ", "-"), i)),
			number)
		began := time.Now()
		if err == nil {
			err = errors.Join(of.try(b), b.end())
		}
		if errors.Is(err, errSkipped) {
			t.count(of.name, "not possible here: "+err.Error(), false, time.Since(began))
			return
		}
		t.count(of.name, b.phase, err != nil, time.Since(began))
		if err != nil {
			t.faults = append(t.faults, fmt.Sprintf("%s, seed %d, %s: %v", of.name, number, b.phase, err))
		}
	}
}

// errSkipped says that a part cannot be run here.
var errSkipped = errors.New("it needs root, loop devices or tmpfs")

func (t *table) count(part, phase string, fault bool, took time.Duration) {
	at := slices.IndexFunc(t.rows, func(r row) bool { return r.part == part && r.phase == phase })
	if at < 0 {
		at = len(t.rows)
		t.rows = append(t.rows, row{part: part, phase: phase})
	}
	t.rows[at].tries++
	t.rows[at].took += took
	if fault {
		t.rows[at].faults++
	}
}

func (t *table) print(out *os.File) {
	fmt.Fprintf(out, "| part | phase | tries | faults | seconds |\n|---|---|---|---|---|\n")
	tries := 0
	for _, r := range t.rows {
		fmt.Fprintf(out, "| %s | %s | %d | %d | %.0f |\n", r.part, r.phase, r.tries, r.faults, r.took.Seconds())
		tries += r.tries
	}
	fmt.Fprintf(out, "| all | | %d | %d | |\n\nseed %d\n", tries, len(t.faults), t.seed)
	for _, fault := range t.faults {
		fmt.Fprintln(out, "fault:", fault)
	}
}
