package sim

import (
	"time"

	"opengauge/core/document"
)

// Probe is a thermometer on an enclosure's case: it sees a share of the drive's warmth
// above the air, late. The zero value is none.
type Probe struct {
	Sees float64
	Lag  time.Duration
}

func (p *Probe) keys() []document.Key {
	return needed(
		document.Into("sees", &p.Sees, asShare),
		document.Into("lag", &p.Lag, time.ParseDuration),
	)
}
