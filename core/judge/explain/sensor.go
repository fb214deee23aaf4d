package explain

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"opengauge/core/record/session"
	"opengauge/core/stat"
)

// Place is where a thermometer sits. Only the drive's own says at what temperature
// drives protect themselves.
type Place string

// The places.
const (
	OwnSensor   Place = "the drive's own"
	ProbeSensor Place = "a probe"
	HostSensor  Place = "the host's"
	RoomSensor  Place = "the room's"
)

// placeWords are what names of sensors have in them.
var placeWords = []struct {
	word  string
	place Place
}{
	{"ambient", RoomSensor}, {"room", RoomSensor}, {"air", RoomSensor},
	{"probe", ProbeSensor}, {"case", ProbeSensor}, {"enclosure", ProbeSensor}, {"surface", ProbeSensor},
	{"bridge", ProbeSensor},
	{"host", HostSensor}, {"cpu", HostSensor}, {"core", HostSensor}, {"package", HostSensor}, {"board", HostSensor},
	{"drive", OwnSensor}, {"nvme", OwnSensor}, {"disk", OwnSensor}, {"ssd", OwnSensor}, {"controller", OwnSensor},
	{"composite", OwnSensor}, {"flash", OwnSensor}, {"smart", OwnSensor},
}

// PlaceOf tells where a sensor sits by its name.
func PlaceOf(name string) Place {
	lower := strings.ToLower(name)
	for _, each := range placeWords {
		if strings.Contains(lower, each.word) {
			return each.place
		}
	}
	return ProbeSensor
}

// sensor is a temperature by bin.
type sensor struct {
	name   string
	place  Place
	values []float64 // a bin each; NaN where there is none
	grain  float64
	// wrong says why it is not believed; empty if it is.
	wrong string
}

// Bounds of what a thermometer may do and be believed.
const (
	// hottestDrive is warmer than a drive's own sensor gets before it switches off.
	hottestDrive = 104.0
	// leap is more than a temperature changes from one sample to the next, and leaping
	// the share of samples that may.
	leap, leaping = 9.0, 0.01
)

// sensorsOf reads the temperatures of a pass onto its bins.
func sensorsOf(r *recording, samples []session.Sample) []*sensor {
	names := map[string]bool{}
	for i := range samples {
		for name := range samples[i].TemperaturesCelsius {
			names[name] = true
		}
	}
	var found []*sensor
	for _, name := range slices.Sorted(maps.Keys(names)) {
		found = append(found, readSensor(r, samples, name))
	}
	return found
}

func readSensor(r *recording, samples []session.Sample, name string) *sensor {
	s := &sensor{name: name, place: PlaceOf(name), values: make([]float64, len(r.bins))}
	counts := make([]float64, len(r.bins))
	last, lastAt, leaps, seen, least := math.NaN(), 0.0, 0.0, 0.0, math.Inf(1)
	highest := math.Inf(-1)
	for i := range samples {
		reading, there := samples[i].TemperaturesCelsius[name]
		if !there {
			continue
		}
		value, at := float64(reading), samples[i].TSeconds
		if change := math.Abs(value - last); change > 0 {
			least = min(least, change)
			if change > leap+0.5*(at-lastAt) {
				leaps++
			}
		}
		seen++
		last, lastAt, highest = value, at, max(highest, value)
		bin := r.index(at - 1e-6)
		s.values[bin] += value
		counts[bin]++
	}
	for i := range s.values {
		if counts[i] == 0 {
			s.values[i] = math.NaN()
		} else {
			s.values[i] /= counts[i]
		}
	}
	s.grain = clip(least, 2)
	switch {
	case leaps > leaping*seen+1:
		s.wrong = fmt.Sprintf("%s jumps by more than a temperature can, %.0f times", name, leaps)
	case s.place == OwnSensor && highest > hottestDrive:
		s.wrong = fmt.Sprintf("%s says %.0f °C, hotter than a drive gets: it may count in Fahrenheit", name, highest)
	}
	return s
}

// usable says whether a sensor may say anything of the drive.
func (s *sensor) usable() bool { return s.wrong == "" && s.place != RoomSensor }

// doubts are what was not believed.
func (r *recording) doubts() []string {
	var said []string
	for _, s := range r.sensors {
		if s.wrong != "" {
			said = append(said, s.wrong)
		}
	}
	return said
}

// over gives the temperature at some bins as it would be without a lag of so many
// seconds: a first-order sensor is behind by its lag times its slope.
func (s *sensor) over(bins []int, width, lag float64) []float64 {
	made := make([]float64, len(bins))
	half := max(int(math.Ceil(max(lag/4, 3)/width)), 1)
	for i, bin := range bins {
		made[i] = s.values[bin]
		if lag > 0 && !math.IsNaN(made[i]) {
			made[i] += lag * s.slope(bin, half, width)
		}
	}
	return made
}

// slope is of a line through the readings about a bin, in kelvins a second.
func (s *sensor) slope(bin, half int, width float64) float64 {
	var n, sx, sy, sxx, sxy float64
	for i := max(bin-half, 0); i <= min(bin+half, len(s.values)-1); i++ {
		if v := s.values[i]; !math.IsNaN(v) {
			x := float64(i-bin) * width
			n, sx, sy, sxx, sxy = n+1, sx+x, sy+v, sxx+x*x, sxy+x*v
		}
	}
	if d := n*sxx - sx*sx; n >= 3 && d > 0 {
		return (n*sxy - sx*sy) / d
	}
	return 0
}

// span is the lowest and the highest reading, but for single ones.
func (s *sensor) span() (low, high float64) {
	var values []float64
	for _, v := range s.values {
		if !math.IsNaN(v) {
			values = append(values, v)
		}
	}
	if len(values) == 0 {
		return math.NaN(), math.NaN()
	}
	slices.Sort(values)
	return values[len(values)/50], values[len(values)-1-len(values)/50]
}

// typicalOf is the median of readings that are there.
func typicalOf(values []float64) float64 {
	var there []float64
	for _, v := range values {
		if !math.IsNaN(v) {
			there = append(there, v)
		}
	}
	if len(there) == 0 {
		return math.NaN()
	}
	return stat.Median(there)
}

// ownSensor says whether a drive's own thermometer was read, and moved.
func (r *recording) ownSensor() bool {
	for _, s := range r.sensors {
		if low, high := s.span(); s.place == OwnSensor && high-low >= stillRange {
			return true
		}
	}
	return false
}
