package logbook

import (
	"errors"
	"fmt"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// pooled gives a new database of a server, and its address through a pooler that gives connections on between
// sessions or transactions.
func pooled(t *testing.T, between string) (server *witness.Postgres, database, pool, place string) {
	t.Helper()
	server = witness.SharedPostgres(t)
	database, pool = server.NewDatabase(t), server.Pool(t, between)
	return server, database, pool, fmt.Sprintf("postgres://keeper@:%d/%s?host=%s", server.Port, database, pool)
}

// Through a pooler that keeps a connection for a session a logbook does all that it does without.
func TestThroughAPooler(t *testing.T) {
	t.Parallel()
	_, _, _, place := pooled(t, "session")
	book := newBookAt(t, place)
	s := example("pooled", "a pool", time.Now().UTC().Truncate(time.Second))
	if waits := measured(t, place, book, s); waits != "" {
		t.Errorf("what was measured waits: %s", waits)
	}
	if list, _, err := book.List(Filter{}); err != nil || len(list) != 1 {
		t.Errorf("there are %d sessions, %v", len(list), err)
	}
	var waiting string
	if err := book.database.QueryRow(`SHOW lock_timeout`).Scan(&waiting); err != nil || waiting != "250ms" {
		t.Errorf("its connections wait for locks for %q, %v", waiting, err)
	}
	board, err := book.Meet(t.Context(), "pier", "desk", nil)
	if err != nil {
		t.Fatal(err)
	}
	defer board.Close()
	if err := board.Post(t.Context(), "here", 1); err != nil {
		t.Error(err)
	}
	if _, err := board.Wait(t.Context(), 5*time.Second); err != nil {
		t.Error(err)
	}
	if present, err := board.Present(t.Context()); err != nil || !present["desk"] {
		t.Errorf("there are %v, %v", present, err)
	}
}

// One that gives connections on between transactions is refused, and nothing is left on those that others get.
func TestAPoolerBetweenTransactions(t *testing.T) {
	t.Parallel()
	server, database, pool, place := pooled(t, "transaction")
	_, err := Create(t.Context(), place)
	if !errors.Is(err, errShared) || errors.Is(err, ErrAway) || !strings.Contains(err.Error(), "in session mode") {
		t.Errorf("it was opened: %v", err)
	}
	out, err := exec.Command("psql", "-h", pool, "-p", strconv.Itoa(server.Port), "-U", "keeper", "-d", database, "-qAt",
		"-c", "SELECT current_setting('lock_timeout') || current_setting('opengauge.connection', true)").CombinedOutput()
	if err != nil || strings.TrimSpace(string(out)) != "0" {
		t.Errorf("others wait for locks for, and see: %s, %v", out, err)
	}
}

// A setting of the address that a pooler refuses is no server that is away.
func TestASettingThatIsNotLetThrough(t *testing.T) {
	t.Parallel()
	_, _, _, place := pooled(t, "session")
	_, err := Create(t.Context(), place+"&work_mem=64MB")
	if err == nil || errors.Is(err, ErrAway) || !strings.Contains(err.Error(), "work_mem") {
		t.Errorf("it was opened: %v", err)
	}
}
