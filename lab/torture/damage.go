//go:build linux

package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"
)

// small mounts a file system of a few MiB over a folder.
func (b *bench) small(folder string, megabytes int) error {
	if os.Geteuid() != 0 {
		return errSkipped
	}
	if err := syscall.Mount("tmpfs", folder, "tmpfs", 0, fmt.Sprintf("size=%dm", megabytes)); err != nil {
		return fmt.Errorf("%w: %w", errSkipped, err)
	}
	b.undo = append(b.undo, func() { _ = syscall.Unmount(folder, syscall.MNT_DETACH) })
	return nil
}

// fullDisk fills the disk of the target, of the logbook or of the output at some moment.
func fullDisk(b *bench) error {
	where := []string{"target", "logbook", "output"}[b.chance.IntN(3)]
	b.phase = where
	folder := map[string]string{"target": b.target(), "logbook": filepath.Dir(b.logbook()), "output": b.outputs()}[where]
	if err := b.small(folder, 8); err != nil {
		return err
	}
	arguments := b.measure()
	if where == "output" {
		if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", "first"); got.code != 0 {
			return fmt.Errorf("measuring: %s", got.stderr)
		}
		arguments = []string{"report", "first", "--out", filepath.Join(folder, "page.html"), "--kit",
			filepath.Join(folder, "kit")}
	}
	delay := b.after(600 * time.Millisecond)
	ballast := filepath.Join(folder, "ballast")
	got := b.watch(b.command(arguments...), func(_ *os.Process, _ *heard, ended <-chan struct{}) {
		pause(delay, ended)
		_ = os.WriteFile(ballast, make([]byte, 16<<20), 0o600) // as far as it goes
		<-ended
	})
	if err := os.Remove(ballast); err != nil {
		return err
	}
	if where == "output" {
		_ = os.Remove(filepath.Join(folder, "page.html"))
		_ = os.RemoveAll(filepath.Join(folder, "kit"))
		if got.code > 1 || strings.Contains(got.stderr, "panic:") {
			return fmt.Errorf("exit %d: %s", got.code, got.stderr)
		}
		return errors.Join(b.holdsUp(), b.cleanAgain(b.outputs(), b.temporary()))
	}
	return b.afterMeasure(got)
}

// tornLogbook tears a copy of the logbook or of its log, and sees that nothing of the damage
// gets into another one.
func tornLogbook(b *bench) error {
	for i := range 3 {
		if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", fmt.Sprint("s", i)); got.code != 0 {
			return fmt.Errorf("measuring: %s", got.stderr)
		}
	}
	content, err := os.ReadFile(b.logbook())
	if err != nil {
		return err
	}
	way := []string{"cut off", "a page of zeros", "bits turned over", "pages swapped"}[b.chance.IntN(4)]
	const page = 4096
	pages := len(content) / page
	one := b.chance.IntN(pages)
	two := b.chance.IntN(pages)
	switch b.phase = way; way {
	case "cut off":
		content = content[:b.chance.IntN(len(content))]
	case "a page of zeros":
		clear(content[one*page : (one+1)*page])
	case "bits turned over":
		for range 3 {
			content[b.chance.IntN(len(content))] ^= 1 << b.chance.IntN(8)
		}
	case "pages swapped":
		for i := range page {
			content[one*page+i], content[two*page+i] = content[two*page+i], content[one*page+i]
		}
	}
	torn, saved, into := filepath.Join(b.outputs(), "torn.db"), filepath.Join(b.outputs(), "saved.db"),
		filepath.Join(b.outputs(), "into.db")
	if err := os.WriteFile(torn, content, 0o600); err != nil {
		return err
	}
	var faults error
	for _, arguments := range [][]string{{"logbook", "check", "--logbook", torn}, {"logbook", "list", "--logbook", torn},
		{"logbook", "check", "--repair", saved, "--logbook", torn}, {"logbook", "import", torn, "--logbook", into},
		{"logbook", "export", "--all", "--logbook", torn}} {
		if got := b.run(arguments...); got.code > 1 || got.code < 0 || strings.Contains(got.stderr, "panic:") ||
			strings.Contains(got.stderr, "did not end") {
			faults = errors.Join(faults, fmt.Errorf("%v: exit %d: %s", arguments[:2], got.code, got.stderr))
		}
	}
	for _, made := range []string{saved, into} {
		if _, err := os.Stat(made); err != nil {
			continue
		}
		if got := b.run("logbook", "check", "--logbook", made); got.code != 0 {
			faults = errors.Join(faults, fmt.Errorf("damage spread to %s: %s", filepath.Base(made), got.stderr+got.stdout))
		}
	}
	return faults
}

