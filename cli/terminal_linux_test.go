package cli_test

import (
	"os"
	"os/exec"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// terminal is a program that runs in a terminal of its own, and what that shows.
type terminal struct {
	t       *testing.T
	command *exec.Cmd
	master  *os.File
	ended   chan struct{}

	mutex sync.Mutex
	shown strings.Builder
	read  int // of the words that are shown, by await
}

// inTerminal starts the program in a terminal.
func (d desk) inTerminal(arguments ...string) *terminal {
	d.t.Helper()
	return d.inTerminalWith([]string{"TERM=xterm", "NO_COLOR=1"}, arguments...)
}

// inTerminalWith is one with settings of the environment.
func (d desk) inTerminalWith(settings []string, arguments ...string) *terminal {
	d.t.Helper()
	master, slave := witness.Terminal(d.t, 0, 0)
	defer slave.Close()
	term := &terminal{t: d.t, command: d.command(arguments...), master: master, ended: make(chan struct{})}
	term.command.Env = append(term.command.Env, settings...)
	term.command.Stdin, term.command.Stdout, term.command.Stderr = slave, slave, slave
	term.command.SysProcAttr.Setsid, term.command.SysProcAttr.Setctty = true, true
	if err := term.command.Start(); err != nil {
		d.t.Fatal(err)
	}
	go term.follow()
	d.t.Cleanup(func() { term.kill(); _ = master.Close() })
	return term
}

func (m *terminal) follow() {
	defer close(m.ended)
	buffer := make([]byte, 4096)
	for {
		n, err := m.master.Read(buffer)
		m.mutex.Lock()
		m.shown.Write(buffer[:n])
		m.mutex.Unlock()
		if err != nil { // the last one who had it open closed it
			_ = m.command.Wait()
			return
		}
	}
}

func (m *terminal) kill() {
	_ = m.command.Process.Signal(syscall.SIGKILL)
	<-m.ended
}

// text is what was shown since what was last waited for, with lines put together.
func (m *terminal) text() string {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return strings.Join(strings.Fields(m.shown.String()), " ")[m.read:]
}

// await waits until one of some texts is shown, and gives which.
func (m *terminal) await(texts ...string) string {
	m.t.Helper()
	for until := time.Now().Add(40 * time.Second); time.Now().Before(until); time.Sleep(20 * time.Millisecond) {
		shown := m.text()
		for _, text := range texts {
			if at := strings.Index(shown, text); at >= 0 {
				m.read += at + len(text)
				return text
			}
		}
		select {
		case <-m.ended:
			if shown == m.text() {
				m.t.Fatalf("it ended, and did not show any of %q; it shows %q", texts, shown)
			}
		default:
		}
	}
	m.t.Fatalf("it does not show any of %q; it shows %q", texts, m.text())
	return ""
}

// press types a key.
func (m *terminal) press(key string) { _, _ = m.master.WriteString(key) }

func (m *terminal) types(line string) { _, _ = m.master.WriteString(line + "\n") }
