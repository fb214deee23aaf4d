// Package energy computes the power and energy of storage from the readings of meters: watts idle, on average
// and at most, and joules for the data moved. Where a meter was silent nothing is known, and nothing is
// counted. It only reads sessions, and its functions may be called at once.
package energy

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Draw is the power and energy of a pass or a rest by one meter.
type Draw struct {
	// Key is the meter's key among readings. Machine marks a meter of a whole machine, and not of the storage
	// alone.
	Key     string
	Machine bool
	// MeanWatts, PeakWatts and Joules are over the time that is covered.
	MeanWatts, PeakWatts, Joules float64
	// CoveredSeconds is for how long the meter said something, of ElapsedSeconds.
	CoveredSeconds, ElapsedSeconds float64
	// IdleWatts is the power while the storage was let be; NaN without a rest.
	IdleWatts float64
	// Bytes is the data moved in the time that is covered.
	Bytes unit.Bytes
}

// Told says whether there is a figure at all: most of the time has to be covered.
func (d Draw) Told() bool {
	return d.CoveredSeconds >= leastCovered*d.ElapsedSeconds && d.CoveredSeconds > 0
}

// CountedWatts returns the watts that count: the storage's own, or the watts of a whole machine above idle,
// which need a rest.
func (d Draw) CountedWatts() (watts float64, known bool) {
	switch {
	case !d.Told():
		return 0, false
	case !d.Machine:
		return d.MeanWatts, true
	case math.IsNaN(d.IdleWatts):
		return 0, false
	}
	return d.MeanWatts - d.IdleWatts, true
}

// JoulesPerGB is the counted energy to move 10^9 bytes.
func (d Draw) JoulesPerGB() (float64, bool) {
	watts, known := d.CountedWatts()
	if !known || d.Bytes <= 0 || watts <= 0 {
		return 0, false
	}
	return watts * d.CoveredSeconds / (float64(d.Bytes) / float64(unit.GB)), true
}

// BytesPerJoule is the data moved for a joule, which is also the rate for a watt.
func (d Draw) BytesPerJoule() (float64, bool) {
	joules, known := d.JoulesPerGB()
	if !known {
		return 0, false
	}
	return float64(unit.GB) / joules, true
}

const (
	// leastCovered is the share of a stretch that a meter has to cover for its mean to tell
	// of the stretch.
	leastCovered = 0.5
	// longestGap is the most usual intervals that may lie between two neighbours of one stretch, and
	// shortestGap a time, in seconds, that is no gap in any case.
	longestGap  = 2.0
	shortestGap = 1.5
)

// Of returns the draws of a pass, the storage's own first.
func Of(s *session.Session, p *session.Pass) []Draw {
	var stretches []stretch
	for _, sample := range p.Samples {
		stretches = append(stretches, stretch{sample.TSeconds - sample.ElapsedSeconds, sample.TSeconds, sample.Readings})
	}
	idle := Idle(s)
	draws := drawsOf(stretches, p.Tracks, p.ElapsedSeconds, movedIn(p))
	for i := range draws {
		if watts, ok := idle[draws[i].Key]; ok {
			draws[i].IdleWatts = watts
		}
	}
	return draws
}

// OfStorage is the draw of a pass that energy is counted by: the storage's own, or else a
// whole machine's.
func OfStorage(s *session.Session, p *session.Pass) (Draw, bool) {
	for _, draw := range Of(s, p) {
		if _, known := draw.CountedWatts(); known {
			return draw, true
		}
	}
	return Draw{}, false
}

// OfRest returns the draws of a rest.
func OfRest(r *session.Rest) []Draw {
	var stretches []stretch
	before := 0.0
	for _, sample := range r.Samples {
		stretches = append(stretches, stretch{before, sample.TSeconds, sample.Readings})
		before = sample.TSeconds
	}
	return drawsOf(stretches, r.Tracks, r.ElapsedSeconds, func(float64, float64) unit.Bytes { return 0 })
}

// shortestIdle is the shortest rest that tells the idle power, in seconds.
const shortestIdle = 4

// Idle returns the idle watts by meter: the median of the second half of the quietest rest, as a drive goes
// on working for a while.
func Idle(s *session.Session) map[string]float64 {
	idle := map[string]float64{}
	for i := range s.Rests {
		rest := &s.Rests[i]
		if rest.ElapsedSeconds < shortestIdle {
			continue
		}
		late := map[string][]float64{}
		enter := func(key string, at, watts float64) {
			if at >= rest.ElapsedSeconds/2 && isPower(key) {
				late[key] = append(late[key], watts)
			}
		}
		tracked := map[string]bool{}
		for _, track := range rest.Tracks {
			tracked[track.Key] = true
			for j, at := range track.TSeconds {
				enter(track.Key, at, track.Values[j])
			}
		}
		for _, sample := range rest.Samples {
			for key, watts := range sample.Readings {
				if !tracked[key] {
					enter(key, sample.TSeconds, watts)
				}
			}
		}
		for key, watts := range late {
			middle := stat.Median(watts)
			if before, known := idle[key]; !known || middle < before {
				idle[key] = middle
			}
		}
	}
	return idle
}

