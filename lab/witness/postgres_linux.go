package witness

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
)

// Postgres is a packaged PostgreSQL server in a folder of its own, run by another user than
// root. It may be used by several goroutines at once.
type Postgres struct {
	// Folder holds its socket, its data, and the authority of its certificate.
	Folder string
	Port   int
	// Hosts are the addresses that it listens at.
	Hosts    []string
	bin      string
	account  *syscall.Credential
	command  *exec.Cmd
	mutex    sync.Mutex
	database int
	original string // of [Postgres.CopyDatabase], once it is prepared
	counted  bool   // among those that hold the pristine data
}

// Unnamed is an address of this machine that no certificate holds for.
const Unnamed = "127.0.0.3"

// Emulated is the address of this machine within QEMU's own network, from which its guests come in by
// the loopback. The account of that name needs no password from there.
const Emulated, EmulatedAccount = "10.0.2.2", "guest"

// Authority is the file of the certificate that the server's own is signed by.
func (p *Postgres) Authority() string { return filepath.Join(p.Folder, "authority.pem") }

// shared is the server of a test program.
var shared struct {
	sync.Mutex
	server *Postgres
	failed error
}

// SharedPostgres gives the server of this test program, started when it is first asked for. Its
// TestMain calls [StopPostgres] at the end.
func SharedPostgres(tb testing.TB) *Postgres {
	tb.Helper()
	shared.Lock()
	defer shared.Unlock()
	if shared.server == nil && shared.failed == nil {
		shared.server, shared.failed = NewPostgres("127.0.0.1")
	}
	switch {
	case errors.Is(shared.failed, exec.ErrNotFound):
		tb.Skip("there is no PostgreSQL server here; make tools installs it")
	case shared.failed != nil:
		tb.Fatal(shared.failed)
	}
	return shared.server
}

// StopPostgres ends the shared server and removes its folder.
func StopPostgres() {
	shared.Lock()
	defer shared.Unlock()
	if shared.server != nil {
		shared.server.Remove()
		shared.server = nil
	}
}

// NewPostgres makes a server that listens at some addresses and starts it. It is
// [exec.ErrNotFound] that none is installed.
func NewPostgres(hosts ...string) (*Postgres, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return nil, exec.ErrNotFound
	}
	folder, err := os.MkdirTemp(memory(), "opengauge-postgres-")
	if err != nil {
		return nil, err
	}
	p := &Postgres{Folder: folder, Hosts: hosts, bin: filepath.Dir(found[len(found)-1])}
	if err := p.prepare(); err != nil {
		p.Remove()
		return nil, err
	}
	if err := p.Start(); err != nil {
		p.Remove()
		return nil, err
	}
	return p, nil
}

// memory is the folder of a file system in memory, on which a server's many small files are made
// in no time, or nothing for the usual one.
func memory() string {
	const shared = "/dev/shm"
	if info, err := os.Stat(shared); err == nil && info.IsDir() {
		return shared
	}
	return ""
}

// prepare makes the folder, as a user who is not root: the server refuses to be root's.
func (p *Postgres) prepare() error {
	if os.Getuid() == 0 {
		owner, err := user.Lookup("postgres")
		if err != nil {
			return err
		}
		uid, _ := strconv.Atoi(owner.Uid)
		gid, _ := strconv.Atoi(owner.Gid)
		p.account = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		if err := errors.Join(os.Chmod(p.Folder, 0o755), os.Chown(p.Folder, uid, gid)); err != nil {
			return err
		}
	}
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	p.Port = free.Addr().(*net.TCPAddr).Port
	if err := free.Close(); err != nil {
		return err
	}
	if err := p.certify(); err != nil {
		return err
	}
	if err := p.layOut(); err != nil {
		return err
	}
	const rules = "local all all trust\nhostssl all " + EmulatedAccount + " 127.0.0.1/32 trust\n" +
		"hostssl all all all scram-sha-256\nhostnossl all all 127.0.0.1/32 scram-sha-256\n"
	return os.WriteFile(filepath.Join(p.data(), "pg_hba.conf"), []byte(rules), 0o644)
}

