// Package cli holds the commands: each reads its flags, calls the core, and
// hands the result to present.
//
// A command runs once in a process, on one goroutine.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"opengauge/core/unit"
	"opengauge/present/term"
)

// Exit codes, as the README lists them.
const (
	exitDone        = 0
	exitFailed      = 1
	exitUsage       = 2
	exitFound       = 3
	exitInterrupted = 130
)

// usageError is a mistake in the command line.
type usageError struct{ cause error }

func (e usageError) Error() string { return e.cause.Error() }
func (e usageError) Unwrap() error { return e.cause }

var (
	// errFound ends a command whose findings reached --fail-on.
	errFound = errors.New("a finding reached the severity of --fail-on")
	// errInterrupted ends a command that was stopped after it had results, which are kept.
	errInterrupted = errors.New("interrupted; what was measured is kept")
	// errStoppedEarly ends one that had nothing yet.
	errStoppedEarly = errors.New("interrupted before anything was measured; nothing is kept")
	// errStopped ends one that measures nothing.
	errStopped = errors.New("interrupted")
)

// environment is the surroundings of a command.
type environment struct {
	stdout, stderr io.Writer
	logbookPath    string
	benchPath      string
	units          string
	json           bool
	// ctx ends when the command is interrupted.
	ctx context.Context
	// duties must be done before the program ends.
	duties duties
}

func (e *environment) screen() *term.Screen { return term.NewScreen(e.stdout) }

// notation is how throughput is shown.
func (e *environment) notation() (unit.Notation, error) {
	notation, err := unit.ParseNotation(e.units)
	if err != nil {
		return 0, usageError{err}
	}
	return notation, nil
}

// Main runs a command line and returns the exit code. A signal cancels the command; a second one
// ends the program at once.
func Main(arguments []string, stdout, stderr io.Writer) int {
	return execute(&environment{}, caughtSignals(), arguments, stdout, stderr)
}

// execute runs a command line in an environment, until it ends or a signal cancels it, and
// returns the exit code.
func execute(env *environment, signals <-chan os.Signal, arguments []string, stdout, stderr io.Writer) int {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	out, lost := outletTo(stdout)
	messages, _ := outletTo(stderr) // a reader that is gone is no failure
	env.ctx = ctx
	env.stdout = out
	env.stderr = messages
	root := newRoot(env)
	root.SetArgs(arguments)
	ended := make(chan error, 1)
	go func() { ended <- root.ExecuteContext(ctx) }()
	select {
	case err := <-ended:
		return exitCode(errors.Join(err, lost.cause()), messages)
	case <-signals:
		cancel()
		return env.endAfterSignal(ended, signals)
	}
}

func exitCode(err error, stderr io.Writer) int {
	var usage usageError
	switch {
	case err == nil:
		return exitDone
	case errors.Is(err, errFound):
		fmt.Fprintf(stderr, "opengauge: %s\n", err)
		return exitFound
	case errors.Is(err, errInterrupted), errors.Is(err, errStoppedEarly), errors.Is(err, errStopped):
		fmt.Fprintf(stderr, "opengauge: %s\n", oneLine(err))
		return exitInterrupted
	case errors.As(err, &usage):
		fmt.Fprintf(stderr, "opengauge: %s\n", oneLine(err))
		return exitUsage
	case errors.Is(err, syscall.EPIPE): // whoever read the output has read enough
		return exitFailed
	default:
		fmt.Fprintf(stderr, "opengauge: %s\n", oneLine(err))
		return exitFailed
	}
}

// oneLine writes joined errors in one line.
func oneLine(err error) string {
	var once []string
	for line := range strings.Lines(err.Error()) {
		if line = strings.TrimSpace(line); !slices.Contains(once, line) {
			once = append(once, line)
		}
	}
	return term.Clean(strings.Join(once, "; "))
}

// Tree is the tree of commands, to be looked at: the reference is made from it.
func Tree() *cobra.Command {
	return newRoot(&environment{ctx: context.Background(), stdout: io.Discard, stderr: io.Discard})
}

func newRoot(env *environment) *cobra.Command {
	version := false
	root := &cobra.Command{
		Use:   "opengauge",
		Short: "Find out how fast storage is, and what holds it back",
		Long: `opengauge measures drives, enclosures, adapters and volumes, keeps what it
measured, and says what held it back.`,
		Example: `  opengauge demo                          the full example, on simulated parts
  opengauge measure /media/stick          a first figure of a real drive
  opengauge explain latest                what the last session found
  opengauge report latest --out page.html a page to read or publish`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if version {
				_, err := io.WriteString(env.stdout, versionLine())
				return err
			}
			return cmd.Help()
		},
	}
	// Not cobra's own version flag, whose template keeps the linker from dropping methods.
	root.Flags().BoolVarP(&version, "version", "v", false, "version for opengauge")
	root.SetOut(env.stdout)
	root.SetErr(env.stderr)
	flags := root.PersistentFlags()
	flags.StringVar(&env.logbookPath, "logbook", env.logbookPath, "the logbook: a file, or "+
		"postgres://HOST/DATABASE, shared by a lab (default $OPENGAUGE_LOGBOOK, or a file in the user's data folder)")
	flags.StringVar(&env.units, "units", "decimal", "show throughput in MB/s (decimal), MiB/s (binary) or "+
		"Gbit/s (bits)")
	_ = root.RegisterFlagCompletionFunc("units", cobra.FixedCompletions(unit.NotationNames,
		cobra.ShellCompDirectiveNoFileComp))
	root.AddCommand(newDemo(env), newMeasure(env), newCopy(env), newSurvey(env), newProbe(env), newLink(env), newPlan(env),
		newForesee(env), newExplain(env),
		newCompare(env), newIsolate(env), newValue(env), newRank(env), newStreams(env), newReview(env), newReport(env),
		newStopwatch(env), newLogbook(env), newStandin(env))
	markUsage(root)
	return root
}

// markUsage makes every mistake in flags and arguments a usage error.
func markUsage(cmd *cobra.Command) {
	cmd.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return usageError{fmt.Errorf("%w; see %s --help", err, c.CommandPath())}
	})
	if check := cmd.Args; check != nil {
		cmd.Args = func(c *cobra.Command, arguments []string) error {
			if err := check(c, arguments); err != nil {
				return usageError{fmt.Errorf("%w; see %s --help", err, c.CommandPath())}
			}
			return nil
		}
	}
	for _, child := range cmd.Commands() {
		markUsage(child)
	}
}
