package sim

import (
	"math"
	"time"

	"opengauge/core/unit"
)

// arm is the position of a hard disk's heads.
type arm struct {
	disk     *Disk
	capacity unit.Bytes
	outer    unit.BytesPerSecond
	at       int64 // where the last operation ended
}

// reach is how long the heads take to an operation: nothing where the last one
// ended; else a seek, which grows with the square root of the distance (Ruemmler
// and Wilkes, IEEE Computer 27(3), 1994), and a part of a turn that chance, from
// 0 to 1, draws.
func (a *arm) reach(offset int64, chance float64) time.Duration {
	if offset == a.at {
		return 0
	}
	distance := math.Abs(float64(offset-a.at)) / float64(a.capacity)
	seek := float64(a.disk.TrackSeek) + float64(a.disk.FullSeek-a.disk.TrackSeek)*math.Sqrt(distance)
	return time.Duration(seek + float64(a.disk.Rotation)*chance)
}

// rate is how fast the zone of an offset is: outer tracks hold more, in
// proportion to their radius, and the zones are laid out from the outside.
func (a *arm) rate(offset int64) unit.BytesPerSecond {
	share := float64(offset) / float64(a.capacity)
	outer := float64(a.outer)
	inner := float64(a.disk.InnerRate)
	// Capacity up to a radius goes with its square.
	return unit.BytesPerSecond(math.Sqrt(outer*outer - (outer*outer-inner*inner)*share))
}
