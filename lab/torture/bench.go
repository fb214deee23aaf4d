//go:build linux

package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"time"
)

// bench is the place of one try: a program, a logbook, a folder to measure.
type bench struct {
	program, folder string
	chance          *rand.Rand
	// address is of a logbook on a server, where the try has one.
	address string
	// phase says where the try hit the program.
	phase string
	// undo holds functions that give back everything the try took, the last first.
	undo []func()
}

func newBench(program, folder string, seed uint64) (*bench, error) {
	b := &bench{program: program, folder: folder, chance: rand.New(rand.NewPCG(seed, 0x746f7274757265)), phase: "whole"}
	for _, each := range []string{b.target(), b.other(), b.outputs(), filepath.Dir(b.logbook()), b.temporary()} {
		if err := os.MkdirAll(each, 0o700); err != nil {
			return b, err
		}
	}
	return b, os.WriteFile(b.plan(), []byte(plan), 0o600)
}

// plan has passes of both kinds, which take moments.
const plan = `plan: short
steps:
  - sweep: {operation: [read, write], access: random, block: [4KiB, 16KiB], depth: 4, hold: 60ms}
`

func (b *bench) target() string    { return filepath.Join(b.folder, "target") }
func (b *bench) other() string     { return filepath.Join(b.folder, "other") }
func (b *bench) outputs() string   { return filepath.Join(b.folder, "outputs") }
func (b *bench) temporary() string { return filepath.Join(b.folder, "temporary") }
func (b *bench) logbook() string   { return filepath.Join(b.folder, "logbook", "logbook.db") }
func (b *bench) plan() string      { return filepath.Join(b.folder, "plan.yaml") }

// measure are the arguments of a short measurement.
func (b *bench) measure() []string {
	return []string{"measure", b.target(), "--size", "1MiB", "--plan", b.plan(), "--sample", "20ms"}
}

// after is a stretch of up to the longest, drawn.
func (b *bench) after(longest time.Duration) time.Duration {
	return time.Duration(b.chance.Int64N(int64(longest)))
}

// outcome is the exit code and the output of a program.
type outcome struct {
	code           int
	killed         bool
	stdout, stderr string
}

func (b *bench) command(arguments ...string) *exec.Cmd {
	command := exec.Command(b.program, arguments...)
	command.Env = append(os.Environ(), "OPENGAUGE_LOGBOOK="+b.logbook(), "TMPDIR="+b.temporary())
	command.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	return command
}

// longest is the most time of any program.
const longest = 2 * time.Minute

func (b *bench) run(arguments ...string) outcome { return b.watch(b.command(arguments...), nil) }

// heard is the output of a program so far.
type heard struct {
	mutex sync.Mutex
	text  bytes.Buffer
}

func (h *heard) Write(text []byte) (int, error) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	return h.text.Write(text)
}

func (h *heard) String() string {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	return h.text.String()
}

// beside runs while a program runs, until it ends.
type beside func(process *os.Process, said *heard, ended <-chan struct{})

// watch runs a program, and something beside it.
func (b *bench) watch(command *exec.Cmd, beside beside) outcome {
	var stdout bytes.Buffer
	said := &heard{}
	command.Stdout = &stdout
	command.Stderr = said
	if err := command.Start(); err != nil {
		return outcome{code: -1, stderr: err.Error()}
	}
	ended := make(chan struct{})
	var group sync.WaitGroup
	if beside != nil {
		group.Go(func() { beside(command.Process, said, ended) })
	}
	timer := time.AfterFunc(longest, func() { _ = command.Process.Kill() })
	_ = command.Wait()
	late := !timer.Stop()
	close(ended)
	group.Wait()
	status, _ := command.ProcessState.Sys().(syscall.WaitStatus)
	got := outcome{command.ProcessState.ExitCode(), status.Signaled(), stdout.String(), said.String()}
	if late {
		got.stderr += "\nit did not end within " + longest.String()
	}
	return got
}

var toldPass = regexp.MustCompile(`(?m)^pass (\d+)/\d+: `)

// toldPasses is how many passes a program said that it had measured.
func toldPasses(text string) int { return len(toldPass.FindAllString(text, -1)) }

// sessions is how many passes each session in the logbook has, the newest first.
func (b *bench) sessions() ([]int, error) {
	got := b.run("logbook", "list", "--json", "--limit", "0")
	if got.code != 0 {
		if strings.Contains(got.stderr, "there is no logbook") {
			return nil, nil
		}
		return nil, fmt.Errorf("list: exit %d: %s", got.code, got.stderr)
	}
	var list struct {
		Sessions []struct{ Passes int }
	}
	if err := json.Unmarshal([]byte(got.stdout), &list); err != nil {
		return nil, fmt.Errorf("list: %w", err)
	}
	var passes []int
	for _, each := range list.Sessions {
		passes = append(passes, each.Passes)
	}
	return passes, nil
}

// holdsUp is an invariant: the logbook is sound and the program did not panic.
func (b *bench) holdsUp() error {
	if _, err := os.Stat(b.logbook()); err != nil {
		return nil
	}
	if got := b.run("logbook", "check"); got.code != 0 {
		return fmt.Errorf("the logbook does not hold up: %s", got.stderr+got.stdout)
	}
	return nil
}

// cleanAgain is an invariant: once another run has been there, nothing is left in folders, and
// nothing beside the logbook.
func (b *bench) cleanAgain(folders ...string) error {
	for try := 0; ; try++ {
		got := b.run("measure", b.target(), "--size", "1MiB", "--plan", "quick-read", "--hold", "10ms")
		if got.code > 1 {
			return fmt.Errorf("another run: exit %d: %s", got.code, got.stderr)
		}
		written := filepath.Join(b.outputs(), "again")
		if got := b.run("survey", "--capture", written); got.code == 0 {
			_ = os.Remove(written)
		}
		left, unborn := b.left(folders)
		if len(left) == 0 || !unborn || try > 0 {
			return errors.Join(left...)
		}
		// What is empty may be of a program that is about to write to it, for a moment.
		time.Sleep(2100 * time.Millisecond)
	}
}

// left lists everything in folders, and beside the logbook, and whether all of it is empty.
func (b *bench) left(folders []string) (left []error, unborn bool) {
	unborn = true
	for _, folder := range append([]string{filepath.Dir(b.logbook())}, folders...) {
		entries, _ := os.ReadDir(folder)
		for _, each := range entries {
			name := each.Name()
			if strings.TrimSuffix(strings.TrimSuffix(name, "-wal"), "-shm") == filepath.Base(b.logbook()) {
				continue
			}
			info, err := each.Info()
			unborn = unborn && err == nil && info.Size() == 0
			left = append(left, fmt.Errorf("%s was left in %s", name, filepath.Base(folder)))
		}
	}
	return left, unborn
}

// end removes the bench.
func (b *bench) end() error {
	for i := len(b.undo) - 1; i >= 0; i-- {
		b.undo[i]()
	}
	return os.RemoveAll(b.folder)
}
