package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/record/exchange"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
	"opengauge/present/term"
)

// exportFlags holds the flags of export.
type exportFlags struct {
	out, format, table string
	dataset            string
	anonymous, all     bool
	filter             filterFlags
}

func newLogbookExport(env *environment) *cobra.Command {
	flags := &exportFlags{}
	cmd := &cobra.Command{
		Use:   "export [SESSION...]",
		Short: "Write sessions in an open format",
		Long: `Export writes sessions as JSON (whole), as CSV or Parquet (a table of passes, or of
samples), or as OpenMetrics text. The ending of --out says which: .json, .json.gz,
.json.zst, .csv, .parquet, .txt; without --out it writes JSON, or --format, to
standard output. What import reads back is in docs/formats.md.

Say which sessions: by id or name, with filters, or --all. With --anonymous,
serial numbers, names of hosts and users, and paths are replaced everywhere; they
stay distinguishable.

With --dataset it makes a folder of Parquet files, partitioned by month, with tables of
sessions, passes and samples and a README of their columns: any engine that reads
Parquet can ask it.`,
		Example: `  opengauge logbook export stick-fan > stick-fan.json
  opengauge logbook export --all --out everything.json.gz
  opengauge logbook export --tag deck --out deck.parquet --table samples
  opengauge logbook export --since 72h --anonymous --out to-share.json
  opengauge logbook export --all --dataset archive`,
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			if flags.dataset != "" {
				return env.exportDataset(arguments, flags)
			}
			return env.exportSessions(arguments, flags)
		},
	}
	set := cmd.Flags()
	set.StringVar(&flags.out, "out", "", "the file to write")
	set.StringVar(&flags.dataset, "dataset", "", "make this folder, with Parquet files by month, in the place of a file")
	set.StringVar(&flags.format, "format", "",
		"the format where no file's name says it: "+strings.Join(exchange.FormatNames, ", "))
	set.StringVar(&flags.table, "table", string(exchange.Passes),
		"the table of CSV and Parquet: "+strings.Join(exchange.TableNames, ", "))
	set.BoolVar(&flags.anonymous, "anonymous", false, "replace serial numbers, names of hosts and users, and paths")
	set.BoolVar(&flags.all, "all", false, "export every session")
	flags.filter.add(cmd)
	_ = cmd.RegisterFlagCompletionFunc("format", cobra.FixedCompletions(exchange.FormatNames,
		cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("table", cobra.FixedCompletions(exchange.TableNames,
		cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

// exporting is a checked export command.
type exporting struct {
	filter      logbook.Filter
	format      exchange.Format
	compression exchange.Compression
	table       exchange.Table
	anonymous   *exchange.Anonymous // or nil
	// ctx ends it, and damaged takes the sessions that cannot be read.
	ctx     context.Context
	damaged *logbook.Damaged
}

func (f *exportFlags) check(references []string) (exporting, error) {
	made := exporting{format: exchange.JSON}
	var err error
	if made.filter, err = f.filter.filter(references); err != nil {
		return made, err
	}
	if !made.filter.Narrow() && !f.all {
		return made, usageError{errors.New("say which sessions to export: by id or name, with a filter, or --all")}
	}
	if f.out != "" && !streamed(f.out) {
		if made.format, made.compression, err = exchange.FormatOf(f.out); err != nil {
			return made, usageError{fmt.Errorf("--out: %w", err)}
		}
	}
	if f.format != "" {
		if made.format, err = exchange.ParseFormat(f.format); err != nil {
			return made, usageError{fmt.Errorf("--format: %w", err)}
		}
	}
	if made.table, err = exchange.ParseTable(f.table); err != nil {
		return made, usageError{fmt.Errorf("--table: %w", err)}
	}
	if f.anonymous {
		made.anonymous = exchange.NewAnonymous()
	}
	return made, nil
}

func (e *environment) exportSessions(references []string, flags *exportFlags) error {
	ask, err := flags.check(references)
	if err != nil {
		return err
	}
	book, ids, err := e.exported(&ask, flags.all)
	if err != nil {
		return err
	}
	defer book.Close()
	if flags.out == "" || flags.out == toStandardOutput {
		out := bufio.NewWriter(e.stdout)
		err = errors.Join(exportTo(out, book, ids, ask, func(int) {}), out.Flush())
	} else {
		counter := term.NewCounter(term.NewScreen(e.stderr), "exported", len(ids))
		err = e.writeFile(flags.out, func(w io.Writer) error { return exportTo(w, book, ids, ask, counter.Tell) })
		counter.Finish()
	}
	if err != nil {
		return err
	}
	return e.sayExported(&ask, len(ids), flags.out)
}

// exported opens the logbook, and gives the ids of sessions that are exported, as far as they can
// be found.
func (e *environment) exported(ask *exporting, all bool) (*logbook.Logbook, []string, error) {
	book, err := e.openLogbook()
	if err != nil {
		return nil, nil, err
	}
	ask.ctx, ask.damaged = e.ctx, &logbook.Damaged{}
	ids, err := book.IDs(ask.filter)
	if err != nil && all {
		ids, ask.damaged.Incomplete = book.Salvage()
		err = nil
	}
	if err == nil && len(ids) == 0 {
		err = errors.New("no session is left by the filters; see opengauge logbook list")
	}
	if err != nil {
		return nil, nil, errors.Join(err, book.Close())
	}
	return book, ids, nil
}

// sayExported says how many sessions were written where, how many details replaced, and which sessions are
// damaged. Its error says that there may be more.
func (e *environment) sayExported(ask *exporting, sessions int, to string) error {
	screen := term.NewScreen(e.stderr)
	if to != "" && to != toStandardOutput {
		screen.Printf("wrote %s to %s\n", unit.Count(sessions-len(ask.damaged.Sessions), "session"), to)
	}
	if ask.anonymous != nil {
		screen.Println("replaced " + ask.anonymous.Summary())
	}
	return e.tellDamaged(ask.damaged)
}

// exportDataset makes a folder of tables, whole or not at all.
func (e *environment) exportDataset(references []string, flags *exportFlags) (err error) {
	if flags.out != "" || flags.format != "" {
		return usageError{errors.New("--dataset makes a folder of its own form; leave out --out and --format")}
	}
	ask, err := flags.check(references)
	if err != nil {
		return err
	}
	if _, err := os.Lstat(flags.dataset); err == nil {
		return usageError{fmt.Errorf("%s is there already; name a new folder", flags.dataset)}
	}
	book, ids, err := e.exported(&ask, flags.all)
	if err != nil {
		return err
	}
	defer book.Close()
	if err := e.makeDataset(flags.dataset, book, ids, ask); err != nil {
		return fmt.Errorf("could not make %s: %w", flags.dataset, err)
	}
	return e.sayExported(&ask, len(ids), flags.dataset)
}

func (e *environment) makeDataset(name string, book *logbook.Logbook, ids []string, ask exporting) (err error) {
	out, err := scratch.NewOutput(name, "dataset", e.tellSwept)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if err := out.Mkdir(); err != nil {
		return err
	}
	if err := e.fillDataset(out.Path(), book, ids, ask); err != nil {
		return err
	}
	if err := out.Publish(); err != nil {
		return err
	}
	return out.Finish()
}

func (e *environment) fillDataset(folder string, book *logbook.Logbook, ids []string, ask exporting) error {
	out, err := exchange.NewDataset(folder)
	if err != nil {
		return err
	}
	counter := term.NewCounter(term.NewScreen(e.stderr), "exported", len(ids))
	err = exportEach(book, ids, ask, counter.Tell, func(s *session.Session) error {
		tags, err := book.Tags(s.ID)
		if err != nil {
			return err
		}
		return out.Add(s, tags)
	})
	counter.Finish()
	return errors.Join(err, out.Close())
}

// exportTo writes sessions, the oldest first.
func exportTo(w io.Writer, book *logbook.Logbook, ids []string, ask exporting, tell func(int)) error {
	out, err := exchange.NewWriter(w, ask.format, ask.compression, ask.table, len(ids))
	if err != nil {
		return err
	}
	if err := exportEach(book, ids, ask, tell, out.Add); err != nil {
		return err
	}
	return out.Close()
}

// exportEach gives sessions to whoever writes them, the oldest first.
func exportEach(book *logbook.Logbook, ids []string, ask exporting, tell func(int),
	add func(*session.Session) error) error {
	for i := range ids {
		if err := ask.ctx.Err(); err != nil {
			return err
		}
		id := ids[len(ids)-1-i]
		s, err := book.Whole(id)
		if errors.Is(err, logbook.ErrRemoved) {
			continue
		}
		if err != nil {
			ask.damaged.Add(id, err)
			continue
		}
		if s, err = ask.hide(s); err != nil {
			return err
		}
		if err := add(s); err != nil {
			return err
		}
		tell(i + 1)
	}
	return nil
}

func (x exporting) hide(s *session.Session) (*session.Session, error) {
	if x.anonymous == nil {
		return s, nil
	}
	return x.anonymous.Session(s)
}
