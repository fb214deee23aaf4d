package logbook

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strconv"
	"sync/atomic"

	"github.com/jackc/pgx/v5/pgconn"
)

// errShared says that a connection is not this program's alone.
var errShared = errors.New("a pooler on the way there gives connections to others between transactions, and a " +
	"logbook listens, locks and has settings on its own; name the server itself, or a pooler in session mode")

// settings are the settings of a connection, as SQL expressions. They are set once it is there: poolers let
// none of them through at its start.
type settings map[string]string

// keptBy returns a function that prepares a new connection. Other is the configuration of one more
// connection, without settings.
func (s settings) keptBy(other *pgconn.Config) func(context.Context, *pgconn.PgConn) error {
	var own atomic.Bool
	return func(ctx context.Context, conn *pgconn.PgConn) error {
		direct, err := s.setDirectly(ctx, conn)
		if direct || err != nil {
			return err
		}
		if !own.Load() {
			if err := isOwn(ctx, conn, other); err != nil {
				return err
			}
			own.Store(true)
		}
		return s.setEach(ctx, conn)
	}
}

// setDirectly sets all in one go where the server itself is at the other end: it says there who it is as it
// said at the start. A pooler has numbers of its own.
func (s settings) setDirectly(ctx context.Context, conn *pgconn.PgConn) (direct bool, err error) {
	text := fmt.Sprintf("SELECT pg_backend_pid() = %d", conn.PID())
	for _, name := range slices.Sorted(maps.Keys(s)) {
		text += fmt.Sprintf(", CASE WHEN pg_backend_pid() = %d THEN set_config('%s', %s, false) END", conn.PID(), name,
			s[name])
	}
	told, err := ask(ctx, conn, text)
	if unknownThere(err) {
		return false, nil
	}
	return told == "t", err
}

// setEach sets one after the other, and skips settings unknown to the server.
func (s settings) setEach(ctx context.Context, conn *pgconn.PgConn) error {
	for _, name := range slices.Sorted(maps.Keys(s)) {
		_, err := ask(ctx, conn, fmt.Sprintf("SELECT set_config('%s', %s, false)", name, s[name]))
		if err != nil && !unknownThere(err) {
			return err
		}
	}
	return nil
}

// isOwn fails where a setting of a connection is seen on another one.
func isOwn(ctx context.Context, conn *pgconn.PgConn, other *pgconn.Config) error {
	const mark = "opengauge.connection"
	token := strconv.FormatUint(rand.Uint64(), 36)
	if _, err := ask(ctx, conn, fmt.Sprintf("SELECT set_config('%s', '%s', false)", mark, token)); err != nil {
		return withoutUnknown(err)
	}
	second, err := pgconn.ConnectConfig(ctx, other)
	if err != nil {
		return err
	}
	defer second.Close(context.WithoutCancel(ctx))
	seen, err := ask(ctx, second, fmt.Sprintf("SELECT current_setting('%s', true)", mark))
	_, cleared := ask(ctx, conn, fmt.Sprintf("SELECT set_config('%s', '', false)", mark))
	if seen == token {
		return errShared
	}
	return withoutUnknown(errors.Join(err, cleared))
}

func withoutUnknown(err error) error {
	if unknownThere(err) {
		return nil
	}
	return err
}

// unknownThere says whether a server answered that it does not know a setting or a function.
func unknownThere(err error) bool {
	switch stateOf(err) {
	case "42704", "42883", "0A000":
		return true
	}
	return false
}

// ask gives the first figure of the answer to a question without parameters.
func ask(ctx context.Context, conn *pgconn.PgConn, text string) (string, error) {
	results, err := conn.Exec(ctx, text).ReadAll()
	if err != nil {
		return "", err
	}
	if len(results) == 0 || len(results[0].Rows) == 0 {
		return "", nil
	}
	return string(results[0].Rows[0][0]), nil
}
