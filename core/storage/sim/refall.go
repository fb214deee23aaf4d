package sim

import (
	"time"

	"opengauge/core/document"
	"opengauge/core/unit"
)

// Refall is a link that trains anew at a lower rate, once. The zero value does not.
type Refall struct {
	After, Away time.Duration
	Rate        unit.BytesPerSecond
}

func (r *Refall) keys() []document.Key {
	return needed(
		document.Into("after", &r.After, time.ParseDuration),
		document.Into("away", &r.Away, time.ParseDuration),
		document.Into("rate", &r.Rate, unit.ParseRate),
	)
}

// fallen says whether the link has fallen by a time.
func (r *Refall) fallen(now time.Duration) bool { return r.Rate > 0 && now >= r.After }
