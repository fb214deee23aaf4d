// Package session holds the record of one run of a plan, and its JSON form.
// Everything after the run (findings, comparisons, reports) reads sessions and
// nothing else. The form is described in docs/formats.md; keys are only added.
//
// A session is plain data: any number of goroutines may read it at once, while none
// changes it.
package session

import (
	"slices"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Format names the form of the JSON document and its version.
const Format = "opengauge.session/1"

// State says how a session ended.
type State string

// The states. A session whose program died is interrupted: it is recorded as that from its start until it
// ends.
const (
	Complete    State = "complete"
	Interrupted State = "interrupted"
	Failed      State = "failed"
)

// Session is all that one run of a plan recorded.
type Session struct {
	Format    string     `json:"format"`
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Started   time.Time  `json:"started"`
	Ended     time.Time  `json:"ended"`
	State     State      `json:"state"`
	Failure   string     `json:"failure,omitempty"`
	Simulated bool       `json:"simulated"`
	Plan      plan.Plan  `json:"plan"`
	Target    Target     `json:"target"`
	Chain     link.Chain `json:"chain"`
	// Parts are the bench book's entries for the parts in the chain.
	Parts       []book.Part       `json:"parts,omitempty"`
	Conditions  map[string]string `json:"conditions"`
	Environment host.Environment  `json:"environment"`
	Passes      []Pass            `json:"passes"`
	// Ends and Copies are of copied file sets.
	Ends   []End  `json:"ends,omitempty"`
	Copies []Copy `json:"copies,omitempty"`
	// MergedFrom are the ids of the sessions that this one was made of.
	MergedFrom []string `json:"merged_from,omitempty"`
	// Contentions are loads on several targets at once.
	Contentions []Contention `json:"contentions,omitempty"`
	// Rests are the stretches in which the storage was let be.
	Rests []Rest `json:"rests,omitempty"`
	// Instruments describe the figures of probes.
	Instruments []sensor.Figure `json:"instruments,omitempty"`
	// Estimates are points that an adaptive sweep filled in without measuring them.
	Estimates []Estimate `json:"estimates,omitempty"`
	// PayloadBytes is after how much written data comes again, but for the numbers in
	// it; 0 in records of older programs, and where nothing was written.
	PayloadBytes unit.Bytes `json:"payload_bytes,omitempty"`
	// Moved is the total of reads and writes, by target; nothing in records of older programs.
	Moved  []Moved `json:"moved,omitempty"`
	Events []Event `json:"events"`
	// Verification is the result of checking the written data, where it was asked for.
	Verification *Verification `json:"verification,omitempty"`
	Findings     []Finding     `json:"findings"`
	// Notes are people's additions after the run, in their order.
	Notes []Remark `json:"notes,omitempty"`
	// Review says for which visit of which review it was measured; nil for none.
	Review *Visit `json:"review,omitempty"`
	// Together says with which hosts it was measured at once; nil for none.
	Together *Together `json:"together,omitempty"`
	// RecordedBy says who kept it, in a logbook that several share; nil elsewhere.
	RecordedBy *Recorder `json:"recorded_by,omitempty"`
}

// Target is the measured storage.
type Target struct {
	Address       string     `json:"address"`
	Kind          string     `json:"kind"`
	Path          string     `json:"path,omitempty"`
	FileSystem    string     `json:"file_system,omitempty"`
	SpanBytes     unit.Bytes `json:"span_bytes"`
	CapacityBytes unit.Bytes `json:"capacity_bytes"`
	Seed          uint64     `json:"seed,omitempty"`
	// Flusher is the system's call that made written data stable, and PartFlush says that it left data in the
	// drive's own cache.
	Flusher   string `json:"flusher,omitempty"`
	PartFlush bool   `json:"part_flush,omitempty"`
}

// Pass is one timed stretch of I/O. Times are since the session started, on
// the target's clock.
type Pass struct {
	Index int    `json:"index"`
	Step  string `json:"step"`
	load.Load
	// AskedSeconds is how long it was asked to count at the most; 0 is not known,
	// in records of older programs and from elsewhere.
	AskedSeconds float64 `json:"asked_seconds,omitempty"`
	// AskedBytes is the amount of a pass that it alone ends; the figure of such a pass is how long it took.
	AskedBytes     unit.Bytes `json:"asked_bytes,omitempty"`
	FillShare      float64    `json:"fill_share"`
	Repeat         int        `json:"repeat"`
	Queue          string     `json:"queue"`
	Direct         bool       `json:"direct"`
	CutShort       bool       `json:"cut_short,omitempty"`
	StartedSeconds float64    `json:"started_seconds"`
	SettleSeconds  float64    `json:"settle_seconds"`
	// SettleBytes is the data written while it settled: it counts in no figure, and uses up a fast write area
	// all the same.
	SettleBytes    unit.Bytes `json:"settle_bytes,omitempty"`
	ElapsedSeconds float64    `json:"elapsed_seconds"`
	FlushSeconds   float64    `json:"flush_seconds"`
	Bytes          unit.Bytes `json:"bytes"`
	Operations     int64      `json:"operations"`
	Errors         int64      `json:"errors"`
	// Short counts the Errors of operations that moved less than their length, Retried the repeated requests,
	// as a call was interrupted or would have had to wait, and Attempts all operations that came back, of a
	// pass that ended while it settled all of settling.
	Short          int64               `json:"short,omitempty"`
	Retried        int64               `json:"retried,omitempty"`
	Attempts       int64               `json:"attempts,omitempty"`
	FirstError     string              `json:"first_error,omitempty"`
	BytesPerSecond unit.BytesPerSecond `json:"bytes_per_second"`
	// Throughput is the 95% interval of the mean, where the pass is long enough.
	Throughput *RateInterval `json:"bytes_per_second_interval,omitempty"`
	// Steady is the judgement of a sustained pass's last rounds.
	Steady     *stat.SteadyState `json:"steady_state,omitempty"`
	IOPS       float64           `json:"iops"`
	CPUSeconds float64           `json:"cpu_seconds"`
	// DeviceBytes is the data that everybody moved to and from the device while the pass counted, by the
	// counters of the system, where they can be read.
	DeviceBytes *unit.Bytes `json:"device_bytes,omitempty"`
	// DeviceReadBytes is how much of that was read.
	DeviceReadBytes *unit.Bytes `json:"device_read_bytes,omitempty"`
	// DeviceDepth is how many operations were under way at the device on average, by
	// the same counters.
	DeviceDepth *float64 `json:"device_depth,omitempty"`
	// MeanDepth is how many operations this program had under way at the system on
	// average; 0 in records of older programs and from elsewhere.
	MeanDepth float64 `json:"mean_depth,omitempty"`
	// CutOffOperations had begun, or were due, and were not over when the pass stopped
	// counting. They are in the latencies, with their age at least, and not in
	// Operations.
	CutOffOperations int64 `json:"cut_off_operations,omitempty"`
	// Lateness is by how much this program itself began operations too late, of a load
	// with a fixed rate.
	Lateness *Lateness `json:"lateness_seconds,omitempty"`
	// SpinSeconds is for how long it looked at the clock without a pause so as to begin
	// them when they were due; it is part of CPUSeconds.
	SpinSeconds float64 `json:"spin_seconds,omitempty"`
	// Failures are the ways in which operations failed.
	Failures []Failure `json:"failures,omitempty"`
	// Link is the state of the chain's links before the pass and after it.
	Link    *link.Record `json:"link,omitempty"`
	Latency Latency      `json:"latency_seconds"`
	Samples []Sample     `json:"samples"`
	// Tracks are the instruments' readings of power, at their own times since it began to count.
	Tracks []Track `json:"tracks,omitempty"`
	// ByHand is of a copy as a recording that somebody timed with a stopwatch.
	ByHand *ByHand `json:"-"`
}

// RateInterval is a 95% interval.
type RateInterval struct {
	Low  unit.BytesPerSecond `json:"low"`
	High unit.BytesPerSecond `json:"high"`
}

// Latency sums up how long a pass's operations took, in seconds.
type Latency struct {
	Mean float64 `json:"mean"`
	P50  float64 `json:"p50"`
	P90  float64 `json:"p90"`
	P99  float64 `json:"p99"`
	P999 float64 `json:"p99_9"`
	Max  float64 `json:"max"`
}

// Lateness sums up by how much operations began too late, in seconds.
type Lateness struct {
	P50 float64 `json:"p50"`
	P99 float64 `json:"p99"`
}

// Failure is one way in which operations of a pass failed.
type Failure struct {
	// Action is "read", "write" or "flush".
	Action string `json:"action"`
	Error  string `json:"error"`
	Count  int64  `json:"count"`
	// FirstOffset is where the first of them was, and FromOffset to ToOffset where all
	// of them began, in bytes.
	FirstOffset int64 `json:"first_offset_bytes"`
	FromOffset  int64 `json:"from_offset_bytes"`
	ToOffset    int64 `json:"to_offset_bytes"`
}

// Moved is the data that a session read from a target and wrote to it, everything together: filling,
// settling, passes, reading back.
type Moved struct {
	Address      string     `json:"address"`
	ReadBytes    unit.Bytes `json:"read_bytes"`
	WrittenBytes unit.Bytes `json:"written_bytes"`
}

// Sample is one interval of a pass. TSeconds is the interval's end, since the pass began to count.
type Sample struct {
	TSeconds            float64                 `json:"t_seconds"`
	ElapsedSeconds      float64                 `json:"elapsed_seconds"`
	Bytes               unit.Bytes              `json:"bytes"`
	Operations          int64                   `json:"operations"`
	BytesPerSecond      unit.BytesPerSecond     `json:"bytes_per_second"`
	IOPS                float64                 `json:"iops"`
	P50Seconds          float64                 `json:"p50_seconds"`
	P99Seconds          float64                 `json:"p99_seconds"`
	Errors              int64                   `json:"errors"`
	TemperaturesCelsius map[string]unit.Celsius `json:"temperatures_celsius"`
	// Readings are of other sensors: "fan_rpm", "power_watts". Names end in the
	// unit.
	Readings map[string]float64 `json:"readings,omitempty"`
}

// Estimate is a combination that was not measured, but filled in from others.
type Estimate struct {
	load.Load
	BytesPerSecond unit.BytesPerSecond `json:"bytes_per_second"`
	IOPS           float64             `json:"iops"`
}

// Verification is the result of reading stamped blocks back.
type Verification struct {
	BlockBytes unit.Bytes `json:"block_bytes"`
	Checked    int64      `json:"checked"`
	// Written is how many blocks ought to have held something; 0 in older records.
	Written int64 `json:"written,omitempty"`
	// ReadBack is how many of them were read back at the end.
	ReadBack int64 `json:"read_back,omitempty"`
	// Faults is the sum of Wrong, Stale, Misplaced and Unreadable.
	Faults int64 `json:"faults"`
	// Wrong blocks do not hold a stamp of this session, or other data than it covers.
	Wrong int64 `json:"wrong"`
	// Stale blocks hold the data of an earlier pass.
	Stale int64 `json:"stale"`
	// Misplaced blocks hold data written to another offset.
	Misplaced int64 `json:"misplaced"`
	// Unreadable blocks could not be read back.
	Unreadable int64 `json:"unreadable,omitempty"`
	// FaultyAddress is the target that the first fault is on, where there are
	// several.
	FaultyAddress string `json:"faulty_address,omitempty"`
	// FirstOffset is where the first fault was found, in bytes.
	FirstOffset int64 `json:"first_offset_bytes"`
	// WrapsAtBytes is the capacity at which the device begins again from its
	// start, or 0.
	WrapsAtBytes unit.Bytes `json:"wraps_at_bytes,omitempty"`
}

// Event is something that happened while the session ran.
type Event struct {
	TSeconds float64 `json:"t_seconds"`
	Kind     string  `json:"kind"`
	Detail   string  `json:"detail"`
}

// Part gives the part of a kind that the session's chain has, as the bench book
// describes it.
func (s *Session) Part(kind book.Role) (book.Part, bool) {
	for _, part := range s.Parts {
		if part.Kind == kind {
			return part, true
		}
	}
	return book.Part{}, false
}

// PassAt is the pass with an index, or nil where there is none: a session that is cut down
// to some of its passes keeps their indexes.
func (s *Session) PassAt(index int) *Pass {
	at := slices.IndexFunc(s.Passes, func(p Pass) bool { return p.Index == index })
	if at < 0 {
		return nil
	}
	return &s.Passes[at]
}

// SequentialRating is the rating of the drive's maker for sequential passes of an operation, or 0 where the
// drive or its rating is not known.
func (s *Session) SequentialRating(operation load.Operation) unit.BytesPerSecond {
	drive, _ := s.Part(book.Drive)
	if operation.Writes() {
		return drive.Ratings.SequentialWrite
	}
	return drive.Ratings.SequentialRead
}

// ElapsedSeconds is how long the session lasted on the target's clock.
func (s *Session) ElapsedSeconds() float64 { return s.Ended.Sub(s.Started).Seconds() }

// DisplayName is the name that the user gave, or else the id, marked where it was timed by
// hand.
func (s *Session) DisplayName() string {
	name := s.ID
	if s.Name != "" {
		name = s.Name
	}
	if s.ByHand() {
		name += byHandMark
	}
	return name
}
