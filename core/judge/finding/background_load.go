package finding

import (
	"fmt"
	"strings"

	"opengauge/core/judge/explain"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var backgroundLoad = Kind{
	Name:       explain.BackgroundLoad,
	Says:       "something else used the device meanwhile; the figure is not yet worth quoting",
	Severity:   session.Caution,
	EndsStream: true,
	Marks:      HeatTrace,
	Settles:    "close what else uses the drive and repeat",
	Evidence:   BackgroundLoadEvidence{},
}

// BackgroundLoadEvidence compares this program's bytes with the device's counters.
type BackgroundLoadEvidence struct {
	Own     unit.Bytes `json:"own_bytes"`
	Device  unit.Bytes `json:"device_bytes"`
	Foreign float64    `json:"foreign_share"`
}

// ComesAndGoesEvidence is of throughput that went down and came back.
type ComesAndGoesEvidence struct {
	Before    unit.BytesPerSecond `json:"before_bytes_per_second"`
	After     unit.BytesPerSecond `json:"after_bytes_per_second"`
	Stretches int                 `json:"stretches"`
	Slow      float64             `json:"time_slow_seconds"`
	SlowShare float64             `json:"time_slow_share"`
}

const (
	// foreignShare of all moved data has to be of others for it to matter: file systems add a little to every
	// write themselves.
	foreignShare = 0.05
	// foreignLeast is the least that others have to have moved.
	foreignLeast = 4 * unit.MB
)

// findBackgroundLoad finds passes during which others used the same device, by the
// system's own counters.
func findBackgroundLoad(s *session.Session, _ unit.Notation) []session.Finding {
	foreign := func(p *session.Pass) float64 { return foreignBytes(s, p) }
	passes, indexes := passesWhere(s, func(p *session.Pass) bool { return usedByOthers(s, p) })
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, func(p *session.Pass) float64 { return foreign(p) / float64(*p.DeviceBytes) })
	share := foreign(worst) / float64(*worst.DeviceBytes)
	f := backgroundLoad.new(0.9, indexes, BackgroundLoadEvidence{worst.Bytes, *worst.DeviceBytes, share})
	f.ToSeconds = worst.ElapsedSeconds
	f.Summary = fmt.Sprintf("During %s something else used the device: in %s, %.0f %% of what moved was not this "+
		"program's.",
		numberSeveral(passes), worst.Label(), share*100)
	f.Advice = "Close what else uses the drive (indexing, backup, another measurement) and repeat."
	return []session.Finding{f}
}

// ownBytes is the data that a pass itself let the device move. A file system that journals data writes
// everything twice (Documentation/filesystems/ext4/journal.rst, data=journal).
func ownBytes(s *session.Session, p *session.Pass) unit.Bytes {
	if p.WriteShare > 0 && strings.Contains(s.Environment.MountOptions, "data=journal") {
		return p.Bytes + unit.Bytes(p.WriteShare*float64(p.Bytes)*11/10)
	}
	return p.Bytes
}

// inFlight is the most that may have been under way at both ends of a pass.
func inFlight(p *session.Pass) unit.Bytes { return 2 * unit.Bytes(p.Outstanding()) * p.Block }

// foreignBytes is the data that others moved to and from the device during a pass, by the counters of the
// system.
func foreignBytes(s *session.Session, p *session.Pass) float64 {
	if p.DeviceBytes == nil || !p.Direct {
		return 0
	}
	return float64(*p.DeviceBytes - ownBytes(s, p) - inFlight(p))
}

func usedByOthers(s *session.Session, p *session.Pass) bool {
	foreign := foreignBytes(s, p)
	return foreign > float64(foreignLeast) && foreign > foreignShare*float64(*p.DeviceBytes)
}

// UsedByOthers reports whether others used the device during a pass of a session, by the
// system's counters alone: whatever the figures are.
func UsedByOthers(s *session.Session) bool {
	for i := range s.Passes {
		if usedByOthers(s, &s.Passes[i]) {
			return true
		}
	}
	return false
}
