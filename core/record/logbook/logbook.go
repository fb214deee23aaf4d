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

	"github.com/klauspost/compress/zstd"

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
	decoder *zstd.Decoder
	// small reads what is never large, however much a damaged row claims.
	small *zstd.Decoder
}

func (l *Logbook) prepareCompression() (err error) {
	if l.encoder, err = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(runtime.GOMAXPROCS(0)),
		zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true)); err != nil {
		return err
	}
	if l.decoder, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(0),
		zstd.WithDecoderMaxMemory(largestSamples)); err != nil {
		return err
	}
	l.small, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(largestAsked))
	return err
}

// unusable says of a failure, if it is one, which logbook it was, and what to do.
func (l *Logbook) unusable(err error) error {
	if err == nil {
		return nil
	}
	if plain := l.database.plainer(err); plain != err || errors.Is(err, ErrAway) {
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
	l.small.Close()
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

// Under is the logbook within another context: what waits for it ends with that.
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
