//go:build linux

package main

import (
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// endsWithin is how long a command may take to end after a signal.
const endsWithin = 2 * time.Second

// interrupt sends a signal to a command at some moment: it ends soon, and cleans up itself.
func interrupt(b *bench) error {
	if got := b.run("measure", "sim:dunlin", "--hold", "30s", "--name", "first"); got.code != 0 {
		return fmt.Errorf("measuring: %s", got.stderr)
	}
	silent, err := net.Listen("tcp", "127.0.0.1:0") // it takes connections, and says nothing
	if err != nil {
		return err
	}
	b.undo = append(b.undo, func() { _ = silent.Close() })
	output := filepath.Join(b.outputs(), "output")
	ways := [][]string{
		b.measure(), {"measure", b.target(), "--size", "512MiB", "--plan", b.plan()},
		{"copy", b.target(), b.other(), "--set", "small-files", "--size", "2MiB"},
		{"copy", b.target(), b.other(), "--set", "large-file", "--size", "256MiB"},
		{"measure", "nbd://" + silent.Addr().String() + "/v"}, {"measure", "sim:dunlin", "--plan", "long-write"},
		{"logbook", "export", "--all", "--out", output + ".json"}, {"logbook", "backup", output + ".db"},
		{"logbook", "check"}, {"report", "first", "--out", output + ".html", "--kit", output + "-kit"},
		{"standin", "volume", "--listen", "127.0.0.1:0", "--size", "16MiB", "--iops", "100", "--throughput", "1MB/s"},
	}
	way := ways[b.chance.IntN(len(ways))]
	b.phase = strings.Join(way[:min(2, len(way))], " ")
	if strings.HasPrefix(way[1], "/") || strings.HasPrefix(way[1], "nbd:") {
		b.phase = way[0]
	}
	delay := b.after(900 * time.Millisecond)
	sent := time.Time{}
	got := b.watch(b.command(way...), func(process *os.Process, _ *heard, ended <-chan struct{}) {
		pause(delay, ended)
		sent = time.Now()
		_ = process.Signal([]os.Signal{os.Interrupt, syscall.SIGTERM}[b.chance.IntN(2)])
	})
	if took := time.Since(sent); took > endsWithin {
		return fmt.Errorf("%v took %s to end: %s", way, took, got.stderr)
	}
	if got.code != 130 && got.code != 0 || got.killed {
		return fmt.Errorf("%v: exit %d: %s", way, got.code, got.stderr)
	}
	for _, ending := range []string{".json", ".db", ".html"} {
		_ = os.Remove(output + ending)
	}
	left, _ := b.left([]string{b.target(), b.other(), b.temporary()})
	return errors.Join(os.RemoveAll(output+"-kit"), errors.Join(left...), b.holdsUp(),
		b.cleanAgain(b.target(), b.other(), b.outputs(), b.temporary()))
}
