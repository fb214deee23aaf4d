package logbook

import (
	"cmp"
	"context"
	"crypto/x509"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/url"
	"os"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
)

// onServer is the engine of logbooks that labs share.
var onServer = engine{
	layouts: "postgres",
	has:     `SELECT count(*) FROM pg_class WHERE oid = to_regclass($1)`,
	texts:   `SELECT jsonb_array_elements_text($%d::jsonb)`,
	like:    `ILIKE`,
	named:   `sessions`,
	owner: `SELECT recorder, recorder = session_user OR pg_has_role(session_user, (SELECT relowner FROM pg_class
		WHERE oid = 'sessions'::regclass), 'USAGE') FROM sessions WHERE id = $1`,
	atOnce:  500,
	copy:    copyRows,
	alone:   `SELECT pg_advisory_xact_lock(hashtext('opengauge claims'))`,
	clock:   `(extract(epoch FROM clock_timestamp()) * 1000)::bigint`,
	busy:    othersHold,
	plainer: plainly,
}

// ErrAway says that the server of a logbook cannot be reached, or takes nothing now.
var ErrAway = errors.New("its server is away")

// canonical is the one way to write the address of a database that this program has.
func canonical(address *url.URL) string {
	short := shortened(address)
	return short.String()
}

// shortened is the canonical address: spools are found by it.
func shortened(address *url.URL) url.URL {
	host := address.Hostname()
	if port := cmp.Or(address.Port(), address.Query().Get("port"), "5432"); port != "5432" {
		host = net.JoinHostPort(host, port)
	} else if strings.Contains(host, ":") { // an address of IPv6
		host = "[" + host + "]"
	}
	short := url.URL{Scheme: "postgres", User: address.User, Host: strings.ToLower(host),
		Path: "/" + strings.Trim(address.Path, "/")}
	if folder := address.Query().Get("host"); folder != "" {
		short.RawQuery = "host=" + strings.ReplaceAll(url.QueryEscape(folder), "%2F", "/")
	}
	return short
}

// Times after which a server that says nothing is away.
const (
	connecting = 5 * time.Second
	silence    = 5 * time.Second
	silences   = 3
)

// usualSettings are those of connections that read and write.
var usualSettings = settings{"lock_timeout": "'250ms'", "idle_in_transaction_session_timeout": "'60s'",
	"tcp_keepalives_idle": "'5'", "tcp_keepalives_interval": "'5'", "tcp_keepalives_count": "'3'",
	"synchronous_commit": kept}

// kept lets no commit come back before it is on the server's disk: a spool is let go of then.
const kept = `CASE current_setting('synchronous_commit') WHEN 'off' THEN 'on'
	ELSE current_setting('synchronous_commit') END`

// connection is how a server is reached, and what its connections have of their own. On its way to
// another machine everything is encrypted, and the certificate of the server is checked.
func connection(place string, own settings) (*pgx.ConnConfig, error) {
	address, err := parseAddress(place)
	if err != nil {
		return nil, err
	}
	config, err := parsed(address)
	if err != nil {
		return nil, err
	}
	config.ConnectTimeout = connecting
	dialer := &net.Dialer{KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: silence, Interval: silence,
		Count: silences}, Control: endsInSilence(silence * silences)}
	config.DialFunc = dialer.DialContext
	if _, given := config.RuntimeParams["application_name"]; !given {
		config.RuntimeParams["application_name"] = "opengauge"
	}
	own = maps.Clone(own)
	maps.DeleteFunc(own, func(name, _ string) bool { _, given := config.RuntimeParams[name]; return given })
	config.AfterConnect = own.keptBy(config.Config.Copy())
	return config, nil
}

// parsed reads an address with what the environment and service files add to it. Where any of
// its servers is on another machine, their certificates are checked.
func parsed(address *url.URL) (*pgx.ConnConfig, error) {
	config, err := asWritten(address)
	far := func(way *pgconn.FallbackConfig) bool { return !isHere(way.Host) }
	if err != nil || isHere(config.Host) && !slices.ContainsFunc(config.Fallbacks, far) {
		return config, err
	}
	settings := address.Query()
	switch mode := cmp.Or(settings.Get("sslmode"), os.Getenv("PGSSLMODE")); mode {
	case "":
		settings.Set("sslmode", "verify-full")
	case "verify-full", "verify-ca":
	default:
		return nil, fmt.Errorf("the logbook %s is on another machine, and sslmode=%s does not check who answers there; "+
			"leave it out, and name the authority of the server's certificate with ?sslrootcert=FILE", canonical(address),
			mode)
	}
	checked := *address
	checked.RawQuery = settings.Encode()
	return asWritten(&checked)
}

