//go:build linux

package main

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// The moments at which a measurement is killed: at any time, or as soon as something
// happens to a file.
const (
	anyTime  = "any time"
	filling  = "fill"
	passing  = "pass"
	keeping  = "record"
	cleaning = "clean-up"
)

// killMeasure kills a measurement, and looks at its remains.
func killMeasure(b *bench) error {
	aim := []string{filling, passing, keeping, cleaning}[b.chance.IntN(4)]
	delay := b.after(3 * time.Millisecond)
	if aim == passing {
		delay = b.after(400 * time.Millisecond)
	}
	got := b.watch(b.command(b.measure()...), func(process *os.Process, said *heard, ended <-chan struct{}) {
		switch aim {
		case filling:
			b.whenFile(b.target(), unix.IN_CREATE, 1+b.chance.IntN(3), ended)
		case passing:
			whenSaid(said, "filling the test file", ended)
		case keeping:
			b.whenFile(filepath.Dir(b.logbook()), unix.IN_MODIFY, 1+b.chance.IntN(60), ended)
		case cleaning:
			b.whenFile(b.target(), unix.IN_DELETE, 1, ended)
		}
		pause(delay, ended)
		_ = process.Kill()
	})
	if b.phase = aim; !got.killed {
		b.phase = aim + ", came too late"
	}
	return b.afterMeasure(got)
}

// afterMeasure checks everything that must be true after a measurement.
func (b *bench) afterMeasure(got outcome) error {
	if got.code > 1 || strings.Contains(got.stderr, "panic:") || strings.Contains(got.stderr, "did not end") {
		return fmt.Errorf("exit %d: %s", got.code, got.stderr)
	}
	passes, err := b.sessions()
	if err != nil {
		return err
	}
	held := 0
	for _, each := range passes {
		held += each
	}
	var lost error
	if told := toldPasses(got.stderr); held < told {
		lost = fmt.Errorf("%d passes were told, and %d are there", told, held)
	}
	return errors.Join(lost, b.holdsUp(), b.cleanAgain(b.target(), b.temporary()))
}

// killCopy kills a copy.
func killCopy(b *bench) error {
	arguments := []string{"copy", b.target(), b.other(), "--set", "small-files", "--size", "2MiB"}
	delay := b.after(500 * time.Millisecond)
	got := b.watch(b.command(arguments...), func(process *os.Process, said *heard, ended <-chan struct{}) {
		pause(delay, ended)
		_ = process.Kill()
	})
	b.phase = phaseOfCopy(got)
	if again := b.run(arguments...); again.code != 0 {
		return fmt.Errorf("another copy: exit %d: %s", again.code, again.stderr)
	}
	return errors.Join(b.holdsUp(), b.cleanAgain(b.target(), b.other(), b.temporary()))
}

func phaseOfCopy(got outcome) string {
	switch {
	case !got.killed:
		return "came too late"
	case strings.Contains(got.stderr, "copy 1/"):
		return "copying"
	case strings.Contains(got.stderr, "making the set"):
		return "making the set"
	}
	return "before anything"
}

// killLogbook kills a command that writes to a logbook or from one.
func killLogbook(b *bench) error {
	if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", "first"); got.code != 0 {
		return fmt.Errorf("measuring: %s", got.stderr)
	}
	whole := filepath.Join(b.outputs(), "whole.json")
	if got := b.run("logbook", "export", "--all", "--out", whole); got.code != 0 {
		return fmt.Errorf("exporting: %s", got.stderr)
	}
	donor := filepath.Join(b.outputs(), "donor.db")
	if got := b.run("logbook", "backup", donor); got.code != 0 {
		return fmt.Errorf("backing up: %s", got.stderr)
	}
	output := filepath.Join(b.outputs(), "output.db")
	ways := map[string][]string{
		"export": {"logbook", "export", "--all", "--out", output + ".json"}, "backup": {"logbook", "backup", output},
		"import": {"logbook", "import", whole, "--logbook", output},
		"merge":  {"logbook", "import", donor, "--logbook", output},
		"repair": {"logbook", "check", "--repair", output}, "tag": {"logbook", "tag", "first", "x"},
		"remove": {"logbook", "remove", "first", "--yes"}, "note": {"logbook", "note", "first", "the tide was low"},
		"quote":     {"logbook", "quote", "dunlin", "write sequential 1 MiB, depth 8", "2900MB/s", "--source", "a paper"},
		"retention": {"logbook", "retention", "--samples", "180d", "--sessions", "5y"},
		"dataset":   {"logbook", "export", "--all", "--dataset", output + ".tables"},
	}
	names := slices.Sorted(maps.Keys(ways))
	way := names[b.chance.IntN(len(names))]
	delay := b.after(60 * time.Millisecond)
	got := b.watch(b.command(ways[way]...), func(process *os.Process, _ *heard, ended <-chan struct{}) {
		pause(delay, ended)
		_ = process.Kill()
	})
	if b.phase = way; !got.killed {
		b.phase += ", came too late"
	}
	var faults error
	if _, err := os.Stat(output); err == nil { // what has its name is whole
		if got := b.run("logbook", "check", "--logbook", output); got.code != 0 {
			faults = fmt.Errorf("%s left %s", way, got.stderr+got.stdout)
		}
	}
	for _, beside := range []string{output, output + "-wal", output + "-shm", output + ".json", whole, donor} {
		_ = os.Remove(beside)
	}
	_ = os.RemoveAll(output + ".tables")
	// The next that writes there removes what is left.
	again := b.run("logbook", "export", "--all", "--out", filepath.Join(b.outputs(), "again.json"))
	if way != "remove" && again.code != 0 {
		faults = errors.Join(faults, fmt.Errorf("another export: exit %d: %s", again.code, again.stderr))
	}
	_ = os.Remove(filepath.Join(b.outputs(), "again.json"))
	if again := b.run("logbook", "import", filepath.Join(b.outputs(), "none.json"), "--logbook", output); again.code == 0 {
		faults = errors.Join(faults, errors.New("what is not there is imported"))
	}
	for _, beside := range []string{output, output + "-wal", output + "-shm"} {
		_ = os.Remove(beside)
	}
	return errors.Join(faults, b.holdsUp(), b.cleanAgain(b.outputs(), b.temporary()))
}

