// Command release makes what people install: archives for every system, packages for
// Linux, files for package managers, a list of what the program is made of, and
// checksums. What it makes of a commit is the same to the byte whenever and wherever it
// is made with the same Go: times are the commit's, names are sorted, and nobody owns the
// files.
//
//	go run ./lab/release [-out DIR] [-systems linux/amd64,...] [-base URL] [-twice]
package main

import (
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// systems are those that the program is built for, by the names that Go has for them.
var systems = []string{
	"linux/amd64", "linux/arm64", "linux/arm", "linux/riscv64", "darwin/arm64", "darwin/amd64", "windows/amd64",
	"windows/arm64", "freebsd/amd64",
}

// release is what is made.
type release struct {
	out, version string
	// base is where the files will be found by people.
	base string
	// made is the time of the commit.
	made    time.Time
	systems []string
}

func main() {
	out := flag.String("out", "bin/release", "the folder for what is made, which must not be there")
	chosen := flag.String("systems", strings.Join(systems, ","), "what to build for")
	base := flag.String("base", "https://opengauge.example/releases", "where people will find the files")
	twice := flag.Bool("twice", false, "make it twice and compare every byte")
	list := flag.Bool("list", false, "print the systems")
	flag.Parse()
	if *list {
		fmt.Println(strings.Join(systems, " "))
		return
	}
	if err := run(*out, *base, strings.Split(*chosen, ","), *twice); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

func run(out, base string, chosen []string, twice bool) error {
	for _, system := range chosen {
		if !slices.Contains(systems, system) {
			return fmt.Errorf("the program is not built for %q, but for %s", system, strings.Join(systems, ", "))
		}
	}
	r := release{out: out, base: base, systems: chosen}
	if err := r.identify(); err != nil {
		return err
	}
	if err := r.make(); err != nil {
		return err
	}
	if twice {
		again := r
		again.out = out + "-again"
		if err := again.make(); err != nil {
			return err
		}
		if err := alike(out, again.out); err != nil {
			return err
		}
		if err := os.RemoveAll(again.out); err != nil {
			return err
		}
		fmt.Println("made twice: every byte is the same")
	}
	return r.show()
}

// identify finds out what is released: a commit without changes.
func (r *release) identify() error {
	changes, err := output("git", "status", "--porcelain", "--untracked-files=no")
	if err != nil {
		return err
	}
	if changes != "" {
		return errors.New("files are changed that are not committed; what is released has to be a commit:\n" + changes)
	}
	seconds, err := output("git", "log", "-1", "--format=%ct")
	if err != nil {
		return err
	}
	number, err := strconv.ParseInt(seconds, 10, 64)
	if err != nil {
		return err
	}
	r.made = time.Unix(number, 0).UTC()
	r.version, err = versionOf("cli/version.go")
	return err
}

// output runs a program and gives what it prints.
func output(name string, arguments ...string) (string, error) {
	out, err := exec.Command(name, arguments...).Output()
	if err != nil {
		return "", fmt.Errorf("%s %s: %w", name, strings.Join(arguments, " "), err)
	}
	return strings.TrimSpace(string(out)), nil
}

// make makes everything in a new folder.
func (r *release) make() error {
	if err := os.MkdirAll(filepath.Dir(r.out), 0o755); err != nil {
		return err
	}
	if err := os.Mkdir(r.out, 0o755); err != nil {
		return fmt.Errorf("%w; remove it, or name another with -out", err)
	}
	work, err := os.MkdirTemp("", "opengauge-release-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	extras, err := r.extras(filepath.Join(work, "extras"))
	if err != nil {
		return err
	}
	var archives []archive
	for _, system := range r.systems {
		fmt.Println("building for", system)
		program, err := r.build(work, system)
		if err != nil {
			return err
		}
		made, err := r.pack(system, program, extras)
		if err != nil {
			return err
		}
		archives = append(archives, made)
		if err := r.packages(work, system, program, extras); err != nil {
			return err
		}
		if err := r.parts(system, program); err != nil {
			return err
		}
	}
	if err := r.managers(archives); err != nil {
		return err
	}
	return r.sums()
}

// build makes the program for a system.
func (r *release) build(work, system string) (string, error) {
	goos, goarch, _ := strings.Cut(system, "/")
	program := filepath.Join(work, strings.ReplaceAll(system, "/", "-"), "opengauge")
	if goos == "windows" {
		program += ".exe"
	}
	// -buildvcs says of which commit it is; paths of this machine are left out.
	command := exec.Command("go", "build", "-trimpath", "-buildvcs=true", "-ldflags=-s -w -buildid=", "-o", program,
		"./cmd/opengauge")
	command.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+goos, "GOARCH="+goarch, "GOFLAGS=", "GOARM=7",
		"GOAMD64=v1")
	if out, err := command.CombinedOutput(); err != nil {
		return "", fmt.Errorf("building for %s: %w: %s", system, err, out)
	}
	return program, nil
}

// show prints what was made, with sizes.
func (r *release) show() error {
	entries, err := os.ReadDir(r.out)
	if err != nil {
		return err
	}
	for _, entry := range entries {
		info, err := entry.Info()
		if err != nil {
			return err
		}
		fmt.Printf("%8.2f MB  %s\n", float64(info.Size())/1e6, entry.Name())
	}
	return nil
}
