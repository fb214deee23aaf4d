package sim

import (
	"time"

	"opengauge/core/document"
)

// Moments are stretches that come again and again, in which only a share is left: the
// drive looks after itself, or somebody else uses the storage. The zero value has none.
type Moments struct {
	// After is when the first begins, Every how far apart they begin, and For how long
	// each is.
	After, Every, For time.Duration
	Left              float64
	// Warm says that the drive works as hard as ever meanwhile, for somebody else.
	Warm bool
}

func (m *Moments) keys() []document.Key {
	return needed(
		document.Into("after", &m.After, time.ParseDuration),
		document.Into("every", &m.Every, time.ParseDuration),
		document.Into("for", &m.For, time.ParseDuration),
		document.Into("left", &m.Left, asShare),
	)
}

// left is the share that is left at a time.
func (m *Moments) left(now time.Duration) float64 {
	if m.For <= 0 || now < m.After {
		return 1
	}
	if into := now - m.After; m.Every > 0 && into%m.Every < m.For || m.Every <= 0 && into < m.For {
		return m.Left
	}
	return 1
}
