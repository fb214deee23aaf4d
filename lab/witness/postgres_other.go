//go:build !linux

package witness

import "testing"

// Postgres is a packaged server, which tests start on Linux.
type Postgres struct{}

// SharedPostgres skips the test.
func SharedPostgres(tb testing.TB) *Postgres {
	tb.Helper()
	tb.Skip("PostgreSQL servers are started on Linux")
	return nil
}

// StopPostgres has nothing to stop.
func StopPostgres() {}

// NewDatabase is of servers that there are.
func (*Postgres) NewDatabase(testing.TB) string { return "" }

// CopyDatabase is of servers that there are.
func (*Postgres) CopyDatabase(testing.TB, func(string) error) string { return "" }

// Address is of servers that there are.
func (*Postgres) Address(string, string) string { return "" }
