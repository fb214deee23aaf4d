//go:build linux

package main

import (
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/klauspost/compress/zstd"

	"opengauge/lab/witness"
)

// laboratory is a server with a logbook, and a bench's own network on the way to it.
type laboratory struct {
	server *witness.Postgres
	once   sync.Once
	failed error
}

var lab laboratory

// The network between: a namespace of its own, with one link to the server.
const (
	space      = "opengauge-torture"
	near, far  = "ogt-near", "ogt-far"
	serverHost = "10.213.7.1"
	password   = "tide-table"
)

func (l *laboratory) open() error {
	l.once.Do(func() { l.failed = l.make() })
	return l.failed
}

func (l *laboratory) make() error {
	l.close()
	for _, each := range []string{
		"netns add " + space, "link add " + near + " type veth peer name " + far + " netns " + space,
		"addr add " + serverHost + "/24 dev " + near, "link set " + near + " up",
		"-n " + space + " addr add 10.213.7.2/24 dev " + far, "-n " + space + " link set " + far + " up",
		"-n " + space + " link set lo up",
	} {
		if out, err := exec.Command("ip", strings.Fields(each)...).CombinedOutput(); err != nil {
			return fmt.Errorf("%w: ip %s: %s", errSkipped, each, out)
		}
	}
	server, err := witness.NewPostgres("127.0.0.1", serverHost)
	if errors.Is(err, exec.ErrNotFound) {
		return fmt.Errorf("%w: no PostgreSQL server (make tools)", errSkipped)
	}
	if err != nil {
		return err
	}
	l.server = server
	_, err = server.Ask("postgres", "CREATE ROLE bench LOGIN CREATEDB PASSWORD '"+password+"'")
	return err
}

func (l *laboratory) close() {
	if l.server != nil {
		l.server.Remove()
		l.server = nil
	}
	_ = exec.Command("ip", "netns", "del", space).Run()
}

// serverAway takes the server, the program or the network away while passes are measured, and
// gives all of it back: no pass may be lost, and none be there twice.
func serverAway(b *bench) error {
	if err := lab.open(); err != nil {
		return err
	}
	name := "lab" + regexp.MustCompile(`\D`).ReplaceAllString(filepath.Base(b.folder), "")
	// Its commits are said to be kept before they are, unless whoever commits wants otherwise.
	for _, each := range []string{"CREATE DATABASE " + name + " OWNER bench",
		"ALTER DATABASE " + name + " SET synchronous_commit = off"} {
		if _, err := lab.server.Ask("postgres", each); err != nil {
			return err
		}
	}
	b.address = fmt.Sprintf("postgres://bench@%s:%d/%s?sslrootcert=%s", serverHost, lab.server.Port, name,
		lab.server.Authority())
	if got := b.away("logbook", "prepare"); got.code != 0 {
		return fmt.Errorf("preparing: %s", got.stderr)
	}
	told := 0
	runs := 1 + b.chance.IntN(3)
	for range runs {
		got := b.hit()
		if got.code > 1 || strings.Contains(got.stderr, "panic:") || strings.Contains(got.stderr, "did not end") {
			return fmt.Errorf("exit %d: %s", got.code, got.stderr)
		}
		if got.code != 0 && !got.killed {
			return fmt.Errorf("the program was not hit, and failed: %s", got.stderr)
		}
		told += toldPasses(got.stderr)
	}
	return b.allThere(told, runs)
}

// away runs the program on the other side of the network.
func (b *bench) away(arguments ...string) outcome { return b.watch(b.awayCommand(arguments...), nil) }

func (b *bench) awayCommand(arguments ...string) *exec.Cmd {
	command := b.command(append([]string{"netns", "exec", space, b.program}, arguments...)...)
	command.Path = "/usr/sbin/ip"
	command.Args[0] = "ip"
	if found, err := exec.LookPath("ip"); err == nil {
		command.Path = found
	}
	command.Env = append(command.Env, "OPENGAUGE_LOGBOOK="+b.address, "PGPASSWORD="+password,
		"XDG_DATA_HOME="+filepath.Join(b.folder, "data"))
	return command
}