func isPower(key string) bool { return session.StoragePower(key) || session.MachinePower(key) }

// stretch is an interval with the readings at its end, which stand for all of it.
type stretch struct {
	from, to float64
	readings map[string]float64
}

// drawsOf returns the draws of a pass or a rest by meter: by the meter's own times where there are some, or
// else by the readings of samples.
func drawsOf(stretches []stretch, tracks []session.Track, elapsed float64,
	moved func(from, to float64) unit.Bytes) []Draw {
	sums := map[string]*integral{}
	for _, track := range tracks {
		if isPower(track.Key) && len(track.TSeconds) == len(track.Values) {
			sums[track.Key] = newIntegral(elapsed, moved)
			sums[track.Key].along(track)
		}
	}
	tracked := maps.Clone(sums)
	for _, each := range stretches {
		for key, watts := range each.readings {
			if !isPower(key) || tracked[key] != nil {
				continue
			}
			if sums[key] == nil {
				sums[key] = newIntegral(elapsed, moved)
			}
			sums[key].cover(each.from, each.to, watts, watts)
		}
	}
	var draws []Draw
	for _, key := range slices.SortedFunc(maps.Keys(sums), storageFirst) {
		draw := sums[key].Draw
		draw.Key = key
		draw.Machine = session.MachinePower(key)
		if draw.CoveredSeconds > 0 {
			draw.MeanWatts = draw.Joules / draw.CoveredSeconds
			draws = append(draws, draw)
		}
	}
	return draws
}

// storageFirst orders meters: the storage's own first, then by name.
func storageFirst(a, b string) int {
	switch ofMachine := session.MachinePower(a); {
	case ofMachine == session.MachinePower(b):
		return cmp.Compare(a, b)
	case ofMachine:
		return 1
	}
	return -1
}

// integral adds up the energy of a stretch that begins at 0.
type integral struct {
	Draw
	moved func(from, to float64) unit.Bytes
}

func newIntegral(elapsed float64, moved func(from, to float64) unit.Bytes) *integral {
	return &integral{Draw{ElapsedSeconds: elapsed, IdleWatts: math.NaN()}, moved}
}

// cover adds the energy between two times, as far as they are within the stretch, with power that changes in
// a straight line.
func (t *integral) cover(from, to, fromWatts, toWatts float64) {
	low := max(from, 0)
	high := min(to, t.ElapsedSeconds)
	if !(high > low) {
		return
	}
	at := func(seconds float64) float64 { return fromWatts + (toWatts-fromWatts)*(seconds-from)/(to-from) }
	t.PeakWatts = max(t.PeakWatts, at(low), at(high))
	t.Joules += (at(low) + at(high)) / 2 * (high - low)
	t.CoveredSeconds += high - low
	t.Bytes += t.moved(low, high)
}

// along adds a series of readings by the trapezoid. The first and the last stand for as long as readings are
// apart, and so do those at the edges of a gap; the gap itself is left out.
func (t *integral) along(track session.Track) {
	gap := gapOf(track.TSeconds)
	for i, at := range track.TSeconds {
		watts := track.Values[i]
		switch {
		case i == 0:
			t.cover(at-gap.usual, at, watts, watts)
		case at-track.TSeconds[i-1] <= gap.longest:
			t.cover(track.TSeconds[i-1], at, track.Values[i-1], watts)
		default:
			t.cover(track.TSeconds[i-1], track.TSeconds[i-1]+gap.usual, track.Values[i-1], track.Values[i-1])
			t.cover(at-gap.usual, at, watts, watts)
		}
	}
	if last := len(track.TSeconds) - 1; last >= 0 {
		t.cover(track.TSeconds[last], track.TSeconds[last]+gap.usual, track.Values[last], track.Values[last])
	}
}

// gaps are times between two readings: the usual one, and the longest within one stretch.
type gaps struct{ usual, longest float64 }

func gapOf(times []float64) gaps {
	var between []float64
	for i := 1; i < len(times); i++ {
		between = append(between, times[i]-times[i-1])
	}
	usual := 1.0
	if len(between) > 0 {
		usual = stat.Median(between)
	}
	return gaps{usual, max(longestGap*usual, shortestGap)}
}

// movedIn returns a function for the data that a pass moved between two times, by its samples.
func movedIn(p *session.Pass) func(from, to float64) unit.Bytes {
	ends := []float64{0}
	sums := []float64{0}
	for _, sample := range p.Samples {
		if last := len(ends) - 1; sample.TSeconds > ends[last] {
			ends = append(ends, sample.TSeconds)
			sums = append(sums, sums[last]+float64(sample.Bytes))
		}
	}
	until := func(t float64) float64 {
		at, exact := slices.BinarySearch(ends, t)
		switch {
		case exact:
			return sums[at]
		case at == 0:
			return 0
		case at == len(ends):
			return sums[at-1]
		}
		return sums[at-1] + (sums[at]-sums[at-1])*(t-ends[at-1])/(ends[at]-ends[at-1])
	}
	return func(from, to float64) unit.Bytes { return unit.Bytes(math.Round(until(to) - until(from))) }
}
