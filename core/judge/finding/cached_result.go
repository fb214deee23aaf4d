package finding

import (
	"fmt"
	"slices"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var cachedResult = Kind{
	Name:     "cached-result",
	Says:     "faster than the chain can carry: it measured memory",
	Severity: session.Fault,
	Marks:    ChainStrip,
	Settles:  "measure a folder with direct I/O, with a test file larger than memory",
	Evidence: CachedResultEvidence{},
}

// CachedResultEvidence is the figure that no storage gives, and the limit that it exceeds.
type CachedResultEvidence struct {
	FileSystem string              `json:"file_system,omitempty"`
	Measured   unit.BytesPerSecond `json:"measured_bytes_per_second,omitempty"`
	HopPayload unit.BytesPerSecond `json:"hop_payload_bytes_per_second,omitempty"`
	Hop        string              `json:"hop,omitempty"`
	Memory     unit.BytesPerSecond `json:"memory_bytes_per_second,omitempty"`
	P50        float64             `json:"p50_seconds,omitempty"`
	Direct     string              `json:"direct,omitempty"`
	// Read is the data that the program read, and Device the part that the device gave.
	Read   unit.Bytes  `json:"read_bytes,omitempty"`
	Device *unit.Bytes `json:"device_read_bytes,omitempty"`
}

const (
	// fasterThanStorage is a median latency of a read that no drive behind a
	// link has: a PCIe round trip, a command and a flash or media access take
	// more.
	fasterThanStorage = 4e-6
	// aboveCeiling leaves room for the error of the figures.
	aboveCeiling = 1.02
)

// memoryFileSystems keep their files in memory.
var memoryFileSystems = []string{"tmpfs", "ramfs", "devtmpfs", "hugetlbfs"}

// findCachedResult finds figures that memory gave: they are above the ceiling of the chain, or faster than
// any drive answers, or the folder is in memory.
func findCachedResult(s *session.Session, n unit.Notation) []session.Finding {
	if slices.Contains(memoryFileSystems, s.Target.FileSystem) {
		summary := s.Target.Address + " is on " + s.Target.FileSystem + ", which keeps files in memory: no storage " +
			"was measured."
		return []session.Finding{newCached(summary, 1, allPasses(s),
			CachedResultEvidence{FileSystem: s.Target.FileSystem})}
	}
	found := findMissingReads(s, n)
	faster := func(limit unit.BytesPerSecond, rate func(*session.Pass) unit.BytesPerSecond,
		say func(fastest *session.Pass) (string, CachedResultEvidence)) {
		passes, indexes := passesWhere(s, func(p *session.Pass) bool { return rate(p) > limit })
		if limit <= 0 || len(passes) == 0 {
			return
		}
		fastest := greatest(passes, throughputOf)
		summary, evidence := say(fastest)
		evidence.Measured = fastest.BytesPerSecond
		found = append(found, newCached(summary, 0.95, indexes, evidence))
	}
	if hop, ok := s.Chain.Binding(); ok {
		through := func(p *session.Pass) unit.BytesPerSecond { return rateThrough(hop, p) }
		faster(hop.Payload*aboveCeiling, through, func(p *session.Pass) (string, CachedResultEvidence) {
			return fmt.Sprintf("%s ran at %s, but %s carries at most %s: a cache answered, or the chain is not the "+
					"one that was named.",
					p.Label(), n.Rate(p.BytesPerSecond), hop.Name, n.Rate(hop.Payload)),
				CachedResultEvidence{HopPayload: hop.Payload, Hop: hop.Name}
		})
	}
	traffic := s.Environment.MemoryTraffic
	all := func(p *session.Pass) unit.BytesPerSecond { return p.BytesPerSecond }
	faster(traffic, all, func(p *session.Pass) (string, CachedResultEvidence) {
		return fmt.Sprintf("%s ran at %s, more than this computer's memory moves, %s: the data did not come from "+
			"storage.",
			p.Label(), n.Rate(p.BytesPerSecond), n.Rate(traffic)), CachedResultEvidence{Memory: traffic}
	})
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		known := p.Operations > 0 && p.Latency.P50 > 0
		answered := p.DeviceReadBytes != nil && deviceGave(p)
		return known && !answered && !p.Direct && p.Operation == load.Read && p.Latency.P50 < fasterThanStorage
	})
	if len(passes) > 0 {
		summary := fmt.Sprintf("Half of the reads of %s took under %s, without direct I/O: the system's cache "+
			"answered.",
			passes[0].Label(), unit.Latency(fasterThanStorage))
		found = append(found, newCached(summary, 0.9, indexes, CachedResultEvidence{P50: passes[0].Latency.P50,
			Direct: "no"}))
	}
	return found
}

const (
	// leastRead is how much has to be read for the device's counters to be asked, and
	// cameFromDevice the share of it that the device has to have given.
	leastRead      = 16 * unit.MiB
	cameFromDevice = 0.9
)

// deviceGave reports whether the data read came from the device, by its counters, which have to be there.
func deviceGave(p *session.Pass) bool {
	return float64(*p.DeviceReadBytes) >= cameFromDevice*float64(p.Bytes-inFlight(p))
}

// findMissingReads finds passes that read more than their device gave, by its own
// counters: memory answered for the rest, or a file with holes.
func findMissingReads(s *session.Session, n unit.Notation) []session.Finding {
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		return p.WriteShare == 0 && p.DeviceReadBytes != nil && p.Bytes >= leastRead && !deviceGave(p)
	})
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, func(p *session.Pass) float64 {
		return float64(p.Bytes-*p.DeviceReadBytes) / float64(p.Bytes)
	})
	evidence := CachedResultEvidence{Read: worst.Bytes, Device: worst.DeviceReadBytes, Measured: worst.BytesPerSecond}
	summary := fmt.Sprintf("%s read %s at %s, of which the device gave %s: memory answered, or the file has holes.",
		worst.Label(), worst.Bytes.Decimal(), n.Rate(worst.BytesPerSecond), worst.DeviceReadBytes.Decimal())
	return []session.Finding{newCached(summary, 0.95, indexes, evidence)}
}

// rateThrough is a pass's rate through a hop one way: where that carries both ways at once, of a mixed load
// the way that has more.
func rateThrough(hop link.Hop, p *session.Pass) unit.BytesPerSecond {
	if p.Operation != load.Mixed || !hop.BothWays() {
		return p.BytesPerSecond
	}
	return p.BytesPerSecond * unit.BytesPerSecond(max(p.WriteShare, 1-p.WriteShare))
}

func allPasses(s *session.Session) []int {
	_, indexes := passesWhere(s, func(*session.Pass) bool { return true })
	return indexes
}

func newCached(summary string, confidence float64, passes []int, evidence CachedResultEvidence) session.Finding {
	f := cachedResult.new(confidence, passes, evidence)
	f.Summary = summary
	f.Advice = "Do not quote these figures. Measure a folder on the storage itself, on a file system with " +
		"direct I/O, " +
		"with a test file larger than memory."
	return f
}
