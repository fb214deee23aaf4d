package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

var depthNotReached = Kind{
	Name:     "depth-not-reached",
	Says:     "fewer operations were under way than were asked for: the figure is of a lower queue depth",
	Severity: session.Caution,
	Settles:  "repeat with another --queue, or on a file system that takes direct I/O",
	Evidence: DepthNotReachedEvidence{},
}

// DepthNotReachedEvidence is how many operations were asked for, and how many there were.
type DepthNotReachedEvidence struct {
	Asked int `json:"asked"`
	// System is how many were under way at the system, on average.
	System float64 `json:"system"`
	// Device is how many were at the device, by its counters, where they are known.
	Device *float64 `json:"device,omitempty"`
}

const (
	// reachedShare of the asked depth has to be under way at the system.
	reachedShare = 0.8
	// deviceShare of it has to be at the device: operations that are split or joined on the way make that
	// figure coarse.
	deviceShare = 0.25
	// idleShare is how busy a processor may be at the most for the device's figure to
	// count: where the program is busy, it is the program that is slow to ask.
	idleShare = 0.5
)

// findDepthNotReached finds passes with fewer operations under way than they asked for:
// because the way to the storage takes one at a time, or because the system answers
// before the device is asked.
func findDepthNotReached(s *session.Session, _ unit.Notation) []session.Finding {
	if s.Target.Kind == string(target.Wire) {
		return nil // what a network has not taken yet waits in this program, and that is its figure
	}
	short := func(p *session.Pass) bool { return under(p) < 1 }
	passes, indexes := passesWhere(s, short)
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, func(p *session.Pass) float64 { return -under(p) })
	f := depthNotReached.new(0.95, indexes, DepthNotReachedEvidence{worst.Outstanding(), worst.MeanDepth,
		worst.DeviceDepth})
	where := "the system"
	seen := worst.MeanDepth
	if worst.MeanDepth >= reachedShare*float64(worst.Outstanding()) {
		where = "the device"
		seen = *worst.DeviceDepth
	}
	f.Summary = fmt.Sprintf("In %s fewer operations were under way than asked: in %s, %.1f on average at %s instead "+
		"of %d.", numberSeveral(passes), worst.Label(), seen, where, worst.Outstanding())
	f.Advice = "Take the figure for one of the depth that was reached. Repeat with another --queue, or where the file " +
		"system takes direct I/O."
	if worst.CPUSeconds >= busyShare*worst.ElapsedSeconds {
		f.Advice = "Take the figure for one of the depth that was reached: the program itself was busy meanwhile. Repeat " +
			"with more --workers, or without --verify."
	}
	return []session.Finding{f}
}

// under is how far below the limits a pass is; 1 and more is not.
func under(p *session.Pass) float64 {
	asked := float64(p.Outstanding())
	enough := p.Operations >= 4*int64(p.Outstanding()) && p.ElapsedSeconds-p.FlushSeconds > 0.2
	if asked < 2 || p.MeanDepth == 0 || p.Scheduled() || !enough || p.CutShort {
		return 1
	}
	share := p.MeanDepth / asked / reachedShare
	idle := p.CPUSeconds < idleShare*p.ElapsedSeconds
	if p.DeviceDepth != nil && p.WriteShare == 0 && idle && p.Direct {
		share = min(share, *p.DeviceDepth/asked/deviceShare)
	}
	return share
}
