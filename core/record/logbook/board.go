package logbook

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"opengauge/core/record/meeting"
)

// board is a meeting on the server of a logbook. Who is present holds an advisory lock on a
// connection of its own, which the server lets go of when the connection ends.
type board struct {
	*Logbook
	meeting int64
	host    string
	// ears is the connection that listens; mutex is held while it is used.
	ears  *pgx.Conn
	mutex sync.Mutex
}

// listenersSettings are those of connections that listen: a host that dies is to be noticed within a few seconds.
var listenersSettings = settings{"lock_timeout": "'250ms'", "idle_in_transaction_session_timeout": "'0'",
	"tcp_keepalives_idle": "'2'", "tcp_keepalives_interval": "'2'", "tcp_keepalives_count": "'2'"}

// Meet enters the meeting of a name as a host. A meeting whose hosts have all gone is over, and
// another of its name begins. Only a logbook that is shared has meetings.
func (l *Logbook) Meet(ctx context.Context, name, host string) (meeting.Board, error) {
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
	if err := b.enter(ctx, name); err != nil {
		return nil, errors.Join(err, listening.Close(context.Background()))
	}
	return b, nil
}

// errSameName says that a host of the name is present already.
var errSameName = errors.New("a host of this name is there already; give each its own with $OPENGAUGE_BENCH_NAME")

// enter finds the meeting or begins one, and takes the host's seat, before another host looks.
func (b *board) enter(ctx context.Context, name string) error {
	mine := false
	err := pgx.BeginFunc(ctx, b.ears, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `SET LOCAL lock_timeout = '10s'`); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock(hashtext('opengauge meetings'))`); err != nil {
			return err
		}
		if err := b.find(ctx, tx, name); err != nil {
			return err
		}
		return tx.QueryRow(ctx, `SELECT pg_try_advisory_lock($1::int, hashtext($2))`, lockOf(b.meeting),
			b.host).Scan(&mine)
	})
	switch {
	case err != nil:
		return b.unusable(err)
	case !mine:
		return errSameName
	}
	_, err = b.ears.Exec(ctx, `LISTEN `+pgx.Identifier{b.channel()}.Sanitize())
	return err
}

// find finds the meeting of a name in which somebody is present, or begins one.
func (b *board) find(ctx context.Context, tx pgx.Tx, name string) error {
	err := tx.QueryRow(ctx, `SELECT id FROM meetings WHERE name = $1 AND NOT ended`, name).Scan(&b.meeting)
	if err != nil && !errors.Is(err, pgx.ErrNoRows) {
		return err
	}
	if err == nil {
		var present int
		if err := tx.QueryRow(ctx, `SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND objsubid = 2
			AND classid::bigint = $1 AND database = (SELECT oid FROM pg_database WHERE datname = current_database())`,
			lockOf(b.meeting)).Scan(&present); err != nil || present > 0 {
			return err
		}
		if _, err := tx.Exec(ctx, `UPDATE meetings SET ended = true WHERE id = $1`, b.meeting); err != nil {
			return err
		}
	}
	return tx.QueryRow(ctx, `INSERT INTO meetings (name) VALUES ($1) RETURNING id`, name).Scan(&b.meeting)
}

// lockOf is the first half of the advisory locks of a meeting's hosts; the second is the host.
func lockOf(meeting int64) int64 { return meeting & 0x7fffffff }

func (b *board) channel() string { return fmt.Sprintf("opengauge_%d", b.meeting) }

// said is a word on its way; a notice is told by an empty one.
type said struct {
	Host string          `json:"host,omitempty"`
	Word json.RawMessage `json:"word,omitempty"`
}

func (b *board) Post(ctx context.Context, key string, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	return b.Under(ctx).database.change(func(tx transaction) error {
		// One after the other: who has seen a notice has seen all those before it.
		if _, err := tx.Exec(`SELECT pg_advisory_xact_lock(hashtext('opengauge notices'), $1::int)`,
			lockOf(b.meeting)); err != nil {
			return err
		}
		if _, err := tx.Exec(`INSERT INTO notices (meeting, key, host, document) VALUES ($1, $2, $3, $4)
			ON CONFLICT DO NOTHING`, b.meeting, key, b.host, string(text)); err != nil {
			return err
		}
		_, err := tx.Exec(`SELECT pg_notify($1, '{}')`, b.channel())
		return err
	})
}

func (b *board) Since(ctx context.Context, number int64) ([]meeting.Notice, error) {
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
	text, err := json.Marshal(said{b.host, word})
	if err != nil {
		return err
	}
	_, err = b.Under(ctx).database.ExecContext(ctx, `SELECT pg_notify($1, $2)`, b.channel(), string(text))
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
	var text said
	if json.Unmarshal([]byte(heard.Payload), &text) != nil || text.Host == "" {
		return nil, nil
	}
	return []meeting.Word{{Host: text.Host, Document: text.Word}}, nil
}

func (b *board) Now(ctx context.Context) (now time.Time, err error) {
	err = b.Under(ctx).database.QueryRow(`SELECT clock_timestamp()`).Scan(&now)
	return now, err
}

func (b *board) Present(ctx context.Context) (map[string]bool, error) {
	hosts, err := queryTexts(b.Under(ctx).database, `SELECT DISTINCT host FROM notices WHERE meeting = $1 AND EXISTS (
		SELECT 1 FROM pg_locks WHERE locktype = 'advisory' AND objsubid = 2 AND classid::bigint = $1
		AND objid::bigint = hashtext(host)::bigint & 4294967295
		AND database = (SELECT oid FROM pg_database WHERE datname = current_database()))`, b.meeting)
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