func asWritten(address *url.URL) (*pgx.ConnConfig, error) {
	config, err := pgx.ParseConfig(address.String())
	if err != nil {
		return nil, fmt.Errorf("the address of the logbook cannot be used: %w", wrongSetting(err))
	}
	return config, nil
}

// wrongSetting is what is wrong with an address, without the address.
func wrongSetting(err error) error {
	if cause := errors.Unwrap(err); cause != nil {
		return cause
	}
	return errors.New("see its settings")
}

// isHere says whether a server's host is this machine: a folder of sockets, or its own address.
func isHere(host string) bool {
	if host == "" || host == "localhost" || strings.HasPrefix(host, "/") {
		return true
	}
	ip := net.ParseIP(host)
	return ip != nil && ip.IsLoopback()
}

// openServer opens a logbook that a server keeps. An empty database becomes one where it is to
// be made.
func openServer(ctx context.Context, place string, toMake bool) (*Logbook, error) {
	config, err := connection(place, usualSettings)
	if err != nil {
		return nil, err
	}
	address, _ := parseAddress(place) // it was read above
	database := stdlib.OpenDB(*config)
	const together = 4
	database.SetMaxOpenConns(together)
	database.SetMaxIdleConns(together)
	book := &Logbook{database: store{DB: database, engine: onServer, ctx: ctx, patience: usualPatience},
		place: canonical(address), address: place}
	if err := book.prepareCompression(); err != nil {
		return nil, errors.Join(err, database.Close())
	}
	if err := book.lookAtServer(toMake); err != nil {
		return nil, errors.Join(book.onServerError(err), database.Close())
	}
	return book, nil
}

func (l *Logbook) onServerError(err error) error {
	if errors.Is(err, ErrNone) || errors.Is(err, errOtherDatabase) || errors.Is(err, errEncoding) {
		return err
	}
	return l.unusable(err)
}

var errOtherDatabase = errors.New("it is a database, but not a logbook")

// lookAtServer sees what the database is before it touches anything.
func (l *Logbook) lookAtServer(toMake bool) error {
	var tables int
	var marked bool
	if err := l.database.QueryRow(`SELECT count(*), coalesce(bool_or(relname = 'settings'), false) FROM pg_class
		WHERE relnamespace = current_schema()::regnamespace AND relkind IN ('r', 'v', 'p', 'm', 'f')`).Scan(&tables,
		&marked); err != nil {
		return err
	}
	if marked {
		var application string
		err := l.database.QueryRow(`SELECT value FROM settings WHERE key = 'application'`).Scan(&application)
		if code := stateOf(err); code == "42501" { // it may be a logbook, but not for this account
			return err
		}
		marked = application == "opengauge"
	}
	switch {
	case !marked && tables > 0 && !l.beingMade():
		return fmt.Errorf("the logbook %s: %w; name an empty database, or make one with createdb", l.place, errOtherDatabase)
	case !marked && !toMake:
		return fmt.Errorf("%w at %s yet; measure something first, or name another place with --logbook", ErrNone, l.place)
	}
	if !marked {
		if err := l.takesText(); err != nil {
			return err
		}
	}
	if err := l.mayChange(marked); err != nil {
		return err
	}
	return l.prepare()
}

// errEncoding says that a database cannot hold every name.
var errEncoding = errors.New("names in it are not Unicode")

// takesText sees that a new logbook can hold every text: in UTF-8, or as the bytes that it is.
func (l *Logbook) takesText() error {
	var encoding string
	if err := l.database.QueryRow(`SELECT current_setting('server_encoding')`).Scan(&encoding); err != nil {
		return err
	}
	if encoding == "UTF8" || encoding == "SQL_ASCII" {
		return nil
	}
	return fmt.Errorf("the logbook %s: %w, its encoding is %s; make another database with createdb --encoding UTF8 "+
		"--template template0", l.place, errEncoding, encoding)
}

// beingMade says whether another program is making this logbook: its first table alone is there.
func (l *Logbook) beingMade() bool {
	var others int
	err := l.database.QueryRow(`SELECT count(*) FROM pg_class WHERE relnamespace = current_schema()::regnamespace
		AND relkind IN ('r', 'v', 'p', 'm', 'f') AND relname <> 'goose_db_version'`).Scan(&others)
	return err == nil && others == 0
}

