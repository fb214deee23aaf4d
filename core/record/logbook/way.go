package logbook

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/url"
	"os"
	"os/user"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Times after which a server that says nothing is away.
const (
	connecting = 5 * time.Second
	silence    = 5 * time.Second
	silences   = 3
)

// usualSettings configure connections that read and write.
var usualSettings = settings{"lock_timeout": "'250ms'", "statement_timeout": "'5min'",
	"idle_in_transaction_session_timeout": "'60s'", "tcp_keepalives_idle": "'5'", "tcp_keepalives_interval": "'5'",
	"tcp_keepalives_count": "'3'",
	"synchronous_commit":   kept}

// kept lets no commit come back before it is on the server's disk: a spool is let go of then.
const kept = `CASE current_setting('synchronous_commit') WHEN 'off' THEN 'on'
	ELSE current_setting('synchronous_commit') END`

// connection is how a server is reached, and the settings of its connections. A password goes to a
// server whose certificate holds for its name, or by a socket behind which a known account is.
func connection(place string, own settings) (*pgx.ConnConfig, error) {
	address, err := parseAddress(place)
	if err != nil {
		return nil, err
	}
	required := takePeer(address)
	config, err := verifiedConfig(address)
	if err != nil {
		return nil, err
	}
	config.ConnectTimeout = connecting
	if !isSafe(config) {
		config.Password = ""
	}
	config.DialFunc = dialer(required, config.Password != "")
	if _, given := config.RuntimeParams["application_name"]; !given {
		config.RuntimeParams["application_name"] = "opengauge"
	}
	own = maps.Clone(own)
	maps.DeleteFunc(own, func(name, _ string) bool { _, given := config.RuntimeParams[name]; return given })
	config.AfterConnect = own.keptBy(config.Config.Copy())
	return config, nil
}

// takePeer removes the account that has to be behind the socket from an address (libpq, requirepeer), and
// returns it, or the one in the environment.
func takePeer(address *url.URL) string {
	settings := address.Query()
	peer := settings.Get("requirepeer")
	settings.Del("requirepeer")
	address.RawQuery = settings.Encode()
	return cmp.Or(peer, os.Getenv("PGREQUIREPEER"))
}

// verifiedConfig reads an address with the settings that the environment and service files add to
// it. Where any of its servers is on another machine, or an authority is named, certificates have to
// hold for the names of servers.
func verifiedConfig(address *url.URL) (*pgx.ConnConfig, error) {
	config, err := parseConfig(address)
	isFar := func(way *pgconn.FallbackConfig) bool { return !isHere(way.Host) }
	far := err == nil && slices.ContainsFunc(waysOf(config), isFar)
	settings := address.Query()
	named := cmp.Or(settings.Get("sslrootcert"), os.Getenv("PGSSLROOTCERT")) != "" ||
		err == nil && config.TLSConfig != nil && config.TLSConfig.RootCAs != nil
	if err != nil && !named || err == nil && !far && !named {
		return config, err
	}
	switch mode := cmp.Or(settings.Get("sslmode"), os.Getenv("PGSSLMODE")); mode {
	case "", "verify-full", "verify-ca":
	default:
		if far {
			return nil, fmt.Errorf("the logbook %s is on another machine, and sslmode=%s does not check who answers there; "+
				"leave it out, and name the authority of the server's certificate with ?sslrootcert=FILE", canonical(address),
				mode)
		}
	}
	settings.Set("sslmode", "verify-full")
	checked := *address
	checked.RawQuery = settings.Encode()
	return parseConfig(&checked)
}

func parseConfig(address *url.URL) (*pgx.ConnConfig, error) {
	config, err := pgx.ParseConfig(address.String())
	if err != nil {
		return nil, fmt.Errorf("the address of the logbook cannot be used: %w", causeOf(err))
	}
	return config, nil
}

// causeOf returns the reason for which an address cannot be used, without the address.
func causeOf(err error) error {
	if cause := errors.Unwrap(err); cause != nil {
		return cause
	}
	return errors.New("see its settings")
}

// waysOf lists the ways to a server that are tried one after the other.
func waysOf(config *pgx.ConnConfig) []*pgconn.FallbackConfig {
	first := &pgconn.FallbackConfig{Host: config.Host, Port: config.Port, TLSConfig: config.TLSConfig}
	return append([]*pgconn.FallbackConfig{first}, config.Fallbacks...)
}

// isSafe reports whether a password may travel on all ways to a server: each is a socket, or its
// certificate is verified for its name.
func isSafe(config *pgx.ConnConfig) bool {
	return !slices.ContainsFunc(waysOf(config), func(way *pgconn.FallbackConfig) bool {
		return !isSocket(way.Host) && !isVerified(way.TLSConfig)
	})
}

func isVerified(config *tls.Config) bool {
	return config != nil && !config.InsecureSkipVerify && config.ServerName != ""
}

// isSocket reports whether a host is the folder of a socket.
func isSocket(host string) bool { return strings.HasPrefix(host, "/") }

// isHere reports whether a server's host is this machine: a folder of sockets, or its own address.
func isHere(host string) bool {
	if host == "" || host == "localhost" || isSocket(host) {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

// dialer returns a function that connects, and ends connections that fall silent. Where an account is
// required behind a socket, or a password goes through it, the kernel says who is there.
func dialer(required string, secret bool) pgconn.DialFunc {
	dialer := &net.Dialer{KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: silence, Interval: silence,
		Count: silences}, Control: endsInSilence(silence * silences)}
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		conn, err := dialer.DialContext(ctx, network, address)
		if err != nil || network != "unix" || required == "" && !secret {
			return conn, err
		}
		if err := checkPeer(conn, required); err != nil {
			return nil, errors.Join(err, conn.Close())
		}
		return conn, nil
	}
}

// errPeer says that nobody knows who would get a password.
var errPeer = errors.New("it is not known who is behind its socket, and so no password is sent")

// checkPeer fails where another account is behind a socket than the required one, or, where none is, than
// root, this one, or postgres, which packages run servers as.
func checkPeer(conn net.Conn, required string) error {
	uid, err := peerOf(conn)
	if err != nil {
		return fmt.Errorf("%w (%w); name a server with ?sslrootcert=FILE instead", errPeer, err)
	}
	accounts := []string{required}
	if required == "" {
		accounts = []string{"root", "postgres"}
		if uid == os.Getuid() {
			return nil
		}
	}
	for _, name := range accounts {
		if account, err := user.Lookup(name); err == nil && account.Uid == strconv.Itoa(uid) {
			return nil
		}
	}
	name := strconv.Itoa(uid)
	if account, err := user.LookupId(name); err == nil {
		name = account.Username
	}
	return fmt.Errorf("%w: the account %s is there; if it is the server's, say so with ?requirepeer=%s", errPeer, name,
		name)
}