// hit runs a measurement, and takes something away at a moment of it.
func (b *bench) hit() outcome {
	delay := b.after(700 * time.Millisecond)
	back := b.after(600 * time.Millisecond)
	aim := []string{"server killed", "program killed", "network cut", "server and program killed"}[b.chance.IntN(4)]
	b.phase = aim
	defer func() { _ = exec.Command("ip", "link", "set", near, "up").Run() }()
	var group sync.WaitGroup
	defer group.Wait()
	return b.watch(b.awayCommand(b.measure()...), func(process *os.Process, said *heard, ended <-chan struct{}) {
		pause(delay, ended)
		if strings.Contains(aim, "server") {
			lab.server.Kill()
			group.Go(func() {
				time.Sleep(back)
				_ = lab.server.Start()
			})
		}
		if strings.Contains(aim, "program") {
			_ = process.Kill()
		}
		if aim == "network cut" {
			_ = exec.Command("ip", "link", "set", near, "down").Run()
			pause(back, ended)
			_ = exec.Command("ip", "link", "set", near, "up").Run()
		}
	})
}

// allThere sends everything that waits, and asks the server itself for it.
func (b *bench) allThere(told, runs int) error {
	for try := 0; ; try++ {
		got := b.away("logbook", "send")
		if got.code == 0 && strings.Contains(got.stdout, "Nothing waits") {
			break
		}
		if try == 20 {
			return fmt.Errorf("it was not sent: %s%s", got.stdout, got.stderr)
		}
		time.Sleep(200 * time.Millisecond)
	}
	name := b.address[strings.LastIndex(b.address, "/lab")+1 : strings.Index(b.address, "?")]
	rows, err := lab.server.Ask(name, `SELECT s.passes, count(p.position), count(NULLIF(p.document, '')),
		count(DISTINCT NULLIF(p.document, '')), coalesce(encode(l.document, 'hex'), '-') FROM sessions s
		LEFT JOIN passes p ON p.session = s.id LEFT JOIN pass_lists l ON l.session = s.id
		GROUP BY s.id, s.passes, l.document`)
	if err != nil {
		return err
	}
	held := 0
	sessions := 0
	for line := range strings.Lines(rows) {
		passes, err := heldOnce(strings.TrimSpace(line))
		if err != nil {
			return err
		}
		held = held + passes
		sessions = sessions + 1
	}
	if held < told || held > told+runs || sessions > runs {
		return fmt.Errorf("%d passes were told by %d runs, and %d are there in %d sessions", told, runs, held, sessions)
	}
	if got := b.away("logbook", "check"); got.code != 0 {
		return fmt.Errorf("the logbook does not hold up: %s", got.stderr+got.stdout)
	}
	return nil
}

// heldOnce is how many passes the server holds of a session, if each is there once: in rows while it
// is measured, and in a list when it has ended.
func heldOnce(line string) (int, error) {
	var said, rows, whole, distinct int
	var list string
	if _, err := fmt.Sscanf(strings.ReplaceAll(line, "|", " "), "%d %d %d %d %s", &said, &rows, &whole, &distinct,
		&list); err != nil {
		return 0, fmt.Errorf("the server's answer %q: %w", line, err)
	}
	if list != "-" {
		held, sampled, err := inList(list)
		if err != nil {
			return 0, err
		}
		if rows != sampled {
			return 0, fmt.Errorf("%d passes of a session have samples, and the server has %d rows of them", sampled, rows)
		}
		rows = len(held)
		whole = len(held)
		distinct = len(slices.Compact(slices.Sorted(slices.Values(held))))
	}
	if said != rows || said != whole || said != distinct {
		return 0, fmt.Errorf("a session has passes twice, or not all: %d are said, %d are there, %d of them whole, "+
			"%d different", said, rows, whole, distinct)
	}
	return said, nil
}

// inList is the JSON of each pass in the list of a session that has ended, and how many have samples.
func inList(coded string) (held []string, sampled int, err error) {
	packed, err := hex.DecodeString(coded)
	if err != nil {
		return nil, 0, err
	}
	decoder, err := zstd.NewReader(nil)
	if err != nil {
		return nil, 0, err
	}
	defer decoder.Close()
	plain, err := decoder.DecodeAll(packed, nil)
	if err != nil {
		return nil, 0, err
	}
	var list []json.RawMessage
	if err := json.Unmarshal(plain, &list); err != nil {
		return nil, 0, err
	}
	for _, each := range list {
		var pass struct{ Samples []json.RawMessage }
		if err := json.Unmarshal(each, &pass); err != nil {
			return nil, 0, err
		}
		if len(pass.Samples) > 0 {
			sampled++
		}
		held = append(held, string(each))
	}
	return held, sampled, nil
}
