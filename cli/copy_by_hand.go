package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"opengauge/core/load/fileset"
	"opengauge/core/measure/transfer"
	"opengauge/core/unit"
	"opengauge/present/term"
)

// arrivedRecord is the document of copy --check --json.
type arrivedRecord struct {
	Format string `json:"format"`
	Folder string `json:"folder"`
	Set    string `json:"set"`
	Seed   uint64 `json:"seed"`
	Files  int    `json:"files"`
	Bytes  int64  `json:"bytes"`
	OK     bool   `json:"ok"`
	transfer.Arrived
}

// copyByHand makes a set to be copied by hand, or looks whether one arrived.
func (e *environment) copyByHand(ctx context.Context, arguments []string, f *copyFlags) error {
	switch {
	case len(arguments) > 0 || len(f.among) > 0:
		return usageError{errors.New("--lay-out and --check name their folder themselves; leave out other ends")}
	case f.layOut != "" && f.check != "":
		return usageError{errors.New("--lay-out makes a set and --check looks at one: one after the other")}
	case len(f.sets) != 1:
		return usageError{errors.New("name one --set: " + strings.Join(fileset.Names(), ", "))}
	}
	size, err := defaultSetSize, error(nil)
	if f.size != "" {
		if size, err = unit.ParseBytes(f.size); err != nil {
			return usageError{fmt.Errorf("--size: %w", err)}
		}
	}
	set, err := fileset.New(f.sets[0], size, f.seed)
	if err != nil {
		return usageError{fmt.Errorf("--set: %w", err)}
	}
	progress := term.NewStretch(term.NewScreen(e.stderr), set.Bytes())
	if f.layOut != "" {
		folder, err := transfer.LayOut(ctx, f.layOut, set, progress.Tell("laid out"))
		progress.Finish()
		if err != nil {
			return interruptedBy(ctx, err)
		}
		e.showLaidOut(folder, set, f)
		return nil
	}
	arrived, err := transfer.CheckLaidOut(ctx, f.check, set, progress.Tell("compared"))
	progress.Finish()
	if err != nil {
		return interruptedBy(ctx, err)
	}
	return e.showArrived(arrived, set, f)
}

// interruptedBy tells somebody's wish to end from an error.
func interruptedBy(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return errInterrupted
	}
	return err
}

func (e *environment) showLaidOut(folder string, set fileset.Set, f *copyFlags) {
	screen := e.screen()
	screen.Paragraph("", fmt.Sprintf("%s in %s: %s.", set.Bytes().Decimal(), unit.Count(len(set.Entries), "file"), folder))
	screen.Println("")
	screen.Paragraph("→ ", "Copy that folder by hand, as a whole, and time it:")
	asked := fmt.Sprintf("--set %s --size %dB --seed %d", set.Name, set.Bytes(), set.Seed)
	screen.Println("  opengauge stopwatch " + asked + " --from NAME --to NAME")
	screen.Paragraph("→ ", "Then say whether it arrived whole, from where it went to:")
	screen.Println("  opengauge copy --check FOLDER " + asked)
}

// mostNamed of the files that are not as they should be are named.
const mostNamed = 5

func (e *environment) showArrived(a transfer.Arrived, set fileset.Set, f *copyFlags) error {
	if e.json {
		if err := e.writeJSON(arrivedRecord{Format: "opengauge.arrived/1", Folder: f.check, Set: set.Name, Seed: set.Seed,
			Files: len(set.Entries), Bytes: int64(set.Bytes()), OK: a.OK(), Arrived: a}); err != nil {
			return err
		}
	} else {
		e.sayArrived(a, set)
	}
	if !a.OK() {
		return errors.New("what arrived is not whole: " + unit.Count(len(set.Entries)-a.Whole, "file") + " of " +
			unit.Grouped(int64(len(set.Entries))))
	}
	return nil
}

func (e *environment) sayArrived(a transfer.Arrived, set fileset.Set) {
	screen := e.screen()
	if a.OK() {
		screen.Paragraph("", fmt.Sprintf("Whole: %s, %s, byte for byte as they were laid out.",
			unit.Count(len(set.Entries), "file"), set.Bytes().Decimal()))
	}
	for _, each := range []struct {
		says  string
		files []string
	}{{"missing", a.Missing}, {"of another size", a.Shorter}, {"with other content", a.Differing},
		{"there besides, of no set", a.Strange}} {
		if len(each.files) == 0 {
			continue
		}
		named := strings.Join(each.files[:min(len(each.files), mostNamed)], ", ")
		if more := len(each.files) - mostNamed; more > 0 {
			named += fmt.Sprintf(" and %d more", more)
		}
		screen.Paragraph("  ", fmt.Sprintf("%s %s: %s", unit.Count(len(each.files), "file"), each.says, named))
	}
}
