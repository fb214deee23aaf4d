package finding

import (
	"fmt"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// foreignShare of what moved is what others have to have moved for it to
	// matter: file systems add a little to every write themselves.
	foreignShare = 0.05
	// foreignLeast is what they have to have moved at the least.
	foreignLeast = 4 * unit.MB
)

// backgroundLoad finds passes during which others used the same device, by the
// system's own counters.
func backgroundLoad(s *session.Session) []session.Finding {
	foreign := func(p *session.Pass) float64 {
		if p.DeviceBytes == nil || !p.Direct {
			return 0
		}
		return float64(*p.DeviceBytes - p.Bytes - inFlight(p))
	}
	passes, indexes := passesWhere(s, func(p *session.Pass) bool {
		return foreign(p) > float64(foreignLeast) && foreign(p) > foreignShare*float64(*p.DeviceBytes)
	})
	if len(passes) == 0 {
		return nil
	}
	worst := greatest(passes, func(p *session.Pass) float64 { return foreign(p) / float64(*p.DeviceBytes) })
	share := foreign(worst) / float64(*worst.DeviceBytes)
	return []session.Finding{{
		Kind: "background-load", Severity: session.Caution, Confidence: 0.9, Passes: indexes, ToSeconds: worst.ElapsedSeconds,
		Summary: fmt.Sprintf("During %s something else used the device: in %s, %.0f %% of what moved was not this program's.",
			numbered(passes), worst.Label(), share*100),
		Evidence: map[string]any{
			"own_bytes": float64(worst.Bytes), "device_bytes": float64(*worst.DeviceBytes), "foreign_share": share,
		},
		Advice: "Close what else uses the drive (indexing, backup, another measurement) and repeat.",
	}}
}

// inFlight is what may have been under way at both ends of a pass.
func inFlight(p *session.Pass) unit.Bytes {
	return 2 * unit.Bytes(p.Depth*max(p.Workers, 1)) * p.BlockBytes
}