// twentyAtOnce runs twenty programs on one logbook: none fails, and nothing is lost.
func twentyAtOnce(b *bench) error {
	if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", "first"); got.code != 0 {
		return fmt.Errorf("measuring: %s", got.stderr)
	}
	donor := &bench{program: b.program, folder: filepath.Join(b.folder, "donor"), chance: b.chance}
	if err := os.MkdirAll(filepath.Dir(donor.logbook()), 0o700); err != nil {
		return err
	}
	if err := os.MkdirAll(donor.temporary(), 0o700); err != nil {
		return err
	}
	const foreign = 150
	if err := manyIn(donor, foreign); err != nil {
		return err
	}
	var group sync.WaitGroup
	results := make([]error, 20)
	for i := range results {
		arguments := []string{"measure", "sim:dunlin", "--hold", "30s", "--name", fmt.Sprint("n", i)}
		switch {
		case i >= 8 && i < 12:
			arguments = []string{"logbook", "import", donor.logbook()}
		case i >= 12 && i < 15:
			arguments = []string{"logbook", "list"}
		case i == 15:
			arguments = []string{"logbook", "backup", filepath.Join(b.outputs(), "backup.db")}
		case i == 16:
			arguments = []string{"logbook", "export", "--all", "--out", filepath.Join(b.outputs(), "all.json")}
		case i == 17:
			arguments = []string{"logbook", "tag", "first", "x"}
		case i == 18:
			arguments = []string{"logbook", "check"}
		case i == 19:
			arguments = []string{"logbook", "remove", "first", "--yes"}
		}
		group.Go(func() {
			got := b.run(arguments...)
			// The one that another removes is not there any more for a third: that is no fault.
			gone := strings.Contains(got.stderr, `no session "first"`) ||
				strings.Contains(got.stderr, "removed meanwhile") || strings.Contains(got.stderr, "no session is left")
			if got.code != 0 && !gone {
				results[i] = fmt.Errorf("%v: exit %d: %s", arguments[:2], got.code, got.stderr)
			}
		})
	}
	group.Wait()
	passes, err := b.sessions()
	if want := 8 + foreign; err == nil && len(passes) != want {
		err = fmt.Errorf("%d sessions are there, want %d: %s", len(passes), want, b.missing(foreign))
	}
	return errors.Join(errors.Join(results...), err, b.holdsUp())
}

// missing says which sessions are not there.
func (b *bench) missing(foreign int) string {
	list := b.run("logbook", "list", "--json", "--limit", "0").stdout
	var missing []string
	for i := range 8 {
		if name := fmt.Sprintf(`"name": "n%d"`, i); !strings.Contains(list, name) {
			missing = append(missing, name)
		}
	}
	for i := range foreign - 1 {
		if name := fmt.Sprintf(`"name": "copy %d"`, i); !strings.Contains(list, name) {
			missing = append(missing, name)
		}
	}
	return "missing are " + strings.Join(missing, ", ")
}

// manyIn puts sessions into a logbook, by one file of many documents.
func manyIn(b *bench, count int) error {
	if got := b.run("measure", "sim:curlew", "--hold", "30s", "--name", "one"); got.code != 0 {
		return fmt.Errorf("measuring: %s", got.stderr)
	}
	got := b.run("logbook", "export", "--all", "--format", "json")
	if got.code != 0 {
		return fmt.Errorf("exporting: %s", got.stderr)
	}
	shown := b.run("logbook", "show", "one", "--json")
	id := between(shown.stdout, `"id": "`, `"`)
	if id == "" {
		return fmt.Errorf("the session has no id: %.200s", shown.stdout)
	}
	var all strings.Builder
	for i := range count - 1 {
		other := strings.Replace(shown.stdout, `"id": "`+id+`"`, fmt.Sprintf(`"id": "copy%06d"`, i), 1)
		all.WriteString(strings.Replace(other, `"name": "one"`, fmt.Sprintf(`"name": "copy %d"`, i), 1))
	}
	file := filepath.Join(b.folder, "many.json")
	if err := os.WriteFile(file, []byte(all.String()), 0o600); err != nil {
		return err
	}
	if got := b.run("logbook", "import", file); got.code != 0 {
		return fmt.Errorf("importing: %s", got.stderr)
	}
	return nil
}

func between(text, before, behind string) string {
	_, rest, ok := strings.Cut(text, before)
	if !ok {
		return ""
	}
	found, _, _ := strings.Cut(rest, behind)
	return found
}
