package witness

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"
)

// Pool puts a packaged pooler of connections before the server, which gives them on between sessions or
// transactions, and gives the folder of its socket. Its port is the server's.
func (p *Postgres) Pool(tb testing.TB, between string) (folder string) {
	tb.Helper()
	if _, err := exec.LookPath("pgbouncer"); err != nil {
		tb.Skip("there is no pooler here; make tools installs it")
	}
	folder, err := os.MkdirTemp("", "pool-")
	if err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(func() { _ = os.RemoveAll(folder) })
	settings := filepath.Join(folder, "settings.ini")
	text := fmt.Sprintf("[databases]\n* = host=%s port=%d user=keeper\n[pgbouncer]\nauth_type = any\npool_mode = %s\n"+
		"unix_socket_dir = %s\nlisten_port = %d\n", p.Folder, p.Port, between, folder, p.Port)
	if err := os.WriteFile(settings, []byte(text), 0o644); err != nil {
		tb.Fatal(err)
	}
	if p.account != nil {
		if err := os.Chown(folder, int(p.account.Uid), int(p.account.Gid)); err != nil {
			tb.Fatal(err)
		}
	}
	command := p.as(exec.Command("pgbouncer", "-q", settings))
	if err := command.Start(); err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(func() {
		_ = command.Process.Kill()
		_ = command.Wait()
	})
	for range 200 {
		if exec.Command(filepath.Join(p.bin, "pg_isready"), "-q", "-h", folder, "-p", strconv.Itoa(p.Port)).Run() == nil {
			return folder
		}
		time.Sleep(20 * time.Millisecond)
	}
	tb.Fatal("the pooler does not answer")
	return ""
}
