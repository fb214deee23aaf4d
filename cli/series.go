package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/input"
	"opengauge/core/judge/explain"
	"opengauge/core/load"
	"opengauge/core/record/series"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// seriesFlags holds the flags of explain for a recording made elsewhere.
type seriesFlags struct {
	file, operation, access, block, ceiling, storage string
	depth                                            int
}

func (f *seriesFlags) add(cmd *cobra.Command) {
	set := cmd.Flags()
	set.StringVar(&f.file, "series", "", "explain a recording made elsewhere, FILE.csv")
	set.StringVar(&f.operation, "operation", string(load.Write), "what was recorded: read, write or mixed")
	set.StringVar(&f.access, "access", string(load.Sequential), "in which order: sequential or random")
	set.StringVar(&f.block, "block-size", "1MiB", "in which blocks")
	set.IntVar(&f.depth, "depth", 8, "at which queue depth")
	set.StringVar(&f.ceiling, "ceiling", "", "the most that the chain carries, like 1.04GB/s")
	set.StringVar(&f.storage, "storage", "", "what it was recorded on, where that is known: "+
		strings.Join(explain.Storages, ", "))
	_ = cmd.RegisterFlagCompletionFunc("storage",
		cobra.FixedCompletions(explain.Storages, cobra.ShellCompDirectiveNoFileComp))
}

// read reads the recording.
func (f *seriesFlags) read() (*session.Session, error) {
	about := series.About{Operation: load.Operation(f.operation), Access: load.Access(f.access), Depth: f.depth}
	var err error
	if about.Operation, err = load.ParseOperation(f.operation); err != nil {
		return nil, usageError{fmt.Errorf("--operation: %w", err)}
	}
	if about.Access, err = load.ParseAccess(f.access); err != nil {
		return nil, usageError{fmt.Errorf("--access: %w", err)}
	}
	if about.Block, err = load.ParseBlock(f.block); err != nil {
		return nil, usageError{fmt.Errorf("--block-size: %w", err)}
	}
	if f.ceiling != "" {
		if about.Ceiling, err = unit.ParseRate(f.ceiling); err != nil {
			return nil, usageError{fmt.Errorf("--ceiling: %w", err)}
		}
	}
	if f.storage != "" && !slices.Contains(explain.Storages, f.storage) {
		return nil, usageError{fmt.Errorf("--storage %q is none of %s", f.storage, strings.Join(explain.Storages, ", "))}
	}
	if f.depth < 1 || f.depth > load.LargestDepth {
		return nil, usageError{fmt.Errorf("--depth %d is not from 1 to %d", f.depth, load.LargestDepth)}
	}
	file, err := os.Open(f.file)
	if err != nil {
		return nil, fmt.Errorf("could not read the recording: %w", err)
	}
	defer file.Close()
	s, err := series.Read(filepath.Base(f.file), input.Lines(file), about)
	if err == nil && f.storage != "" {
		s.Conditions[explain.StorageCondition] = f.storage
	}
	return s, err
}
