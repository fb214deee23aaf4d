package logbook

import (
	"bytes"
	"encoding/binary"
	"io"
	"net"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"

	"opengauge/lab/witness"
)

// liar is a server that speaks no TLS, asks for a password in clear text, and keeps all that it is told.
type liar struct {
	mutex sync.Mutex
	heard bytes.Buffer
}

func (l *liar) serve(listener net.Listener) {
	for {
		conn, err := listener.Accept()
		if err != nil {
			return
		}
		go l.answer(conn)
	}
}

// answer asks for a password (PostgreSQL, 55.7 Message Formats, AuthenticationCleartextPassword).
func (l *liar) answer(conn net.Conn) {
	defer conn.Close()
	for {
		length := make([]byte, 4)
		if _, err := io.ReadFull(conn, length); err != nil {
			return
		}
		rest := make([]byte, min(binary.BigEndian.Uint32(length), 1<<16)-4)
		if _, err := io.ReadFull(conn, rest); err != nil {
			return
		}
		const encryption = 80877103
		if binary.BigEndian.Uint32(rest) == encryption {
			_, _ = conn.Write([]byte("N"))
			continue
		}
		_, _ = conn.Write([]byte{'R', 0, 0, 0, 8, 0, 0, 0, 3})
		said := make([]byte, 1<<10)
		read, _ := conn.Read(said)
		l.mutex.Lock()
		l.heard.Write(said[:read])
		l.mutex.Unlock()
		return
	}
}

// Who answers at an address of this machine, or at a socket, need not be the server: no password is sent to
// somebody who does not prove it.
func TestALiarHearsNoPassword(t *testing.T) {
	t.Setenv("HOME", t.TempDir())
	t.Setenv("PGPASSWORD", "geheim-42")
	authority := filepath.Join(t.TempDir(), "authority.pem")
	if server, err := witness.NewPostgres("127.0.0.1"); err == nil {
		text, err := os.ReadFile(server.Authority())
		if err == nil {
			err = os.WriteFile(authority, text, 0o600)
		}
		server.Remove()
		if err != nil {
			t.Fatal(err)
		}
	}
	l := &liar{}
	port, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer port.Close()
	go l.serve(port)
	folder := t.TempDir()
	socket, err := net.Listen("unix", filepath.Join(folder, ".s.PGSQL.5432"))
	if err != nil {
		t.Fatal(err)
	}
	defer socket.Close()
	go l.serve(socket)
	at := "postgres://bench-1@" + port.Addr().String() + "/lab"
	places := []string{at, at + "?sslmode=disable", at + "?sslmode=prefer", at + "?sslmode=require", at + "?sslmode=allow"}
	if _, err := os.Stat(authority); err == nil {
		for _, mode := range []string{"", "&sslmode=disable", "&sslmode=prefer", "&sslmode=verify-ca",
			"&sslmode=verify-full"} {
			places = append(places, at+"?sslrootcert="+authority+mode)
		}
	}
	places = append(places, "postgres://bench-1@/lab?host="+folder+"&requirepeer=nobody")
	for _, place := range places {
		if book, err := Open(t.Context(), place); err == nil {
			t.Errorf("%s was opened", place)
			_ = book.Close()
		}
		l.mutex.Lock()
		if bytes.Contains(l.heard.Bytes(), []byte("geheim")) {
			t.Errorf("%s: the liar heard the password", place)
		}
		l.heard.Reset()
		l.mutex.Unlock()
	}
	// The liar does hear it where nothing keeps it from that.
	place := "postgres://bench-1@/lab?host=" + folder
	if _, err := Open(t.Context(), place); err == nil {
		t.Error("it was opened")
	}
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if !bytes.Contains(l.heard.Bytes(), []byte("geheim")) {
		t.Error("of this account's own socket it hears nothing: the test proves nothing")
	}
}

// A socket tells which account is behind it.
func TestPeersAreKnown(t *testing.T) {
	t.Parallel()
	one, two, err := pair(t)
	if err != nil {
		t.Fatal(err)
	}
	defer two.Close()
	if uid, err := peerOf(one); err != nil || uid != os.Getuid() {
		t.Errorf("behind a socket of this process is %d, %v", uid, err)
	}
	if _, err := peerOf(&net.TCPConn{}); err == nil {
		t.Error("a connection that is no socket says who is there")
	}
	if err := checkPeer(one, ""); err != nil {
		t.Error(err)
	}
	if err := checkPeer(one, "nobody"); err == nil {
		t.Error("another account is there than has to be, and that is not said")
	}
}

func pair(t *testing.T) (one, two net.Conn, err error) {
	t.Helper()
	ends, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_STREAM, 0)
	if err != nil {
		return nil, nil, err
	}
	made := make([]net.Conn, 2)
	for i, end := range ends {
		file := os.NewFile(uintptr(end), "end")
		if made[i], err = net.FileConn(file); err != nil {
			return nil, nil, err
		}
		_ = file.Close()
	}
	return made[0], made[1], nil
}
