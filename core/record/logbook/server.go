package logbook

import (
	"cmp"
	"context"
	"crypto/x509"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"slices"
	"strings"
	"syscall"

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
	busy:    othersHold,
	plainer: plainly,

	statements:    serverStatements,
	add:           addByArrays,
	sessionValues: serverValues,
	holders:       holders,
	lostRace:      madeMeanwhile,
}

// ErrAway says that the server of a logbook cannot be reached, or takes nothing now.
var ErrAway = errors.New("its server is away")

// canonical is the one way to write the address of a database that this program has.
func canonical(address *url.URL) string {
	short := shorten(address)
	return short.String()
}

// shorten is the canonical address: spools are found by it.
func shorten(address *url.URL) url.URL {
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
		if stateOf(err) == badPassword && config.Password == "" {
			err = errNoPassword
		}
		return nil, errors.Join(book.onServerError(err), database.Close())
	}
	return book, nil
}

// badPassword is the state of an account that is not let in (PostgreSQL, Appendix A).
const badPassword = "28P01"

// errNoPassword says that a server asks for a password, and got none.
var errNoPassword = errors.New("it asks for a password, and none was sent: one travels only to a server whose " +
	"certificate was verified (name its authority with ?sslrootcert=FILE) or by a socket on this machine " +
	"(?host=/var/run/postgresql), and stands in ~/.pgpass or $PGPASSWORD")

func (l *Logbook) onServerError(err error) error {
	if errors.Is(err, ErrNone) || errors.Is(err, errOtherDatabase) || errors.Is(err, errEncoding) {
		return err
	}
	return l.unusable(err)
}

var errOtherDatabase = errors.New("it is a database, but not a logbook")

// lookAtServer finds out which database it is before it changes anything.
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
		if err != nil && !errors.Is(err, sql.ErrNoRows) && stateOf(err) != undefinedColumn {
			return err // it may be a logbook
		}
		marked = application == "opengauge"
	}
	beingMade := false
	if !marked && tables > 0 {
		var err error
		if beingMade, err = l.beingMade(); err != nil {
			return err
		}
	}
	switch {
	case !marked && tables > 0 && !beingMade:
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

// undefinedColumn is the state of a question about another table than it was meant for.
const undefinedColumn = "42703"

// beingMade reports whether another program is making this logbook: its first table alone is there.
func (l *Logbook) beingMade() (bool, error) {
	var others int
	err := l.database.QueryRow(`SELECT count(*) FROM pg_class WHERE relnamespace = current_schema()::regnamespace
		AND relkind IN ('r', 'v', 'p', 'm', 'f') AND relname <> 'goose_db_version'`).Scan(&others)
	return others == 0, err
}

// mayChange notes why a logbook can only be read: by its server, or by this account.
func (l *Logbook) mayChange(made bool) error {
	var readOnly bool
	if err := l.database.QueryRow(`SELECT pg_is_in_recovery() OR current_setting('transaction_read_only') =
		'on'`).Scan(&readOnly); err != nil {
		return err
	}
	if readOnly {
		l.database.fixed = fmt.Errorf("%w: its server takes no changes", onlyRead(l.place))
	}
	if readOnly || !made {
		return nil
	}
	var may bool
	// Before layout 10 there were no functions.
	if err := l.database.QueryRow(`SELECT CASE WHEN to_regnamespace('opengauge_bench') IS NULL
		THEN has_table_privilege('sessions', 'INSERT') ELSE has_schema_privilege('opengauge_bench', 'USAGE')
		END`).Scan(&may); err != nil {
		return err
	}
	if !may {
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

// madeMeanwhile reports whether an error says that something is there already that was to be made
// (PostgreSQL, Appendix A): of two programs that prepare a logbook one finds it done.
func madeMeanwhile(err error) bool {
	switch stateOf(err) {
	case "23505", "42P06", "42P07", "42710", "42723", "XX000": // unique, schema, table, object, function, tuple updated
		return true
	}
	return othersHold(err)
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
		errors.Is(err, context.DeadlineExceeded) || errors.Is(err, net.ErrClosed) || errors.Is(err, driver.ErrBadConn) ||
		strings.Contains(err.Error(), "unexpected EOF") || strings.Contains(err.Error(), "conn closed")
}

// serverTrouble reports whether a server is short of something, ends a connection or fails by itself, so that
// the same may go through later (PostgreSQL, Appendix A, by classes).
func serverTrouble(err error) bool {
	if errors.Is(err, driver.ErrBadConn) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		return true
	}
	code := stateOf(err)
	return len(code) == 5 && slices.Contains([]string{"08", "25", "40", "53", "55", "57", "58", "XX"}, code[:2])
}

// notLetThrough says whether a pooler refused a setting of the address, which it will do again.
func notLetThrough(err error) bool {
	return strings.Contains(err.Error(), "unsupported startup parameter")
}

// advice explains the errors of a server, by their codes.
var advice = map[string]string{
	badPassword: "the server does not know this account, or its password is another; see ~/.pgpass or $PGPASSWORD",
	"28000":     "the server does not let this account in from here; ask its keepers",
	"3D000":     "there is no such database; make one with createdb",
	"42501":     "this account may not do that; ask the keepers of the logbook for another role",
	"53100":     "the disk of the server is full",
	"53200":     "the server is short of memory",
	"58030":     "the server cannot read or write its files; its keepers look at its log",
	"57014":     "the server ended a question that took too long",
	"XX000":     "the server failed by itself; its keepers look at its log",
	"XX001":     "the data of the server are damaged; its keepers look at its log",
	"XX002":     "an index of the server is damaged; its keepers look at its log",
	"25006":     "the server takes no changes now",
	"42P01":     "it lacks a table; it is damaged, or of a newer opengauge",
	"42703":     "it lacks a column; it is damaged, or of a newer opengauge",
}

// plainly explains an error of the server, and how to go on.
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

// holders names the accounts whose transactions hold rows that others wait for: each of them has locked rows of
// a table (ROW SHARE or stronger), and does not wait itself.
func holders(s store) string {
	names, err := queryTexts(s, `SELECT DISTINCT format('%s (%s, process %s)', a.usename, a.application_name, a.pid)
		FROM pg_locks l JOIN pg_stat_activity a USING (pid) JOIN pg_class c ON c.oid = l.relation
		WHERE c.relnamespace = to_regnamespace('opengauge') AND l.granted AND l.pid <> pg_backend_pid()
		AND l.mode <> 'AccessShareLock' AND NOT EXISTS (SELECT FROM pg_locks w WHERE w.pid = l.pid AND NOT w.granted)`)
	if err != nil || len(names) == 0 {
		return ""
	}
	return ", and it is held by " + strings.Join(names, ", ")
}
