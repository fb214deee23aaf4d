package cli_test

import (
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"opengauge/core/record/session"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// cutter stands before a server's socket, and ends each connection, and all later ones, once clients have sent so
// many bytes in all: so a server dies wherever one wants it to.
type cutter struct {
	to     string
	mutex  sync.Mutex
	left   int
	conns  []net.Conn
	served int
}

func (c *cutter) serve(listener net.Listener) {
	for {
		client, err := listener.Accept()
		if err != nil {
			return
		}
		c.mutex.Lock()
		dead := c.left <= 0
		c.mutex.Unlock()
		server, err := net.Dial("unix", c.to)
		if dead || err != nil {
			_ = client.Close()
			continue
		}
		c.mutex.Lock()
		c.conns = append(c.conns, client, server)
		c.mutex.Unlock()
		go func() { _, _ = io.Copy(client, server); _ = client.Close() }()
		go c.forward(server, client)
	}
}

func (c *cutter) forward(server, client net.Conn) {
	defer client.Close()
	defer server.Close()
	buffer := make([]byte, 4096)
	for {
		count, err := client.Read(buffer)
		c.mutex.Lock()
		c.served += count
		c.left -= count
		dead := c.left <= 0
		if dead {
			for _, each := range c.conns {
				_ = each.Close()
			}
		}
		c.mutex.Unlock()
		if err != nil || dead {
			return
		}
		if _, err := server.Write(buffer[:count]); err != nil {
			return
		}
	}
}

// A server may die at any moment of a measurement: what was measured waits, or is there, the program says in words
// which, and the next command takes it in.
func TestAServerThatDiesAnywhere(t *testing.T) {
	t.Parallel()
	d := labDesk(t)
	server := witness.SharedPostgres(t)
	address := must1(url.Parse(d.logbook))(t)
	socket := fmt.Sprintf(".s.PGSQL.%d", server.Port)
	measured := func(name string, left int) (desk, outcome, *cutter) {
		t.Helper()
		folder := t.TempDir()
		listener := must1(net.Listen("unix", filepath.Join(folder, socket)))(t)
		t.Cleanup(func() { _ = listener.Close() })
		c := &cutter{to: filepath.Join(server.Folder, socket), left: left}
		go c.serve(listener)
		through := *address
		through.RawQuery = "host=" + folder
		cut := desk{t: t, logbook: through.String()}
		return cut, cut.run("measure", "sim:dunlin", "--plan", "latency-under-load", "--hold", "1s", "--name", name), c
	}
	_, got, whole := measured("whole", 1<<30)
	if got.code != 0 || strings.Contains(got.stderr, "waits") {
		t.Fatalf("with a whole server: exit %d: %s", got.code, got.stderr)
	}
	tries := night.Tries(t, 160)
	for i := range tries {
		at := 1 + i*whole.served/tries
		cut, got, c := measured(fmt.Sprint("cut-", i), at)
		if said := words(got.stderr); got.code != 0 || strings.Contains(said, "driver:") ||
			strings.Contains(said, "damaged") {
			t.Errorf("after %d of %d bytes: exit %d: %s", at, whole.served, got.code, got.stderr)
		}
		c.mutex.Lock()
		c.left = 1 << 30 // it is there again
		c.mutex.Unlock()
		if again := cut.run("logbook", "send"); again.code != 0 {
			t.Errorf("after %d bytes: sending: exit %d: %s", at, again.code, again.stderr)
		}
		if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "opengauge-*-spool-*")); len(left) > 0 {
			t.Errorf("after %d bytes something waits elsewhere: %q", at, left)
		}
	}
	sessions := decodeSessions(t, d)
	for _, s := range sessions {
		if s.State != session.Complete {
			t.Errorf("session %s is %s", s.ID, s.State)
		}
	}
	if len(sessions) != 1+tries {
		t.Errorf("of %d measurements %d sessions are there", 1+tries, len(sessions))
	}
}
