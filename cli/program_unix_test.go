//go:build unix

package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
)

// nobody is a user without rights on any machine.
const nobody = 65534

func TestNoPermission(t *testing.T) {
	t.Parallel()
	d := newProgramDesk(t)
	folder := t.TempDir()
	if err := os.Chmod(folder, 0o500); err != nil {
		t.Fatal(err)
	}
	command := d.command("measure", folder)
	if os.Geteuid() == 0 { // root may write anywhere, so be somebody else
		for _, above := range []string{filepath.Dir(program), filepath.Dir(folder), filepath.Dir(d.logbook)} {
			if err := os.Chmod(above, 0o777); err != nil {
				t.Fatal(err)
			}
		}
		if err := os.Chmod(folder, 0o555); err != nil {
			t.Fatal(err)
		}
		command.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	}
	got := d.finish(command)
	if got.code != 1 || !strings.Contains(got.stderr, "permission is denied") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
}