// mayChange notes why a logbook can only be read: by its server, or by this account.
func (l *Logbook) mayChange(made bool) error {
	var readOnly, may bool
	query := `SELECT pg_is_in_recovery() OR current_setting('transaction_read_only') = 'on', true`
	if made {
		query = `SELECT pg_is_in_recovery() OR current_setting('transaction_read_only') = 'on',
			has_table_privilege('sessions', 'INSERT')`
	}
	if err := l.database.QueryRow(query).Scan(&readOnly, &may); err != nil {
		return err
	}
	switch {
	case readOnly:
		l.database.fixed = fmt.Errorf("%w: its server takes no changes", onlyRead(l.place))
	case !may:
		l.database.fixed = fmt.Errorf("%w by this account; ask its keepers for the role of a bench", onlyRead(l.place))
	}
	return nil
}

// stateOf is the code of an error that a server told (PostgreSQL, Appendix A).
func stateOf(err error) string {
	told := new(pgconn.PgError)
	if errors.As(err, &told) {
		return told.Code
	}
	return ""
}

// othersHold says whether a change may go through when it is made again: transactions that
// met, or that others kept waiting.
func othersHold(err error) bool {
	if errors.Is(err, errMet) {
		return true
	}
	switch stateOf(err) {
	case "40001", "40P01", "55P03": // serialization, deadlock, lock not available
		return true
	}
	return false
}

// isAway says whether an error means that the server cannot be reached, or is ending, or has
// no place for another connection.
func isAway(err error) bool {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, errShared) || notLetThrough(err) {
		return false
	}
	if code := stateOf(err); code != "" {
		return strings.HasPrefix(code, "08") || strings.HasPrefix(code, "57P") || code == "53300"
	}
	if authority := new(x509.UnknownAuthorityError); errors.As(err, authority) {
		return false
	}
	network, refused := net.Error(nil), new(pgconn.ConnectError)
	return errors.As(err, &network) || errors.As(err, &refused) && !strings.Contains(err.Error(), "tls") ||
		errors.Is(err, syscall.ECONNRESET) || errors.Is(err, syscall.EPIPE) || errors.Is(err, sql.ErrConnDone) ||
		errors.Is(err, context.DeadlineExceeded) || errors.Is(err, net.ErrClosed) ||
		strings.Contains(err.Error(), "unexpected EOF") || strings.Contains(err.Error(), "conn closed")
}

// notLetThrough says whether a pooler refused a setting of the address, which it will do again.
func notLetThrough(err error) bool {
	return strings.Contains(err.Error(), "unsupported startup parameter")
}

// advice is what to do about what a server said.
var advice = map[string]string{
	"28P01": "the server does not know this account, or its password is another; see ~/.pgpass or $PGPASSWORD",
	"28000": "the server does not let this account in from here; ask its keepers",
	"3D000": "there is no such database; make one with createdb",
	"42501": "this account may not do that; ask the keepers of the logbook for another role",
	"53100": "the disk of the server is full",
	"25006": "the server takes no changes now",
	"42P01": "it lacks a table; it is damaged, or of a newer opengauge",
	"42703": "it lacks a column; it is damaged, or of a newer opengauge",
}

// plainly gives an error of the server in words that say what to do.
func plainly(err error) error {
	if err == nil || errors.Is(err, ErrAway) {
		return err
	}
	if isAway(err) {
		return fmt.Errorf("%w (%s)", ErrAway, reasonOf(err))
	}
	if errors.Is(err, errShared) {
		return errShared
	}
	if text, ok := advice[stateOf(err)]; ok {
		return fmt.Errorf("%s (%w)", text, err)
	}
	if strings.Contains(err.Error(), "certificate") || strings.Contains(err.Error(), "TLS") {
		return fmt.Errorf("its server cannot be trusted: %s; name the authority of its certificate with ?sslrootcert=FILE",
			reasonOf(err))
	}
	return err
}

// reasonOf is the innermost reason of a failed connection, without who wanted to connect.
func reasonOf(err error) string {
	text := err.Error()
	if at := strings.LastIndex(text, "): "); at >= 0 && errors.As(err, new(*pgconn.ConnectError)) {
		text = text[at+3:]
	}
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return strings.TrimSpace(lines[len(lines)-1])
}

// copyRows adds rows by COPY. Row rules do not allow that, so that only owners can, for whom there
// are none.
func copyRows(tx transaction, r *rows) (done bool, err error) {
	var owner bool
	if err := tx.QueryRow(`SELECT pg_has_role(current_user, relowner, 'USAGE') FROM pg_class
		WHERE oid = 'sessions'::regclass`).Scan(&owner); err != nil || !owner {
		return false, err
	}
	table, columns := r.parts()
	return true, tx.conn.Raw(func(driver any) error {
		_, err := driver.(*stdlib.Conn).Conn().CopyFrom(tx.ctx, pgx.Identifier{table}, columns, r)
		return err
	})
}
