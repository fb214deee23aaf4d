// Mutants breaks a package on purpose, in one place at a time, and says for which of the
// breaks no test fails: a line that may be broken is not tested. It draws as many breaks
// as it is asked for, by the commit's hash, so that the same commit gives the same ones.
//
//	mutants -count 60 ./core/stat
//
// It works on a copy of the module, and runs as many breaks at once as asked.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

func main() {
	count := flag.Int("count", 60, "how many breaks to try")
	at := flag.Int("at-once", 2, "how many to try at the same time")
	seed := flag.String("seed", "", "what breaks are drawn by (default the commit's hash)")
	equal := flag.String("equivalent", "", "a `file` of breaks that change nothing that can be seen, with the reason")
	least := flag.Float64("least", 0, "fail where a smaller `share` of the breaks is found")
	flag.Parse()
	if flag.NArg() == 0 {
		fmt.Fprintln(os.Stderr, "mutants: name packages, as ./core/stat; the tests that run are theirs")
		os.Exit(2)
	}
	found := 1.0
	for _, folder := range flag.Args() {
		share, err := try(trial{folder: folder, count: *count, atOnce: *at, seed: *seed, equivalent: *equal})
		if err != nil {
			fmt.Fprintln(os.Stderr, "mutants:", err)
			os.Exit(1)
		}
		found = min(found, share)
	}
	if found < *least {
		fmt.Fprintf(os.Stderr, "mutants: %.0f %% were found, and %.0f %% are asked for\n", found*100, *least*100)
		os.Exit(1)
	}
}

// trial is what is asked of one package.
type trial struct {
	folder     string
	count      int
	atOnce     int
	seed       string
	equivalent string
}

// verdict is what came of a break.
type verdict struct {
	mutant
	state string // "found", "lives", "does not build"
}

func try(t trial) (share float64, err error) {
	all, err := mutantsOf(t.folder)
	if err != nil {
		return 0, err
	}
	if t.seed == "" {
		if t.seed, err = commit(); err != nil {
			return 0, err
		}
	}
	known, err := readEquivalent(t.equivalent)
	if err != nil {
		return 0, err
	}
	draw(all, t.seed+t.folder)
	began := time.Now()
	verdicts, err := t.run(all)
	if err != nil {
		return 0, err
	}
	killed, lives, equal := 0, 0, 0
	for _, v := range verdicts {
		reason, equivalent := known[v.key()]
		switch {
		case v.state == "found":
			killed++
		case equivalent:
			equal++
			fmt.Printf("  equivalent  %s: %s\n", v, reason)
		default:
			lives++
			fmt.Printf("  lives       %s\n", v)
		}
	}
	share = float64(killed) / float64(max(killed+lives, 1))
	fmt.Printf("%s: %d of %d found, %.0f %%; %d equivalent; of %d places, by %.12s, in %.0f s\n", t.folder, killed,
		killed+lives, share*100, equal, len(all), t.seed, time.Since(began).Seconds())
	return share, nil
}

// commit is the hash of the commit that is checked out.
func commit() (string, error) {
	out, err := exec.Command("git", "rev-parse", "HEAD").Output()
	if err != nil {
		return "", fmt.Errorf("asking for the commit: %w", err)
	}
	return strings.TrimSpace(string(out)), nil
}

// draw puts mutants into an order that the seed decides.
func draw(all []mutant, seed string) {
	sum := fnv.New64a()
	_, _ = sum.Write([]byte(seed))
	rand.New(rand.NewPCG(sum.Sum64(), 1)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
}

// readEquivalent reads lines of "file:line:column operator  reason".
func readEquivalent(file string) (map[string]string, error) {
	known := map[string]string{}
	if file == "" {
		return known, nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	for _, line := range strings.Split(string(text), "\n") {
		if key, reason, ok := strings.Cut(line, "\t"); ok && !strings.HasPrefix(line, "#") {
			known[key] = reason
		}
	}
	return known, nil
}

// run tries mutants until so many built, each in a copy of the module.
func (t trial) run(all []mutant) ([]verdict, error) {
	var mutex sync.Mutex
	var group sync.WaitGroup
	var verdicts []verdict
	var failed error
	next := 0
	take := func() (mutant, bool) {
		mutex.Lock()
		defer mutex.Unlock()
		if next == len(all) || len(verdicts) >= t.count || failed != nil {
			return mutant{}, false
		}
		next++
		return all[next-1], true
	}
	for range t.atOnce {
		group.Go(func() {
			copied, err := copyModule()
			defer os.RemoveAll(copied)
			for m, more := take(); more && err == nil; m, more = take() {
				var v verdict
				v, err = judge(copied, t.folder, m)
				mutex.Lock()
				if err == nil && v.state != "does not build" && len(verdicts) < t.count {
					verdicts = append(verdicts, v)
				}
				mutex.Unlock()
			}
			mutex.Lock()
			failed = errors.Join(failed, err)
			mutex.Unlock()
		})
	}
	group.Wait()
	return verdicts, failed
}

// copyModule copies what is checked out into a folder of its own.
func copyModule() (string, error) {
	folder, err := os.MkdirTemp("", "opengauge-mutants-")
	if err != nil {
		return "", err
	}
	copying := exec.Command("sh", "-c", `git ls-files -z | xargs -0 cp --parents -t "$0"`, folder)
	if out, err := copying.CombinedOutput(); err != nil {
		return folder, fmt.Errorf("copying the module: %w: %s", err, out)
	}
	return folder, nil
}

// testsWithin is how long tests may take: one that goes round and round is found too.
const testsWithin = 90 * time.Second

// judge breaks a file of the copy, runs the package's tests, and mends the file.
func judge(copied, folder string, m mutant) (verdict, error) {
	file := filepath.Join(copied, m.file)
	whole, err := os.ReadFile(file)
	if err != nil {
		return verdict{}, err
	}
	if err := os.WriteFile(file, m.broken(whole), 0o600); err != nil {
		return verdict{}, err
	}
	defer func() { _ = os.WriteFile(file, whole, 0o600) }()
	v := verdict{mutant: m}
	building := exec.Command("go", "vet", "./"+filepath.Clean(folder))
	building.Dir = copied
	if building.Run() != nil {
		v.state = "does not build"
		return v, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), testsWithin)
	defer cancel()
	// The tests end themselves first: what is killed from outside leaves its children.
	tests := exec.CommandContext(ctx, "go", "test", "-count=1", "-failfast", "-timeout", "80s",
		"./"+filepath.Clean(folder))
	tests.Dir = copied
	v.state = "lives"
	if tests.Run() != nil {
		v.state = "found"
	}
	return v, nil
}
