package explain

import (
	"math"

	"opengauge/core/record/session"
	"opengauge/core/stat"
)

const (
	// mostBins bounds the work for a recording, however long it is.
	mostBins = 2000
	// leastWidth of a bin, in seconds: below it, throughput is what the queue does.
	leastWidth = 1.0
)

// bin is what was seen in a stretch of even length.
type bin struct {
	from   float64 // seconds since the pass began to count
	looked float64 // for how many of its seconds somebody looked
	bytes  float64
	// zero is for how many of the seconds nothing moved.
	zero float64
}

// rate is bytes a second while somebody looked and something moved.
func (b *bin) rate() float64 {
	if b.looked-b.zero <= 0 {
		return 0
	}
	return b.bytes / (b.looked - b.zero)
}

// recording is a pass, put in order: on an even grid, with what was not looked at and
// what did not move apart from what did.
type recording struct {
	width    float64
	bins     []bin
	sensors  []*sensor
	silences []Silence
	seconds  float64
	step     float64 // typical length of a sample
	offset   float64 // of a window, since the pass began to count
}

// recordedElsewhere is the step of a recording that this program did not make.
const recordedElsewhere = "series"

// recordingOf puts the samples of a pass on a grid.
func recordingOf(pass *session.Pass) *recording {
	r := &recording{}
	if len(pass.Samples) == 0 {
		return r
	}
	writing := len(pass.Samples)
	// Records of older programs have samples of nothing while a cache was flushed.
	for pass.FlushSeconds > 0 && writing > 0 && pass.Samples[writing-1].Bytes == 0 &&
		pass.Samples[writing-1].TSeconds > pass.ElapsedSeconds-pass.FlushSeconds {
		writing--
	}
	samples := pass.Samples[:writing]
	if len(samples) == 0 {
		return r
	}
	r.seconds, r.step = samples[len(samples)-1].TSeconds, typicalStep(samples)
	r.width = max(leastWidth, r.step, r.seconds/mostBins)
	if r.step < r.width {
		r.width = math.Ceil(r.width/r.step-1e-6) * r.step // so that bins end where samples do
	}
	count := int(math.Ceil(r.seconds/r.width - 1e-6))
	if count <= 0 || count > 4*mostBins {
		return &recording{}
	}
	r.bins = make([]bin, count)
	for i := range r.bins {
		r.bins[i].from = float64(i) * r.width
	}
	for i := range samples {
		r.enter(&samples[i])
	}
	r.findSilences(samples, pass.Step != recordedElsewhere)
	r.sensors = sensorsOf(r, samples)
	return r
}

// windowOf is a part of a pass.
func windowOf(pass *session.Pass, from, to float64) *recording {
	part := *pass
	part.Samples, part.FlushSeconds = nil, 0
	for i := range pass.Samples {
		if s := pass.Samples[i]; s.TSeconds > from && s.TSeconds <= to {
			s.TSeconds -= from
			part.Samples = append(part.Samples, s)
		}
	}
	r := recordingOf(&part)
	r.offset = from
	return r
}

func typicalStep(samples []session.Sample) float64 {
	// A few hundred are enough to know it.
	stride := max(len(samples)/500, 1)
	var steps []float64
	for i := 1; i < len(samples); i += stride {
		steps = append(steps, samples[i].TSeconds-samples[i-1].TSeconds)
	}
	if len(steps) == 0 {
		return max(samples[0].ElapsedSeconds, 1e-3)
	}
	return max(stat.Median(steps), 1e-3)
}

// enter spreads a sample over the bins that it lies in.
func (r *recording) enter(s *session.Sample) {
	elapsed := s.ElapsedSeconds
	if elapsed <= 0 {
		return
	}
	from, to := max(s.TSeconds-elapsed, 0), s.TSeconds
	if to <= from {
		return
	}
	speed := float64(s.Bytes) / elapsed
	for i := r.index(from); i < len(r.bins); i++ {
		b := &r.bins[i]
		part := min(to, b.from+r.width) - max(from, b.from)
		if part > 1e-9 {
			b.looked += part
			b.bytes += speed * part
			if s.Bytes == 0 {
				b.zero += part
			}
		}
		if b.from+r.width >= to {
			return
		}
	}
}

// index is the bin that a time lies in.
func (r *recording) index(at float64) int {
	return min(max(int(at/r.width+1e-9), 0), len(r.bins)-1)
}

// moving gives the bins in which something moved for most of what was looked at.
func (r *recording) moving() []int {
	var found []int
	for i := range r.bins {
		b := &r.bins[i]
		if b.looked >= 0.3*r.width && b.zero <= 0.5*b.looked && b.bytes > 0 {
			found = append(found, i)
		}
	}
	return found
}