// pristine is the data of a server that never ran, from which others are copied: initdb takes
// three times as long as a copy. It stays until the last server is removed.
var pristine struct {
	sync.Mutex
	folder  string
	servers int
}

// layOut makes the data of a server that never ran.
func (p *Postgres) layOut() error {
	pristine.Lock()
	defer pristine.Unlock()
	if pristine.folder == "" {
		folder, err := os.MkdirTemp(memory(), "opengauge-postgres-pristine-")
		if err != nil {
			return err
		}
		pristine.folder = folder
		if p.account != nil {
			if err := os.Chown(folder, int(p.account.Uid), int(p.account.Gid)); err != nil {
				return err
			}
		}
		if out, err := p.as(exec.Command(filepath.Join(p.bin, "initdb"), "--pgdata", filepath.Join(folder, "data"),
			"--username", "keeper", "--auth-local", "trust", "--auth-host", "scram-sha-256", "--encoding", "UTF8",
			"--no-locale", "--no-instructions", "--no-sync")).CombinedOutput(); err != nil {
			return fmt.Errorf("initdb: %w\n%s", err, out)
		}
	}
	copying := exec.Command("cp", "-a", filepath.Join(pristine.folder, "data"), p.data())
	if out, err := copying.CombinedOutput(); err != nil {
		return fmt.Errorf("copying a server's data: %w\n%s", err, out)
	}
	pristine.servers++
	p.counted = true
	return nil
}

// forget lets go of the pristine data, if this was the last server.
func (p *Postgres) forget() {
	pristine.Lock()
	defer pristine.Unlock()
	if p.counted {
		p.counted = false
		pristine.servers--
	}
	if pristine.servers == 0 && pristine.folder != "" {
		_ = os.RemoveAll(pristine.folder)
		pristine.folder = ""
	}
}

func (p *Postgres) data() string { return filepath.Join(p.Folder, "data") }

func (p *Postgres) as(command *exec.Cmd) *exec.Cmd {
	command.Dir = p.Folder
	command.SysProcAttr = &syscall.SysProcAttr{Credential: p.account, Setpgid: true}
	Tie(command)
	return command
}

// Start starts the server, and waits until it answers. It does not wait for the disk: no test cuts
// the power, and the system's cache outlives a killed server.
func (p *Postgres) Start() error {
	log, err := os.OpenFile(filepath.Join(p.Folder, "log"), os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o644)
	if err != nil {
		return err
	}
	defer log.Close()
	p.command = p.as(exec.Command(filepath.Join(p.bin, "postgres"), "-D", p.data(), "-k", p.Folder, "-p",
		strconv.Itoa(p.Port), "-c", "listen_addresses="+strings.Join(p.Hosts, ","), "-c", "ssl=on",
		"-c", "ssl_cert_file="+filepath.Join(p.Folder, "server.pem"),
		"-c", "ssl_key_file="+filepath.Join(p.Folder, "key.pem"),
		"-c", "fsync=off", "-c", "max_connections=200", "-c", "max_wal_size=8GB"))
	p.command.Stdout, p.command.Stderr = log, log
	if err := p.command.Start(); err != nil {
		return err
	}
	const within = 30 * time.Second
	for began := time.Now(); time.Since(began) < within; time.Sleep(20 * time.Millisecond) {
		if exec.Command(filepath.Join(p.bin, "pg_isready"), "-q", "-h", p.Folder, "-p",
			strconv.Itoa(p.Port)).Run() == nil {
			return nil
		}
	}
	text, _ := os.ReadFile(log.Name())
	p.Kill()
	return fmt.Errorf("the PostgreSQL server did not start:\n%s", text)
}

// Kill ends the server and all of its processes at once, as a power cut would.
func (p *Postgres) Kill() {
	if p.command == nil || p.command.Process == nil {
		return
	}
	_ = syscall.Kill(-p.command.Process.Pid, syscall.SIGKILL)
	_ = p.command.Wait()
	p.command = nil
}

