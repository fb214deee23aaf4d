package finding

import (
	"fmt"
	"slices"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

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

// cachedResult finds figures that memory gave: they are above what the chain
// can carry, or faster than any drive answers, or the folder is in memory.
func cachedResult(s *session.Session) []session.Finding {
	if slices.Contains(memoryFileSystems, s.Target.FileSystem) {
		return []session.Finding{cachedFinding(s, s.Target.Address+" is on "+s.Target.FileSystem+", which keeps files in memory: no storage was measured.",
			allPasses(s), 1, map[string]any{"file_system": s.Target.FileSystem})}
	}
	var found []session.Finding
	if hop, known := s.Chain.Binding(); known && hop.Payload > 0 {
		passes, indexes := passesWhere(s, func(p *session.Pass) bool { return p.BytesPerSecond > hop.Payload*aboveCeiling })
		if len(passes) > 0 {
			fastest := greatest(passes, func(p *session.Pass) float64 { return float64(p.BytesPerSecond) })
			found = append(found, cachedFinding(s, fmt.Sprintf("%s ran at %s, but %s carries at most %s: a cache answered, or the chain is not the one that was named.",
				fastest.Label(), unit.Decimal.Rate(fastest.BytesPerSecond), hop.Name, unit.Decimal.Rate(hop.Payload)), indexes, 0.95,
				map[string]any{"measured_bytes_per_second": float64(fastest.BytesPerSecond), "hop_payload_bytes_per_second": float64(hop.Payload), "hop": hop.Name}))
		}
	}
	if traffic := s.Environment.MemoryTraffic; traffic > 0 {
		passes, indexes := passesWhere(s, func(p *session.Pass) bool { return p.BytesPerSecond > traffic })
		if len(passes) > 0 {
			fastest := greatest(passes, func(p *session.Pass) float64 { return float64(p.BytesPerSecond) })
			found = append(found, cachedFinding(s, fmt.Sprintf("%s ran at %s, more than this computer's memory moves, %s: the data did not come from storage.",
				fastest.Label(), unit.Decimal.Rate(fastest.BytesPerSecond), unit.Decimal.Rate(traffic)), indexes, 0.95,
				map[string]any{"measured_bytes_per_second": float64(fastest.BytesPerSecond), "memory_bytes_per_second": float64(traffic)}))
		}
	}
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		return !p.Direct && p.Operation == plan.Read && p.Operations > 0 && p.Latency.P50 < fasterThanStorage
	})
	if len(passes) > 0 {
		found = append(found, cachedFinding(s, fmt.Sprintf("Half of the reads of %s took under %s, without direct I/O: the system's cache answered.",
			passes[0].Label(), unit.Latency(fasterThanStorage)), indexes, 0.9,
			map[string]any{"p50_seconds": passes[0].Latency.P50, "direct": "no"}))
	}
	return found
}

func allPasses(s *session.Session) []int {
	_, indexes := passesWhere(s, func(*session.Pass) bool { return true })
	return indexes
}

func cachedFinding(s *session.Session, summary string, passes []int, confidence float64, evidence map[string]any) session.Finding {
	return session.Finding{
		Kind: "cached-result", Severity: session.Fault, Confidence: confidence, Summary: summary, Passes: passes,
		Evidence: evidence, Advice: "Do not quote these figures. Measure a folder on the storage itself, on a file system with direct I/O, with a test file larger than memory.",
	}
}
