package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var slowFlush = Kind{
	Name:     "slow-flush",
	Says:     "what was written was still in a cache at the end, which took long to empty",
	Severity: session.Note,
	Settles:  "repeat with durable writes, or for much longer than the cache takes",
	Evidence: SlowFlushEvidence{},
}

// SlowFlushEvidence is how long the cache took to empty, and the effect on the figure.
type SlowFlushEvidence struct {
	Flush float64 `json:"flush_seconds"`
	// Before is the rate until the last write, With the one that counts the flush too, and Cached the content
	// of the cache at the end, if it emptied at that rate.
	Before unit.BytesPerSecond `json:"before_bytes_per_second"`
	With   unit.BytesPerSecond `json:"with_bytes_per_second"`
	Cached unit.Bytes          `json:"cached_bytes"`
}

const (
	// slowFlushShare of a pass has to be its flush to be told, and slowFlushSeconds is the least time that it
	// has to take.
	slowFlushShare   = 0.05
	slowFlushSeconds = 1.0
)

// findSlowFlush finds passes behind which a cache took long to empty.
func findSlowFlush(s *session.Session, n unit.Notation) []session.Finding {
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		return p.FlushSeconds >= slowFlushSeconds && p.FlushSeconds >= slowFlushShare*p.ElapsedSeconds && p.Bytes > 0
	})
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, func(p *session.Pass) float64 { return p.FlushSeconds / p.ElapsedSeconds })
	e := SlowFlushEvidence{Flush: worst.FlushSeconds, With: worst.BytesPerSecond}
	e.Cached = unit.Bytes(float64(e.With) * worst.FlushSeconds)
	if writing := worst.ElapsedSeconds - worst.FlushSeconds; writing > 0 {
		e.Before = rate(float64(worst.Bytes) / writing)
	}
	f := slowFlush.new(0.95, indexes, e)
	f.FromSeconds = worst.ElapsedSeconds - worst.FlushSeconds
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("In %s the cache in front took %.1f s to empty: %s until the last write, %s with the flush "+
		"behind it.", worst.Label(), e.Flush, n.Rate(e.Before), n.Rate(e.With))
	f.Advice = "Quote the figure with the flush. To see the storage without the cache, write for much longer than " +
		"it takes to empty, or use durable writes."
	return []session.Finding{f}
}
