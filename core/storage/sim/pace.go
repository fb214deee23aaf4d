package sim

import (
	"time"
)

// Pace is a volume's limits, for those who keep time themselves: simulated volumes have the same bucket of
// credits. It is used by one goroutine at a time.
type Pace struct{ limits *limits }

// NewPace starts with a full bucket.
func NewPace(v Volume) *Pace { return &Pace{newLimits(v)} }

// Pass says when an operation that arrives at a time may go on, and takes its share.
func (p *Pace) Pass(now time.Duration, length int) time.Duration { return p.limits.pass(now, length) }

// Set changes the provisioned limits; credits and requests under way stay as they are.
func (p *Pace) Set(v Volume) { p.limits.volume = v }

// Credits is how many credits are left now.
func (p *Pace) Credits(now time.Duration) float64 {
	p.limits.earn(now)
	return p.limits.credits
}
