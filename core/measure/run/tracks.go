package run

import (
	"maps"
	"slices"
	"time"

	"opengauge/core/bench/sensor"
	"opengauge/core/record/session"
)

// beside is how long before a stretch a reading still tells how it began, in seconds.
const beside = 5.0

// forgetTracks leaves out what instruments said while nobody measured.
func (r *runner) forgetTracks() {
	if tracker, ok := r.request.Sensors.(sensor.Tracker); ok {
		tracker.Take()
	}
}

// tracks are what instruments said of power in a stretch, and shortly before it, at their
// own times since it began on the target's clock; nil where no instrument says it.
func (r *runner) tracks(began time.Duration, elapsedSeconds float64) []session.Track {
	tracker, ok := r.request.Sensors.(sensor.Tracker)
	if !ok {
		return nil
	}
	now, here := time.Now(), r.main.Now()
	byKey := map[string]*session.Track{}
	for _, moment := range tracker.Take() {
		at := (here - now.Sub(moment.At) - began).Seconds()
		if at < -beside || at > elapsedSeconds {
			continue
		}
		for key, value := range moment.Values {
			if !session.StoragePower(key) && !session.MachinePower(key) {
				continue
			}
			if byKey[key] == nil {
				byKey[key] = &session.Track{Key: key}
			}
			track := byKey[key]
			if last := len(track.TSeconds) - 1; last < 0 || at > track.TSeconds[last] {
				track.TSeconds, track.Values = append(track.TSeconds, at), append(track.Values, value)
			}
		}
	}
	var tracks []session.Track
	for _, key := range slices.Sorted(maps.Keys(byKey)) {
		tracks = append(tracks, *byKey[key])
	}
	return tracks
}

// instruments are what the figures of the sensors are, where they say so.
func (r Request) instruments() []sensor.Figure {
	if instrument, ok := r.Sensors.(sensor.Instrument); ok {
		return instrument.Figures()
	}
	return nil
}
