package run

import (
	"errors"
	"fmt"
	"io"
	"math/rand/v2"

	"opengauge/core/storage/direct"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/target"
)

const (
	// placesRead is how many places of those that a run wrote are read, to know a device
	// again.
	placesRead = 64
	// longestRead is the most that is read at each of them.
	longestRead = 64 << 10
	// mostCompressible is the share of compressible data up to which every page of it can
	// be known again.
	mostCompressible = 0.98
)

// ours returns a function that knows the target again by the data of this run, or nil where there is none.
func (d *desk) ours(compressible float64) target.Recognise {
	places := d.written.Places()
	if len(places) == 0 || compressible > mostCompressible {
		return nil
	}
	flushed := 0
	for flushed < len(places) && places[flushed].Flushed {
		flushed++
	}
	rand.Shuffle(flushed, func(i, j int) { places[i], places[j] = places[j], places[i] })
	rest := places[flushed:]
	rand.Shuffle(len(rest), func(i, j int) { rest[i], rest[j] = rest[j], rest[i] })
	places = places[:min(placesRead, len(places))]
	return func(from io.ReaderAt) error {
		stable := lookup{}
		loose := lookup{}
		for _, place := range places {
			seen := &loose
			if place.Flushed {
				seen = &stable
			}
			seen.look(from, place.Offset, min(place.Length, longestRead))
		}
		return d.judge(stable, loose)
	}
}

// judge says whether the data read is this run's. All that a flush had made stable has to be there, and half
// of the data that the device may have lost with its power. Places that cannot be read say nothing, but most
// of them have to be.
func (d *desk) judge(stable, loose lookup) error {
	read := stable.read + loose.read
	if failed := stable.failed + loose.failed; failed > read {
		return fmt.Errorf("%d of %d blocks that were written cannot be read: %w", failed, failed+read,
			errors.Join(stable.err, loose.err))
	}
	if stable.own == stable.read && 2*loose.own >= loose.read {
		return nil
	}
	return &target.StrangerError{Address: d.address, Why: fmt.Sprintf(
		"of %d blocks that this run wrote, %d hold something else", read, read-stable.own-loose.own)}
}

// lookup counts the results of reading places.
type lookup struct {
	read, own, failed int
	err               error
}

func (l *lookup) look(from io.ReaderAt, offset, length int64) {
	buffer := direct.Buffer(direct.Up(int(length)))[:length]
	if _, err := from.ReadAt(buffer, offset); err != nil && !errors.Is(err, io.EOF) {
		l.failed = l.failed + 1
		l.err = err
		return
	}
	l.read++
	if payload.Own(buffer) {
		l.own++
	}
}
