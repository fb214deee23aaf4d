package session

import (
	"slices"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/load/fileset"
	"opengauge/core/unit"
)

// Kinds of work with a file set: a copy, or the work of one end of it alone.
const (
	CopyWhole       = "copy"
	CopySource      = "source alone"
	CopyDestination = "destination alone"
)

// End is one end of copies.
type End struct {
	Address       string      `json:"address"`
	Kind          string      `json:"kind"`
	Path          string      `json:"path,omitempty"`
	FileSystem    string      `json:"file_system,omitempty"`
	Device        string      `json:"device,omitempty"`
	DeviceModel   string      `json:"device_model,omitempty"`
	CapacityBytes unit.Bytes  `json:"capacity_bytes,omitempty"`
	Chain         link.Chain  `json:"chain"`
	Parts         []book.Part `json:"parts,omitempty"`
}

// Copy is a piece of work with a file set, timed from the first read to the last
// byte on stable media.
type Copy struct {
	Index int `json:"index"`
	// Work is one of the constants above.
	Work string `json:"work"`
	// From and To are the numbers of the ends, or -1 for none.
	From int `json:"from"`
	To   int `json:"to"`
	// Set, Seed and Spread say which files: the same seed and size give the same
	// bytes. A folder of one's own has no seed.
	Set      string         `json:"set"`
	Seed     uint64         `json:"seed,omitempty"`
	Spread   fileset.Spread `json:"spread"`
	Parallel int            `json:"parallel"`
	Repeat   int            `json:"repeat"`
	// Direct says that large files went past the system's cache at both ends, and Dropped that the cache was
	// emptied of the data read through it.
	Direct         bool                `json:"direct"`
	Dropped        bool                `json:"cache_dropped"`
	StartedSeconds float64             `json:"started_seconds"`
	ElapsedSeconds float64             `json:"elapsed_seconds"`
	FlushSeconds   float64             `json:"flush_seconds"`
	Bytes          unit.Bytes          `json:"bytes"`
	Files          int                 `json:"files"`
	BytesPerSecond unit.BytesPerSecond `json:"bytes_per_second"`
	FilesPerSecond float64             `json:"files_per_second"`
	// FileSeconds is the time of a file, its flush aside.
	FileSeconds Latency `json:"file_seconds"`
	// RestedSeconds is for how long nothing was done before it, and WrittenBefore how much
	// this session had written to its destination by then.
	RestedSeconds float64    `json:"rested_seconds,omitempty"`
	WrittenBefore unit.Bytes `json:"written_before_bytes,omitempty"`
	// CutShort says that it did not come to its end, and Failure why.
	CutShort bool   `json:"cut_short,omitempty"`
	Failure  string `json:"failure,omitempty"`
	// ByHand is of one that somebody timed with a stopwatch; nil for others.
	ByHand *ByHand `json:"by_hand,omitempty"`
	// VerifiedFromCache says that the compared data may have come from the system's cache, and not from the
	// destination.
	VerifiedFromCache bool `json:"verified_from_cache,omitempty"`
	// Verified is how many files were compared, and Differing how many differ.
	Verified  int          `json:"verified,omitempty"`
	Differing int          `json:"differing,omitempty"`
	Samples   []CopySample `json:"samples"`
}

// CopySample is one interval of a copy. TSeconds is its end, since the copy began.
type CopySample struct {
	TSeconds            float64                 `json:"t_seconds"`
	ElapsedSeconds      float64                 `json:"elapsed_seconds"`
	Bytes               unit.Bytes              `json:"bytes"`
	Files               int                     `json:"files"`
	BytesPerSecond      unit.BytesPerSecond     `json:"bytes_per_second"`
	TemperaturesCelsius map[string]unit.Celsius `json:"temperatures_celsius"`
}

// largeFile is from which size of its files on a copy goes through levels of the storage; in a folder of
// small and large ones it goes through the files' own.
const largeFile = unit.GB

// OfLargeFiles reports whether the course of the copy is the storage's, and not an effect of the sizes of its
// files.
func (c *Copy) OfLargeFiles() bool { return OfLargeFiles(c.Spread.Bytes, c.Spread.Files) }

// OfLargeFiles is the same of so many files together.
func OfLargeFiles(bytes unit.Bytes, files int) bool {
	return bytes/unit.Bytes(max(files, 1)) >= largeFile
}

// Recording is a copy as a recording: a pass that moved the same data, on a session whose storage is the end
// that it is about. That is the one that was written, as only that changes, or the source where it was read
// alone. Sensors keep the names with which they say at which end they are.
func (s *Session) Recording(c *Copy) (*Session, *Pass) {
	made := &Pass{
		Index: c.Index, Step: c.Work, Load: load.New(load.Write, load.Sequential, recordingBlock, max(c.Parallel, 1)),
		Repeat: c.Repeat, Direct: c.Direct, CutShort: c.CutShort, StartedSeconds: c.StartedSeconds,
		ElapsedSeconds: c.ElapsedSeconds, FlushSeconds: c.FlushSeconds, Bytes: c.Bytes, Operations: int64(c.Files),
		BytesPerSecond: c.BytesPerSecond, IOPS: c.FilesPerSecond,
	}
	if c.ByHand != nil {
		made.ByHand = c.ByHand
		made.Throughput = c.ByHand.interval(c.Bytes, c.ElapsedSeconds)
	}
	about := c.To
	if c.Work == CopySource {
		made.Load = load.New(load.Read, load.Sequential, recordingBlock, max(c.Parallel, 1))
		about = c.From
	}
	for _, sample := range c.Samples {
		made.Samples = append(made.Samples, Sample{
			TSeconds: sample.TSeconds, ElapsedSeconds: sample.ElapsedSeconds, Bytes: sample.Bytes,
			Operations: int64(sample.Files), BytesPerSecond: sample.BytesPerSecond,
			TemperaturesCelsius: sample.TemperaturesCelsius,
		})
	}
	view := *s
	if about >= 0 && about < len(s.Ends) {
		end := s.Ends[about]
		view.Chain = end.Chain
		view.Parts = end.Parts
		view.Target = Target{Address: end.Address, Kind: end.Kind, Path: end.Path, FileSystem: end.FileSystem,
			CapacityBytes: end.CapacityBytes}
	}
	return &view, made
}

// recordingBlock stands for the blocks of a copy, of which nothing is recorded.
const recordingBlock = unit.MiB

// LatencyOf sums up times.
func LatencyOf(times []time.Duration) Latency {
	if len(times) == 0 {
		return Latency{}
	}
	sorted := slices.Sorted(slices.Values(times))
	sum := time.Duration(0)
	for _, each := range sorted {
		sum += each
	}
	at := func(share float64) float64 { return sorted[int(share*float64(len(sorted)-1)+0.5)].Seconds() }
	return Latency{Mean: sum.Seconds() / float64(len(sorted)), P50: at(0.5), P90: at(0.9), P99: at(0.99),
		P999: at(0.999), Max: at(1)}
}
