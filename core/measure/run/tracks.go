package run

import (
	"maps"
	"slices"
	"time"

	"opengauge/core/bench/sensor"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// beside is how long before a stretch a reading still tells how it began, in seconds.
const beside = 5.0

// forgetTracks leaves out the readings of instruments while nobody measured.
func (r *runner) forgetTracks() {
	if tracker, ok := r.request.Sensors.(sensor.Tracker); ok {
		tracker.Drain(time.Time{})
	}
}

// tracks returns the instruments' readings of power in a stretch, and shortly before it, at their own times
// since it began on the target's clock; nil where no instrument reads it.
func (r *runner) tracks(began time.Duration, elapsedSeconds float64) []session.Track {
	tracker, ok := r.request.Sensors.(sensor.Tracker)
	if !ok {
		return nil
	}
	now := time.Now()
	here := r.main.Now()
	end := began + unit.Duration(elapsedSeconds)
	byKey := map[string]*session.Track{}
	for _, moment := range tracker.Drain(now.Add(end - here)) {
		at := (here - now.Sub(moment.At) - began).Seconds()
		for key, value := range moment.Values {
			if at < -beside || !session.StoragePower(key) && !session.MachinePower(key) {
				continue
			}
			if byKey[key] == nil {
				byKey[key] = &session.Track{Key: key}
			}
			enterReading(byKey[key], at, value, elapsedSeconds)
		}
	}
	var tracks []session.Track
	for _, key := range slices.Sorted(maps.Keys(byKey)) {
		tracks = append(tracks, *byKey[key])
	}
	return tracks
}

// enterReading adds a reading to a track, up to the first one behind the end of its stretch, which says how
// that ended.
func enterReading(track *session.Track, at, value, elapsedSeconds float64) {
	if last := len(track.TSeconds) - 1; last >= 0 &&
		(at <= track.TSeconds[last] || track.TSeconds[last] >= elapsedSeconds) {
		return
	}
	track.TSeconds = append(track.TSeconds, at)
	track.Values = append(track.Values, value)
}

// instruments returns the figures of the sensors, where they describe them.
func (r Request) instruments() []sensor.Figure {
	if instrument, ok := r.Sensors.(sensor.Instrument); ok {
		return instrument.Figures()
	}
	return nil
}
