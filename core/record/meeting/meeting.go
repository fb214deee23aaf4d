// Package meeting is where hosts meet that measure together: notices that all of them see in one
// order, who is there, words that are said and not kept, and one clock. A logbook on a server has
// such boards. The rules of a meeting are in measure/together.
//
// A [Board] is one host's. Its methods may be called by several goroutines at once, but for Wait,
// which belongs to one.
package meeting

import (
	"context"
	"encoding/json"
	"time"
)

// Notice is a document posted for all hosts. It stays.
type Notice struct {
	// Number says in which order notices were posted; it is above 0.
	Number int64 `json:"number"`
	// Host posted it.
	Host string `json:"host"`
	// Key names the subject. Of notices with the same key only the first is kept.
	Key      string          `json:"key"`
	Document json.RawMessage `json:"document"`
}

// Word is a document for those who listen now. It is not kept.
type Word struct {
	Host     string          `json:"host"`
	Document json.RawMessage `json:"document"`
}

// Board is where hosts meet.
type Board interface {
	// Post posts a document under a key, unless there is one of the key already.
	Post(ctx context.Context, key string, document any) error
	// Since gives the notices after one of a number.
	Since(ctx context.Context, number int64) ([]Notice, error)
	// Tell says something.
	Tell(ctx context.Context, document any) error
	// Wait waits for a notice or a word, at most for the given time, and returns the words.
	Wait(ctx context.Context, within time.Duration) ([]Word, error)
	// Now is the time by the board's clock, which is the same for all.
	Now(ctx context.Context) (time.Time, error)
	// Present are the hosts that are connected to the board.
	Present(ctx context.Context) (map[string]bool, error)
	// Close leaves the board: the host is no longer present.
	Close() error
}
