// Package session holds the record of one run of a plan, and its JSON form.
// Everything after the run (findings, comparisons, reports) reads sessions and
// nothing else. The form is described in docs/formats.md; keys are only added.
package session

import (
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/plan"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Format names the form of the JSON document and its version.
const Format = "opengauge.session/1"

// State says how a session ended.
type State string

// The states. A session whose program died is interrupted: that is what it is
// recorded as from its start until it ends.
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
	// Parts are what the bench book says of the parts in the chain.
	Parts       []book.Part       `json:"parts,omitempty"`
	Conditions  map[string]string `json:"conditions"`
	Environment Environment       `json:"environment"`
	Passes      []Pass            `json:"passes"`
	// Ends and Copies are of copied file sets.
	Ends   []End  `json:"ends,omitempty"`
	Copies []Copy `json:"copies,omitempty"`
	// MergedFrom are the ids of the sessions that this one was made of.
	MergedFrom []string `json:"merged_from,omitempty"`
	// Contentions are loads on several targets at once.
	Contentions []Contention `json:"contentions,omitempty"`
	// Estimates are what an adaptive sweep filled in without measuring it.
	Estimates []Estimate `json:"estimates,omitempty"`
	Events    []Event    `json:"events"`
	// Verification is what checking the written data found, where it was asked
	// for.
	Verification *Verification `json:"verification,omitempty"`
	Findings     []Finding     `json:"findings"`
}

// Target says what was measured.
type Target struct {
	Address       string     `json:"address"`
	Kind          string     `json:"kind"`
	Path          string     `json:"path,omitempty"`
	FileSystem    string     `json:"file_system,omitempty"`
	SpanBytes     unit.Bytes `json:"span_bytes"`
	CapacityBytes unit.Bytes `json:"capacity_bytes"`
	Seed          uint64     `json:"seed,omitempty"`
}

// Environment says which machine measured.
type Environment struct {
	System        string     `json:"system"`
	SystemVersion string     `json:"system_version,omitempty"`
	Kernel        string     `json:"kernel,omitempty"`
	Architecture  string     `json:"architecture,omitempty"`
	Host          string     `json:"host,omitempty"`
	Processor     string     `json:"processor,omitempty"`
	Processors    int        `json:"processors,omitempty"`
	MemoryBytes   unit.Bytes `json:"memory_bytes,omitempty"`
	// MemoryTraffic is what all processors together move to and from memory.
	MemoryTraffic unit.BytesPerSecond `json:"memory_bytes_per_second,omitempty"`
	// What else a figure depends on, where the system says.
	MountOptions    string     `json:"mount_options,omitempty"`
	Scheduler       string     `json:"scheduler,omitempty"`
	Governor        string     `json:"processor_governor,omitempty"`
	LoadAverage     float64    `json:"load_average,omitempty"`
	MemoryAvailable unit.Bytes `json:"memory_available_bytes,omitempty"`
	// Power is what saves power at the cost of latency.
	Power map[string]string `json:"power,omitempty"`
	// Device is the block device under the target.
	Device         string `json:"device,omitempty"`
	DeviceModel    string `json:"device_model,omitempty"`
	ProgramVersion string `json:"program_version"`
}

// Pass is one timed stretch of I/O. Times are since the session started, on
// the target's clock.
type Pass struct {
	Index             int            `json:"index"`
	Step              string         `json:"step"`
	Operation         plan.Operation `json:"operation"`
	Access            plan.Access    `json:"access"`
	BlockBytes        unit.Bytes     `json:"block_bytes"`
	Depth             int            `json:"depth"`
	Workers           int            `json:"workers"`
	WriteShare        float64        `json:"write_share"`
	CompressibleShare float64        `json:"compressible_share"`
	FillShare         float64        `json:"fill_share"`
	Repeat            int            `json:"repeat"`
	Queue             string         `json:"queue"`
	Direct            bool           `json:"direct"`
	CutShort          bool           `json:"cut_short,omitempty"`
	Durable           bool           `json:"durable,omitempty"`
	SpanBytes         unit.Bytes     `json:"span_bytes,omitempty"`
	// RatePerSecond is how many operations arrived a second; 0 is as many as
	// the storage took.
	RatePerSecond  float64             `json:"rate_per_second,omitempty"`
	StartedSeconds float64             `json:"started_seconds"`
	SettleSeconds  float64             `json:"settle_seconds"`
	ElapsedSeconds float64             `json:"elapsed_seconds"`
	FlushSeconds   float64             `json:"flush_seconds"`
	Bytes          unit.Bytes          `json:"bytes"`
	Operations     int64               `json:"operations"`
	Errors         int64               `json:"errors"`
	FirstError     string              `json:"first_error,omitempty"`
	BytesPerSecond unit.BytesPerSecond `json:"bytes_per_second"`
	// Throughput is the 95% interval of the mean, where the pass is long enough.
	Throughput *Interval `json:"bytes_per_second_interval,omitempty"`
	// Steady is the judgement of a sustained pass's last rounds.
	Steady     *stat.SteadyState `json:"steady_state,omitempty"`
	IOPS       float64           `json:"iops"`
	CPUSeconds float64           `json:"cpu_seconds"`
	// DeviceBytes is what everybody moved to and from the device while the pass
	// counted, by the counters of the system, where they can be read.
	DeviceBytes *unit.Bytes `json:"device_bytes,omitempty"`
	// Link is what the links of the chain said before the pass and after it.
	Link    *LinkRecord `json:"link,omitempty"`
	Latency Latency     `json:"latency_seconds"`
	Samples []Sample    `json:"samples"`
}