// killReview kills a review on simulated parts, or the packing of one. The next one goes on where it was, and
// makes no visit twice.
func killReview(b *bench) error {
	question := filepath.Join("examples", "reviews", "cases.yaml")
	visits := []string{"review", "run", question, "--unattended", "--visits", "2"}
	packed := filepath.Join(b.outputs(), "packed.json.gz")
	pack := []string{"review", "pack", question, "--out", packed}
	if got := b.run(visits...); got.code != 0 {
		return fmt.Errorf("two visits: exit %d: %s", got.code, got.stderr)
	}
	arguments := visits
	phase := "visits"
	if b.chance.IntN(3) == 0 {
		arguments = pack
		phase = "packing"
	}
	delay := b.after(300 * time.Millisecond)
	got := b.watch(b.command(arguments...), func(process *os.Process, _ *heard, ended <-chan struct{}) {
		pause(delay, ended)
		_ = process.Kill()
	})
	if b.phase = phase; !got.killed {
		b.phase += ", came too late"
	}
	for _, again := range [][]string{visits, pack} {
		if got := b.run(again...); got.code != 0 {
			return fmt.Errorf("another %s: exit %d: %s", again[1], got.code, got.stderr)
		}
	}
	_ = os.Remove(packed)
	return errors.Join(b.holdsUp(), b.cleanAgain(b.outputs(), b.temporary()))
}

// killReport kills a command that writes pages, kits and pictures.
func killReport(b *bench) error {
	if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", "first"); got.code != 0 {
		return fmt.Errorf("measuring: %s", got.stderr)
	}
	page, kit, picture := filepath.Join(b.outputs(), "page.html"), filepath.Join(b.outputs(), "kit"),
		filepath.Join(b.outputs(), "picture.png")
	arguments := []string{"report", "first", "--out", page, "--kit", kit, "--image", picture}
	if err := os.WriteFile(page, []byte("the page of before"), 0o600); err != nil {
		return err
	}
	delay := b.after(1500 * time.Millisecond)
	got := b.watch(b.command(arguments...), func(process *os.Process, _ *heard, ended <-chan struct{}) {
		pause(delay, ended)
		_ = process.Kill()
	})
	if b.phase = "writing"; !got.killed {
		b.phase = "came too late"
	}
	content, err := os.ReadFile(page)
	whole := strings.HasSuffix(strings.TrimSpace(string(content)), "</html>")
	if err != nil || string(content) != "the page of before" && !whole {
		return fmt.Errorf("the page is neither the old one nor the new: %d bytes, %w", len(content), err)
	}
	_ = os.RemoveAll(kit)
	if again := b.run(arguments...); again.code != 0 {
		return fmt.Errorf("another report: exit %d: %s", again.code, again.stderr)
	}
	for _, each := range []string{page, picture} {
		if err := os.Remove(each); err != nil {
			return err
		}
	}
	return errors.Join(os.RemoveAll(kit), b.holdsUp(), b.cleanAgain(b.outputs(), b.temporary()))
}

// pause waits, unless the program ends before.
func pause(stretch time.Duration, ended <-chan struct{}) {
	select {
	case <-ended:
	case <-time.After(stretch):
	}
}

// whenSaid waits until a program has said something.
func whenSaid(said *heard, text string, ended <-chan struct{}) {
	for !strings.Contains(said.String(), text) {
		select {
		case <-ended:
			return
		case <-time.After(time.Millisecond):
		}
	}
}

// whenFile waits until something has happened to files in a folder that many times, as the
// kernel tells it (inotify(7)).
func (b *bench) whenFile(folder string, what uint32, times int, ended <-chan struct{}) {
	fd, err := unix.InotifyInit1(unix.IN_CLOEXEC | unix.IN_NONBLOCK)
	if err != nil {
		return
	}
	defer unix.Close(fd)
	if _, err := unix.InotifyAddWatch(fd, folder, what); err != nil {
		return
	}
	events := make([]byte, 4096)
	for times > 0 {
		select {
		case <-ended:
			return
		default:
		}
		polled := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLIN}}
		if ready, err := unix.Poll(polled, 20); ready == 0 || err != nil {
			continue
		}
		read, err := unix.Read(fd, events)
		for at := 0; err == nil && at+unix.SizeofInotifyEvent <= read; times-- {
			at += unix.SizeofInotifyEvent + int(uint32(events[at+12])|uint32(events[at+13])<<8)
		}
	}
}
