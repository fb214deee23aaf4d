package logbook

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"opengauge/core/record/meeting"
)

// board is a meeting on the server of a logbook. A host is present for as long as the connection by
// which it came in; channel is where the server tells of notices and words, and known to its hosts
// alone.
type board struct {
	*Logbook
	meeting int64
	channel string
	host    string
	// ears is the connection that listens; mutex is held while it is used.
	ears  *pgx.Conn
	mutex sync.Mutex
}

// listenersSettings configure connections that listen: a host that dies is to be noticed within a few
// seconds.
var listenersSettings = settings{"lock_timeout": "'250ms'", "idle_in_transaction_session_timeout": "'0'",
	"tcp_keepalives_idle": "'2'", "tcp_keepalives_interval": "'2'", "tcp_keepalives_count": "'2'"}

// Meet enters the meeting of a name as a host. A meeting whose hosts have all gone is over, and
// another of its name begins, in which the given accounts may take part besides this one. Only a
// logbook that is shared has meetings.
func (l *Logbook) Meet(ctx context.Context, name, host string, accounts []string) (meeting.Board, error) {
	if !Shared(l.place) {
		return nil, fmt.Errorf("hosts meet in a logbook that they share, and %s is a file; name one with --logbook "+
			"postgres://HOST/DATABASE", l.place)
	}
	if l.database.fixed != nil {
		return nil, l.database.fixed
	}
	config, err := connection(l.address, listenersSettings)
	if err != nil {
		return nil, err
	}
	listening, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return nil, l.unusable(err)
	}
	b := &board{Logbook: l.Under(ctx), host: host, ears: listening}
	if err := b.enter(ctx, name, accounts); err != nil {
		return nil, errors.Join(err, listening.Close(context.Background()))
	}
	return b, nil
}

// errSameName says that a host of the name is present already.
var errSameName = errors.New("a host of this name is there already; give each its own with $OPENGAUGE_BENCH_NAME")

// Codes of errors that enter_meeting raises (migrations/postgres).
const (
	codeSameName = "OG001"
	codeNoMember = "OG002"
)

// enter takes the host's seat in the meeting, and listens. The seat is the connection's.
func (b *board) enter(ctx context.Context, name string, accounts []string) error {
	err := pgx.BeginFunc(ctx, b.ears, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SET LOCAL lock_timeout = '10s'`); err != nil {
			return err
		}
		return tx.QueryRow(ctx, `SELECT id, channel FROM opengauge_bench.enter_meeting($1, $2, $3)`, name, b.host,
			jsonList(accounts)).Scan(&b.meeting, &b.channel)
	})
	switch stateOf(err) {
	case codeSameName:
		return errSameName
	case codeNoMember:
		cause := new(pgconn.PgError)
		errors.As(err, &cause)
		return fmt.Errorf("the meeting %s was opened by the account %s, which did not list this one; all its hosts need the "+
			"same --accounts", name, cause.Message)
	}
	if err != nil {
		return b.unusable(err)
	}
	_, err = b.ears.Exec(ctx, `LISTEN `+pgx.Identifier{b.channel}.Sanitize())
	return err
}

// notification is the payload of a word. A notice has an empty one.
type notification struct {
	Host string          `json:"host,omitempty"`
	Word json.RawMessage `json:"word,omitempty"`
}

// answering is the longest that a server takes for a notice or a word; after that it is away, although its
// connections may be there still.
const answering = silence * silences

func (b *board) Post(ctx context.Context, key string, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, answering)
	defer cancel()
	_, err = b.Under(ctx).database.Exec(`SELECT opengauge_bench.post_notice($1, $2, $3, $4)`, b.meeting, key, b.host,
		string(text))
	return err
}

func (b *board) Since(ctx context.Context, number int64) ([]meeting.Notice, error) {
	ctx, cancel := context.WithTimeout(ctx, answering)
	defer cancel()
	rows, err := b.Under(ctx).database.Query(`SELECT number, host, key, document FROM notices
		WHERE meeting = $1 AND number > $2 ORDER BY number`, b.meeting, number)
	if err != nil {
		return nil, b.unusable(err)
	}
	defer rows.Close()
	var notices []meeting.Notice
	for rows.Next() {
		var n meeting.Notice
		var document string
		if err := rows.Scan(&n.Number, &n.Host, &n.Key, &document); err != nil {
			return nil, err
		}
		n.Document = json.RawMessage(document)
		notices = append(notices, n)
	}
	return notices, rows.Err()
}

func (b *board) Tell(ctx context.Context, document any) error {
	word, err := json.Marshal(document)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, answering)
	defer cancel()
	_, err = b.Under(ctx).database.ExecContext(ctx, `SELECT opengauge_bench.tell($1, $2, $3)`, b.meeting, b.host,
		string(word))
	return err
}

func (b *board) Wait(ctx context.Context, within time.Duration) ([]meeting.Word, error) {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	limited, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	heard, err := b.ears.WaitForNotification(limited)
	if err != nil {
		if limited.Err() != nil && ctx.Err() == nil && !b.ears.IsClosed() {
			return nil, nil
		}
		return nil, b.unusable(errors.Join(err, ctx.Err()))
	}
	var text notification
	if json.Unmarshal([]byte(heard.Payload), &text) != nil || text.Host == "" {
		return nil, nil
	}
	return []meeting.Word{{Host: text.Host, Document: text.Word}}, nil
}

func (b *board) Now(ctx context.Context) (now time.Time, err error) {
	ctx, cancel := context.WithTimeout(ctx, answering)
	defer cancel()
	err = b.Under(ctx).database.QueryRow(`SELECT clock_timestamp()`).Scan(&now)
	return now, err
}

func (b *board) Present(ctx context.Context) (map[string]bool, error) {
	ctx, cancel := context.WithTimeout(ctx, answering)
	defer cancel()
	hosts, err := queryTexts(b.Under(ctx).database, `SELECT opengauge_bench.present_hosts($1)`, b.meeting)
	present := map[string]bool{}
	for _, host := range hosts {
		present[host] = true
	}
	return present, err
}

func (b *board) Close() error {
	b.mutex.Lock()
	defer b.mutex.Unlock()
	ctx, cancel := context.WithTimeout(context.Background(), lockWait)
	defer cancel()
	_ = b.ears.Close(ctx) // a server that has gone holds no lock
	return nil
}