// Label names the pass for people: "read random 4 KiB, depth 32".
func (p *Pass) Label() string { return p.Asked().Label() }

// Asked is what the pass was asked for: two passes of the same plan that differ
// only in their repeat are asked for the same.
func (p *Pass) Asked() plan.Pass {
	return plan.Pass{
		Step: p.Step, Operation: p.Operation, Access: p.Access, Block: p.BlockBytes, Depth: p.Depth, Workers: p.Workers,
		WriteShare: p.WriteShare, CompressibleShare: p.CompressibleShare, Rate: p.RatePerSecond, Durable: p.Durable,
		Span: p.SpanBytes, Fill: p.FillShare,
	}
}

// LinkRecord is the state of a chain's links before a pass and after it.
type LinkRecord struct {
	Before LinkReading `json:"before"`
	After  LinkReading `json:"after"`
}

// LinkReading is what the system says of a chain's links at one moment.
type LinkReading struct {
	// States are the standards that hops run at, by the hop's name.
	States map[string]string `json:"states"`
	// Counters only ever grow; their names say what of which device they count.
	Counters map[string]int64 `json:"counters"`
}

// Growth is how much each counter grew during the pass, of those that did.
func (l *LinkRecord) Growth() map[string]int64 {
	grown := map[string]int64{}
	if l == nil {
		return grown
	}
	for name, after := range l.After.Counters {
		if before, known := l.Before.Counters[name]; known && after > before {
			grown[name] = after - before
		}
	}
	return grown
}

// Interval is a 95% interval.
type Interval struct {
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

// Sample is what one interval of a pass saw. TSeconds is the interval's end,
// since the pass began to count.
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
	Operation         plan.Operation      `json:"operation"`
	Access            plan.Access         `json:"access"`
	BlockBytes        unit.Bytes          `json:"block_bytes"`
	Depth             int                 `json:"depth"`
	Workers           int                 `json:"workers"`
	WriteShare        float64             `json:"write_share"`
	CompressibleShare float64             `json:"compressible_share"`
	RatePerSecond     float64             `json:"rate_per_second,omitempty"`
	Durable           bool                `json:"durable,omitempty"`
	BytesPerSecond    unit.BytesPerSecond `json:"bytes_per_second"`
	IOPS              float64             `json:"iops"`
}

// Asked is what a pass that measured it would have been asked for.
func (e *Estimate) Asked() plan.Pass {
	return plan.Pass{
		Step: "sweep", Operation: e.Operation, Access: e.Access, Block: e.BlockBytes, Depth: e.Depth, Workers: e.Workers,
		WriteShare: e.WriteShare, CompressibleShare: e.CompressibleShare, Rate: e.RatePerSecond, Durable: e.Durable,
	}
}

// Verification is what reading stamped blocks back found.
type Verification struct {
	BlockBytes unit.Bytes `json:"block_bytes"`
	Checked    int64      `json:"checked"`
	// Faults is the sum of Wrong, Stale and Misplaced.
	Faults int64 `json:"faults"`
	// Wrong blocks do not hold a stamp of this session, or not what it covers.
	Wrong int64 `json:"wrong"`
	// Stale blocks hold what an earlier pass had written there.
	Stale int64 `json:"stale"`
	// Misplaced blocks hold what was written to another offset.
	Misplaced int64 `json:"misplaced"`
	// FirstOffset is where the first fault was found, in bytes.
	FirstOffset int64 `json:"first_offset_bytes"`
	// WrapsAtBytes is the capacity at which the device begins again from its
	// start, or 0.
	WrapsAtBytes unit.Bytes `json:"wraps_at_bytes,omitempty"`
}

// Kinds of events.
const (
	EventStall   = "stall"
	EventDropout = "dropout"
	EventReturn  = "return"
	// EventRelink says that a hop runs at another rate than before.
	EventRelink = "relink"
	// EventReset and EventTimeout are the kernel's words for a device that had
	// to be reset, or did not answer it; EventKernel is any other warning.
	EventReset   = "reset"
	EventTimeout = "timeout"
	EventKernel  = "kernel"
	// EventRemoved and EventAdded say that the system lost or found a device.
	EventRemoved = "removed"
	EventAdded   = "added"
	// EventProbe says that a sensor failed, or works again.
	EventProbe = "probe"
	// EventCopy is what is to be known of the ends of copies.
	EventCopy = "copy"
	// EventRecording says what is wrong with a recording made elsewhere, and
	// EventClock that its clock stepped.
	EventRecording = "recording"
	EventClock     = "clock"
)

// Event is something that happened while the session ran.
type Event struct {
	TSeconds float64 `json:"t_seconds"`
	Kind     string  `json:"kind"`
	Detail   string  `json:"detail"`
}

// Part gives the part of a kind that the session's chain has, as the bench book
// describes it.
func (s *Session) Part(kind book.Kind) (book.Part, bool) {
	for _, part := range s.Parts {
		if part.Kind == kind {
			return part, true
		}
	}
	return book.Part{}, false
}

// SequentialRating is what the drive's maker states for sequential passes of an
// operation, or 0 where the drive or its rating is not known.
func (s *Session) SequentialRating(operation plan.Operation) unit.BytesPerSecond {
	drive, _ := s.Part(book.Drive)
	if operation.Writes() {
		return drive.Ratings.SequentialWrite
	}
	return drive.Ratings.SequentialRead
}

// ElapsedSeconds is how long the session lasted on the target's clock.
func (s *Session) ElapsedSeconds() float64 { return s.Ended.Sub(s.Started).Seconds() }

// DisplayName is the name that the user gave, or else the id.
func (s *Session) DisplayName() string {
	if s.Name != "" {
		return s.Name
	}
	return s.ID
}
