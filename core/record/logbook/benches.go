package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// Enlist notes which machine measures under the name of a bench, in a logbook that several share.
// Where another machine did before, it says so: their sessions cannot be told apart by the name.
func (l *Logbook) Enlist(name, machine string) (warning string, err error) {
	if !Shared(l.place) || l.database.fixed != nil || name == "" || machine == "" {
		return "", nil
	}
	err = l.database.change(func(tx transaction) error {
		var other string
		var seen int64
		var ours bool
		warning = ""
		err := tx.QueryRow(`SELECT machine, seen_ms, account = session_user FROM benches WHERE name = $1`,
			name).Scan(&other, &seen, &ours)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if err == nil && other != machine {
			warning = fmt.Sprintf("another machine measured as the bench %s in this logbook, last at %s; give each a name of "+
				"its own with $OPENGAUGE_BENCH_NAME", name, time.UnixMilli(seen).Format(time.DateTime))
		}
		if err == nil && !ours { // it stays that account's
			return nil
		}
		_, err = tx.Exec(tx.enlist, name, machine)
		return err
	})
	return warning, err
}
