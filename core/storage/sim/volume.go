package sim

import (
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Volume is a simulated volume in a cloud, which consists of its limits.
type Volume struct {
	Name, About string
	Capacity    unit.Bytes
	// Network is the hop to it.
	Network link.Standard
	Latency time.Duration
	Jitter  float64
	// IOPS and Throughput are the provisioned rates.
	IOPS       float64
	Throughput unit.BytesPerSecond
	Burst      Burst
}

// Burst is a bucket of credits, each of which pays for one operation. It earns
// credits at the provisioned IOPS, and while it holds any the volume runs at the
// burst's limits.
type Burst struct {
	IOPS       float64
	Throughput unit.BytesPerSecond
	Credits    float64
}

func parseVolume(name string, node document.Node) (Volume, error) {
	volume := Volume{Name: name}
	keys := needed(
		document.Text("about", &volume.About),
		document.Into("capacity", &volume.Capacity, unit.ParseBytes),
		document.Into("network", &volume.Network, link.Find),
		document.Into("latency", &volume.Latency, time.ParseDuration),
		document.Into("jitter", &volume.Jitter, asShare),
		document.Into("iops", &volume.IOPS, asNumber),
		document.Into("throughput", &volume.Throughput, unit.ParseRate),
	)
	_, err := node.Read(append(keys,
		document.Nested("burst", needed(
			document.Into("iops", &volume.Burst.IOPS, asNumber),
			document.Into("throughput", &volume.Burst.Throughput, unit.ParseRate),
			document.Into("credits", &volume.Burst.Credits, asNumber),
		)...),
	)...)
	if err == nil && (volume.IOPS <= 0 || volume.Throughput <= 0) {
		return volume, node.Errorf("a volume needs iops and a throughput above 0")
	}
	return volume, err
}

// drive is the volume as the simulator serves it: a drive that is as fast as its
// limits, in no enclosure that would matter.
func (v Volume) drive() (Drive, Enclosure) {
	const ofMany, unlimited = 4096, 1e12
	usable := v.Network.Ceiling().Usable.High
	drive := Drive{
		Name: v.Name, About: v.About, Capacity: v.Capacity, Link: v.Network, Parallelism: ofMany,
		ReadLatency: v.Latency, WriteLatency: v.Latency, FlushLatency: v.Latency, Jitter: v.Jitter,
		ReadRate: unlimited, WriteRate: unlimited,
	}
	return drive, Enclosure{Link: v.Network, Carries: usable, HeatCapacity: 1e9, Resistance: 1, Cooling: Passive}
}

// limits pace a volume's operations.
type limits struct {
	volume  Volume
	credits float64
	at      time.Duration // when credits was right
	// operations and bytes are when the volume has room for the next.
	operations, bytes time.Duration
}

func newLimits(v Volume) *limits { return &limits{volume: v, credits: v.Burst.Credits} }

// pass says when an operation that arrives at a time may go on.
func (l *limits) pass(now time.Duration, length int) time.Duration {
	iops := l.volume.IOPS
	throughput := l.volume.Throughput
	if l.volume.Burst.Credits > 0 {
		iops = l.volume.Burst.IOPS
		room := max(now, l.operations)
		l.earn(room)
		if l.credits >= 1 {
			throughput = l.volume.Burst.Throughput
		} else { // it waits until it has earned what it costs
			room += time.Duration((1 - l.credits) / l.volume.IOPS * 1e9)
			l.credits = 1
			l.at = room
		}
		l.credits--
		l.operations = room
	}
	// It passes as soon as there is room, and takes its share of it.
	passes := max(now, l.operations, l.bytes)
	l.operations = max(now, l.operations) + time.Duration(1e9/iops)
	l.bytes = max(now, l.bytes) + moving(length, throughput)
	return passes
}

// earn adds the credits of the time that has passed.
func (l *limits) earn(now time.Duration) {
	if now > l.at {
		l.credits = min(l.credits+l.volume.IOPS*(now-l.at).Seconds(), l.volume.Burst.Credits)
		l.at = now
	}
}
