//go:build linux

package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// guard is a line of the program that keeps something from being lost or touched, with its replacement, and
// the part that has to notice.
type guard struct {
	name, file, line, without string
	part                      string
	tries                     int
}

var guards = []guard{
	{name: "a device is known again by its blocks", file: "core/measure/run/recognise.go",
		line:    "if stable.own == stable.read && 2*loose.own >= loose.read {",
		without: "if true {", part: "device swap", tries: 8},
	{name: "what is told is on stable media", file: "core/record/logbook/keep.go",
		line: "		k.lost = k.spool.Append(record)\n	}\n" +
			"	k.pending = append(k.pending, record)\n	k.store(briefly)\n",
		without: "	}\n	k.pending = append(k.pending, record)\n", part: "kill measure", tries: 40},
	{name: "a busy logbook is waited for", file: "core/record/logbook/store.go",
		line: "case !busy(err):", without: "case true:", part: "twenty at once", tries: 4},
	{name: "what enters was read", file: "core/record/logbook/merge.go",
		line: "			if err != nil {\n				damaged.Add(ids[i], err)\n" +
			"				continue\n			}\n",
		without: "			_ = err\n			s = &session.Session{ID: ids[i]}\n", part: "torn logbook", tries: 12},
	{name: "what killed runs left is swept", file: "core/storage/scratch/scratch.go",
		line:    "failed = errors.Join(failed, each.remove(folder, tell))",
		without: "_ = each", part: "kill measure", tries: 40},
}

// withoutGuards builds the program without each guard, and looks whether its part finds
// faults then.
func withoutGuards(folder string, seed uint64, only string) error {
	var missed []string
	for number, g := range guards {
		if only != "" && g.part != only {
			continue
		}
		source := filepath.Join(folder, fmt.Sprint("source-", number))
		if err := copyOfSource(source); err != nil {
			return err
		}
		file := filepath.Join(source, g.file)
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		if strings.Count(string(text), g.line) != 1 {
			return fmt.Errorf("the guard %q is not in %s any more", g.name, g.file)
		}
		if err := os.WriteFile(file, []byte(strings.Replace(string(text), g.line, g.without, 1)), 0o600); err != nil {
			return err
		}
		program := filepath.Join(source, "opengauge")
		if err := build(source, program); err != nil {
			return fmt.Errorf("without %q: %w", g.name, err)
		}
		t := &table{}
		for _, each := range parts {
			if each.name == g.part {
				t.torture(program, folder, each, g.tries, seed)
			}
		}
		fmt.Printf("without the guard that %s: %d faults in %d tries of %s\n", g.name, len(t.faults), g.tries, g.part)
		if len(t.faults) == 0 {
			missed = append(missed, g.name)
		}
		if err := os.RemoveAll(source); err != nil {
			return err
		}
	}
	if len(missed) > 0 {
		return fmt.Errorf("nobody notices when these are missing: %s", strings.Join(missed, "; "))
	}
	return nil
}

// copyOfSource copies the program's source.
func copyOfSource(to string) error {
	if err := os.MkdirAll(to, 0o700); err != nil {
		return err
	}
	parts := []string{"go.mod", "go.sum", "cmd", "cli", "core", "present", "examples"}
	out, err := exec.Command("cp", append(append([]string{"-r"}, parts...), to)...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("copying the source: %w: %s", err, out)
	}
	return nil
}
