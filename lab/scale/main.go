//go:build linux

// Scale fills a logbook on a PostgreSQL server with very many sessions, lets twenty benches write
// to it, and measures how long the program takes for usual questions meanwhile. It prints a table,
// with the memory of the program and the size of a session on disk. With a limit it fails if a
// figure is that many times beyond its target.
//
// It runs on one goroutine, but for the benches that write.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"opengauge/core/record/exchange"
	"opengauge/core/record/logbook"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

func main() {
	s := &scale{}
	flag.IntVar(&s.sessions, "sessions", 1_000_000, "how many sessions the logbook has")
	flag.IntVar(&s.imported, "imported", 100_000, "how many are imported")
	flag.IntVar(&s.times, "times", 100, "how often each command runs")
	flag.Float64Var(&s.limit, "limit", 0, "fail where a figure is so many times what it ought to be; 0 is never")
	out := flag.String("out", "", "write the table to this file too")
	flag.Parse()
	text := &strings.Builder{}
	s.out = io.MultiWriter(os.Stdout, text)
	err := s.run()
	if err == nil && *out != "" {
		err = os.WriteFile(*out, []byte(text.String()), 0o644)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "scale:", err)
		os.Exit(1)
	}
}

// scale is one run.
type scale struct {
	sessions, imported, times int
	limit                     float64
	out                       io.Writer

	folder, program string
	server          *witness.Postgres
	beyond          []string
}

func (s *scale) run() (err error) {
	if s.folder, err = os.MkdirTemp("", "opengauge-scale-"); err != nil {
		return err
	}
	defer os.RemoveAll(s.folder)
	s.program = filepath.Join(s.folder, "opengauge")
	build := exec.Command("go", "build", "-o", s.program, "./cmd/opengauge")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return fmt.Errorf("building the program: %w: %s", err, out)
	}
	if s.server, err = witness.NewPostgres("127.0.0.1"); err != nil {
		return err
	}
	defer s.server.Remove()
	if _, err := s.server.Ask("postgres", "ALTER SYSTEM SET shared_buffers = '512MB'"); err != nil {
		return err
	}
	s.server.Stop()
	if err := s.server.Start(); err != nil {
		return err
	}
	s.heading()
	for _, each := range []func() error{s.onServer, s.inFile, s.imports} {
		if err := each(); err != nil {
			return err
		}
	}
	if len(s.beyond) > 0 {
		return fmt.Errorf("beyond %g times what it ought to be: %s", s.limit, strings.Join(s.beyond, ", "))
	}
	return nil
}

func (s *scale) heading() {
	commit, _ := exec.Command("git", "rev-parse", "--short", "HEAD").Output()
	fmt.Fprintf(s.out, "# Scale\n\nOf commit %s, by `make scale`, on %s. Each session has %d passes of different loads, "+
		"one of them with %d samples;\nits figures have a spread of %.0f %%, and no text comes twice. There are %s sets of "+
		"parts. Times are of the whole program,\nfrom its start to its end.\n\n", strings.TrimSpace(string(commit)),
		unit.Count(processors(), "processor"), passesEach, samplesEach, spread*100, unit.Grouped(setUps))
}

// question is a command that people use, and the time that it may take.
type question struct {
	name      string
	arguments []string
	median    time.Duration
}

// questions of a logbook with so many sessions.
func questions(sessions int) []question {
	middle := one(sessions / 2)
	other := one(sessions/2 + 1)
	name := middle.Name[:strings.LastIndex(middle.Name, " ")]
	const quick = 200 * time.Millisecond
	return []question{
		{"list", []string{"logbook", "list"}, quick},
		{"list by a condition that half of them have", []string{"logbook", "list", "--condition", "fan=on"}, quick},
		{"list by two conditions", []string{"logbook", "list", "--condition", "fan=on", "--condition", "deck=" +
			middle.Conditions["deck"]}, quick},
		{"list by a plan and a time", []string{"logbook", "list", "--plan", "quick", "--since", "2017-01-01"}, quick},
		{"list by a part of the name", []string{"logbook", "list", "--name", strings.ToUpper(name)}, quick},
		{"rank", []string{"rank", middle.ID}, quick},
		{"compare", []string{"compare", middle.ID, other.ID}, quick},
		{"review status", []string{"review", "status", "lab/scale/review.yaml"}, quick},
	}
}