// Stop ends the server in order.
func (p *Postgres) Stop() {
	if p.command != nil && p.command.Process != nil {
		_ = p.command.Process.Signal(syscall.SIGINT)
		_ = p.command.Wait()
		p.command = nil
	}
}

// Remove ends the server and removes its folder.
func (p *Postgres) Remove() {
	p.Kill()
	_ = os.RemoveAll(p.Folder)
	p.forget()
}

// Ask runs a statement as the owner of everything, and returns the rows, one a line.
func (p *Postgres) Ask(database, statement string) (string, error) {
	command := exec.Command(filepath.Join(p.bin, "psql"), "-h", p.Folder, "-p", strconv.Itoa(p.Port), "-U", "keeper",
		"-d", database, "-qAtX", "-v", "ON_ERROR_STOP=1", "-c", statement)
	out, err := command.CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("%s: %w\n%s", statement, err, out)
	}
	return strings.TrimSpace(string(out)), nil
}

// NewDatabase makes an empty database, and gives its name.
func (p *Postgres) NewDatabase(tb testing.TB) string {
	tb.Helper()
	p.mutex.Lock()
	defer p.mutex.Unlock()
	return p.create(tb, "")
}

// CopyDatabase makes a database that is a copy of one that prepare filled, and gives its name.
// The original is made when a copy is first asked for; prepare has to leave it.
func (p *Postgres) CopyDatabase(tb testing.TB, prepare func(database string) error) string {
	tb.Helper()
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.original == "" {
		original := p.create(tb, "")
		if err := prepare(original); err != nil {
			tb.Fatal(err)
		}
		p.original = original
	}
	return p.create(tb, " TEMPLATE "+p.original)
}

// create makes a database with a clause behind its name. The mutex is held.
func (p *Postgres) create(tb testing.TB, clause string) string {
	tb.Helper()
	p.database++
	name := fmt.Sprintf("lab%d", p.database)
	if _, err := p.Ask("postgres", "CREATE DATABASE "+name+clause); err != nil {
		tb.Fatal(err)
	}
	return name
}

// Address of a database by the server's socket, as an account.
func (p *Postgres) Address(account, database string) string {
	return fmt.Sprintf("postgres://%s@:%d/%s?host=%s", account, p.Port, database, p.Folder)
}

// certify makes an authority, and a certificate of the server by it.
func (p *Postgres) certify() error {
	authority := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Tidewrack Field Lab"}, IsCA: true,
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(48 * time.Hour),
		KeyUsage: x509.KeyUsageCertSign, BasicConstraintsValid: true,
	}
	server := &x509.Certificate{
		SerialNumber: big.NewInt(2), Subject: pkix.Name{CommonName: "logbook"}, DNSNames: []string{"localhost"},
		NotBefore: authority.NotBefore, NotAfter: authority.NotAfter, KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, host := range append([]string{Emulated}, p.Hosts...) {
		if host != Unnamed {
			server.IPAddresses = append(server.IPAddresses, net.ParseIP(host))
		}
	}
	signing, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	signed, err := x509.CreateCertificate(rand.Reader, authority, authority, signing.Public(), signing)
	if err != nil {
		return err
	}
	own, err := x509.CreateCertificate(rand.Reader, server, authority, key.Public(), signing)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	return errors.Join(p.write("authority.pem", "CERTIFICATE", signed, 0o644), p.write("server.pem", "CERTIFICATE", own,
		0o644), p.write("key.pem", "PRIVATE KEY", secret, 0o600))
}

func (p *Postgres) write(name, kind string, content []byte, mode os.FileMode) error {
	var text bytes.Buffer
	if err := pem.Encode(&text, &pem.Block{Type: kind, Bytes: content}); err != nil {
		return err
	}
	path := filepath.Join(p.Folder, name)
	if err := os.WriteFile(path, text.Bytes(), mode); err != nil {
		return err
	}
	if p.account == nil {
		return nil
	}
	return os.Chown(path, int(p.account.Uid), int(p.account.Gid))
}
