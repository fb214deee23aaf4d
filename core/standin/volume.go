// Package standin holds small simulated stand-ins for things that are outside of a
// bench: a provisioned volume, as its limits, credits, latency and faults let it be
// seen, on the machine's own clock.
//
// A volume serves several connections at once, each on a goroutine of its own.
package standin

import (
	"math/rand/v2"
	"sync"
	"time"

	"opengauge/core/storage/sim"
	"opengauge/core/unit"
)

// Volume holds requests back as a provisioned volume does, and fails as a script says.
type Volume struct {
	mutex sync.Mutex
	pace  *sim.Pace
	// limits are those in force, and usual those without a spell.
	limits, usual sim.Volume
	began         time.Time
	script        []Act
	tell          func(text string)
	// paused is until when nothing goes on, and errors how many requests fail.
	paused time.Duration
	errors int
	chance *rand.Rand
	// Disconnect ends every connection; set before the volume is used.
	Disconnect func()
}

// errnoIO is the number of the protocol for a failed request.
const errnoIO = 5

// NewVolume starts a volume with a full bucket of credits. Each act of the script is told.
func NewVolume(limits sim.Volume, script []Act, tell func(text string)) *Volume {
	return &Volume{
		pace: sim.NewPace(limits), limits: limits, usual: limits, began: time.Now(), script: script, tell: tell,
		chance: rand.New(rand.NewPCG(1, 2)), Disconnect: func() {},
	}
}

// Admit waits until a request may go on, and gives the error that it fails with, or 0.
func (v *Volume) Admit(_ bool, length int) uint32 {
	until, failed := v.decide(length)
	if left := until - time.Since(v.began); left > 0 {
		sleep(left)
	}
	if failed {
		return errnoIO
	}
	return 0
}

// decide says when a request that arrives now may go on, and whether it fails.
func (v *Volume) decide(length int) (time.Duration, bool) {
	v.mutex.Lock()
	defer v.mutex.Unlock()
	now := time.Since(v.began)
	v.act(now)
	arrives := max(now, v.paused)
	failed := v.errors > 0
	if failed {
		v.errors--
	}
	latency := v.limits.Latency
	if v.limits.Jitter > 0 {
		latency += time.Duration(float64(latency) * v.limits.Jitter * (2*v.chance.Float64() - 1))
	}
	return v.pace.Pass(arrives, length) + latency, failed
}

// Run plays the script, also while no request arrives, until it is stopped.
func (v *Volume) Run(stop <-chan struct{}) {
	const step = 50 * time.Millisecond
	ticker := time.NewTicker(step)
	defer ticker.Stop()
	for {
		select {
		case <-stop:
			return
		case <-ticker.C:
			v.mutex.Lock()
			v.act(time.Since(v.began))
			v.mutex.Unlock()
		}
	}
}

// act carries out the acts of the script that are due. The mutex is held.
func (v *Volume) act(now time.Duration) {
	for len(v.script) > 0 && v.script[0].At <= now {
		a := v.script[0]
		v.script = v.script[1:]
		v.tell(a.String())
		switch {
		case a.Pause > 0:
			v.paused = max(v.paused, a.At+a.Pause)
		case a.Errors > 0:
			v.errors += a.Errors
		case a.Disconnect:
			go v.Disconnect()
		case a.Neighbour > 0:
			v.set(v.usual, 1-a.Neighbour)
			v.insert(Act{At: a.At + a.For, Restore: true})
		case a.Restore:
			v.set(v.usual, 1)
		default:
			v.change(a)
		}
	}
}

// insert puts an act into the script, in its place.
func (v *Volume) insert(a Act) {
	at := 0
	for at < len(v.script) && v.script[at].At <= a.At {
		at++
	}
	v.script = append(v.script[:at], append([]Act{a}, v.script[at:]...)...)
}

// change applies the limits of an act.
func (v *Volume) change(a Act) {
	if a.IOPS > 0 {
		v.usual.IOPS = a.IOPS
	}
	if a.Throughput > 0 {
		v.usual.Throughput = a.Throughput
	}
	if a.Latency > 0 {
		v.usual.Latency = a.Latency
	}
	v.set(v.usual, 1)
}

// set puts limits into force, or a share of them.
func (v *Volume) set(limits sim.Volume, share float64) {
	limits.IOPS *= share
	limits.Throughput = unit.BytesPerSecond(float64(limits.Throughput) * share)
	limits.Burst.IOPS *= share
	limits.Burst.Throughput = unit.BytesPerSecond(float64(limits.Burst.Throughput) * share)
	v.limits = limits
	v.pace.Set(limits)
}

// Credits is how many credits are left now.
func (v *Volume) Credits() float64 {
	v.mutex.Lock()
	defer v.mutex.Unlock()
	return v.pace.Credits(time.Since(v.began))
}
