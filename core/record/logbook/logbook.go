// Package logbook keeps sessions: in an SQLite file, or in a PostgreSQL database that a lab
// shares. A session is written while it runs: each pass is on stable media before the next
// one starts.
//
// A [Logbook] may be used by several goroutines at once, and a file or a database by several
// programs: they wait for each other.
package logbook

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"time"

	"github.com/go-json-experiment/json/jsontext"
	"github.com/klauspost/compress/zstd"

	"opengauge/core/record/codec"
	"opengauge/core/storage/scratch"
)

// applicationID marks an SQLite file as a logbook: "OGLB".
const applicationID = 1330072642

// Logbook is an open logbook. Several programs may have one open at once.
type Logbook struct {
	database store
	// place is the file, or the address of the database.
	place string
	// address is as it was named, with the settings of the connection.
	address string
	// folder is where a copy of it is that stands for it, if there is one.
	folder *scratch.Folder
	// Samples are kept compressed. Both may be used by several goroutines.
	encoder *zstd.Encoder
	decoder *codec.Decoder
	// leftOut is told of rows that cannot be used, and may be nil.
	leftOut func(row string, why error)
}

func (l *Logbook) prepareCompression() (err error) {
	if l.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)),
		zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true)); err != nil {
		return err
	}
	l.decoder, err = codec.NewDecoder()
	return err
}

// unusable adds to an error, if it is one, which logbook it was and how to go on.
func (l *Logbook) unusable(err error) error {
	if err == nil {
		return nil
	}
	if plain := l.database.plainer(err); plain != err || errors.Is(err, ErrAway) || Shared(l.place) {
		return fmt.Errorf("the logbook %s: %w", l.place, plain)
	}
	return fmt.Errorf("the logbook %s cannot be used (%w); if it is damaged, move it away or name another with "+
		"--logbook", l.place, err)
}

// Place is the logbook's file, or the address of its database.
func (l *Logbook) Place() string { return l.place }

// Close closes the logbook.
func (l *Logbook) Close() error {
	l.decoder.Close()
	closed := l.database.Close()
	if Shared(l.place) {
		closed = nil // a server that has gone meanwhile took nothing with it
	}
	err := errors.Join(l.encoder.Close(), closed)
	if l.folder != nil {
		err = errors.Join(err, l.folder.Close())
	}
	return err
}

// OnDamage names a function that is told of each row that cannot be used, and is left out of lists and
// comparisons for that. Without one such a row is an error.
func (l *Logbook) OnDamage(leftOut func(row string, why error)) { l.leftOut = leftOut }

// leaveOut leaves out a row that cannot be used, or returns why it is an error.
func (l *Logbook) leaveOut(row string, why error) error {
	damage := errors.As(why, new(*jsontext.SyntacticError)) // which may end as connections do
	if l.leftOut == nil || l.database.ctx.Err() != nil || !damage && Shared(l.place) && isAway(why) {
		return fmt.Errorf("%s of the logbook %s cannot be used: %w", row, l.place, why)
	}
	l.leftOut(row, why)
	return nil
}

// Under returns the logbook within another context, whose end is the end of everything that waits for it.
func (l *Logbook) Under(ctx context.Context) *Logbook {
	other := *l
	other.database.ctx = ctx
	return &other
}

// waiting is the logbook with another patience.
func (l *Logbook) waiting(within time.Duration) *Logbook {
	other := *l
	other.database.patience = within
	return &other
}

// onlyRead is why a logbook cannot be changed.
func onlyRead(place string) error { return fmt.Errorf("the logbook %s can only be read", place) }
