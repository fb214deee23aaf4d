package logbook

import (
	"context"
	"crypto/x509"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"
)

// What is measured waits for a server that will be back, and not for one that will say the same again.
func TestWhatIsAway(t *testing.T) {
	t.Parallel()
	server := func(code, message string) error {
		return fmt.Errorf("asked: %w", &pgconn.PgError{Code: code, Message: message})
	}
	for _, c := range []struct {
		name string
		err  error
		away bool
	}{
		{"nothing", nil, false}, {"an interrupt", fmt.Errorf("x: %w", context.Canceled), false},
		{"a server that ends", server("57P01", "terminating"), true}, {"one that starts", server("57P03", "starting"), true},
		{"one that is full of connections", server("53300", "too many clients"), true},
		{"a connection that broke", server("08006", "failure"), true},
		{"a password", server("28P01", "authentication failed"), false}, {"a full disk", server("53100", "no space"), false},
		{"a row of somebody else's", server("42501", "row-level security"), false},
		{"a pooler between transactions", fmt.Errorf("x: %w", errShared), false},
		{"a setting", server("08P01", "unsupported startup parameter: work_mem"), false},
		{"a server that a pooler misses", server("08P01", "server_login_failed"), true},
		{"no answer", fmt.Errorf("x: %w", context.DeadlineExceeded), true},
		{"nobody listens", &net.OpError{Op: "dial", Err: syscall.ECONNREFUSED}, true},
		{"a reset", fmt.Errorf("x: %w", syscall.ECONNRESET), true}, {"a pipe", fmt.Errorf("x: %w", syscall.EPIPE), true},
		{"a closed pool", fmt.Errorf("x: %w", sql.ErrConnDone), true}, {"a closed wire", net.ErrClosed, true},
		{"an early end", errors.New("unexpected EOF"), true}, {"a closed connection", errors.New("conn closed"), true},
		{"a stranger's certificate", fmt.Errorf("x: %w", x509.UnknownAuthorityError{}), false},
		{"a missing file", fs.ErrNotExist, false}, {"an answer that is none", sql.ErrNoRows, false},
	} {
		if got := isAway(c.err); got != c.away {
			t.Errorf("%s is away: %t", c.name, got)
		}
		if plain := plainly(c.err); errors.Is(plain, ErrAway) != c.away {
			t.Errorf("%s is told as %v", c.name, plain)
		}
	}
}

func TestWhatIsWaitedFor(t *testing.T) {
	t.Parallel()
	for _, err := range []error{ErrAway, ErrNewer, errOlder} {
		if !Waits(fmt.Errorf("x: %w", err)) {
			t.Errorf("nothing waits for %v", err)
		}
	}
	for _, err := range []error{nil, errShared, fs.ErrPermission, ErrNone} {
		if Waits(err) {
			t.Errorf("what is measured waits for %v", err)
		}
	}
}

func TestAPlaceThatIsNoFile(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	if isFile(folder) || isFile(filepath.Join(folder, "none.db")) {
		t.Error("a folder, or nothing, is a file")
	}
}