// onServer fills a server's logbook, and asks it.
func (s *scale) onServer() error {
	place := s.server.Address("keeper", "scale")
	if _, err := s.server.Ask("postgres", "CREATE DATABASE scale"); err != nil {
		return err
	}
	took, err := s.fill(place, s.sessions)
	if err != nil {
		return err
	}
	size, err := s.server.Ask("scale", "SELECT pg_database_size('scale')")
	if err != nil {
		return err
	}
	var bytes float64
	_, _ = fmt.Sscan(size, &bytes)
	fmt.Fprintf(s.out, "## On a server: %s\n\nFilled in %s. %s on disk, %.1f kB a session. 20 benches record a pass a "+
		"second each meanwhile.\n\n", unit.Count(s.sessions, "session"), took.Round(time.Second),
		unit.Bytes(bytes).Decimal(), bytes/float64(s.sessions)/1e3)
	stop := s.benches(place, 20)
	defer stop()
	return s.ask(place, questions(s.sessions))
}

// inFile compares by a condition over many sessions, in a file and on the server.
func (s *scale) inFile() error {
	count := min(decks, s.sessions)
	file := filepath.Join(s.folder, "scale.db")
	if _, err := s.fill(file, count); err != nil {
		return err
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	fmt.Fprintf(s.out, "## Comparing %s by a condition\n\nIn a file a session takes %.1f kB.\n\n", unit.Count(count,
		"session"), float64(info.Size())/float64(count)/1e3)
	by := []string{"compare", "--by", "fan", "--condition", "deck=0", "--json"}
	if err := s.ask(file, []question{{"compare --by, of a file", by, time.Second}}); err != nil {
		return err
	}
	return s.ask(s.server.Address("keeper", "scale"), []question{{"compare --by, of a server", by, time.Second}})
}

// imports adds sessions of a file to a new logbook on the server.
func (s *scale) imports() error {
	name := filepath.Join(s.folder, "sessions.json.zst")
	if err := writeSessions(name, s.imported); err != nil {
		return err
	}
	if _, err := s.server.Ask("postgres", "CREATE DATABASE imported"); err != nil {
		return err
	}
	got, err := s.time(s.server.Address("keeper", "imported"), "logbook", "import", name)
	if err != nil {
		return err
	}
	allowed := time.Duration(float64(10*time.Minute) * float64(s.imported) / 100_000)
	fmt.Fprintf(s.out, "## Importing %s\n\n%s, %.0f a second, with %.0f MB of memory at most.\n", unit.Count(s.imported,
		"session"), got.took.Round(time.Second/10), float64(s.imported)/got.took.Seconds(), got.megabytes)
	s.hold("import", got.took, allowed+30*time.Second)
	s.holdMemory("import", got.megabytes)
	return nil
}

func writeSessions(name string, count int) error {
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	out, err := exchange.NewWriter(file, exchange.JSON, exchange.Zstd, exchange.Passes, count)
	if err != nil {
		return errors.Join(err, file.Close())
	}
	for each := range generate(0, count) {
		if err := out.Add(each); err != nil {
			return errors.Join(err, file.Close())
		}
	}
	return errors.Join(out.Close(), file.Close())
}

// fill makes a logbook of so many sessions.
func (s *scale) fill(place string, count int) (time.Duration, error) {
	began := time.Now()
	book, err := logbook.Create(context.Background(), place)
	if err != nil {
		return 0, err
	}
	if _, err := book.Import(generate(0, count)); err != nil {
		return 0, errors.Join(err, book.Close())
	}
	if err := book.Close(); err != nil || !logbook.Shared(place) {
		return time.Since(began), err
	}
	_, err = s.server.Ask("scale", "VACUUM ANALYZE") // as the server does by itself at night
	return time.Since(began), err
}
