package sim

import (
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Drive is the model of a drive.
type Drive struct {
	Name, About string
	Capacity    unit.Bytes
	Link        link.Standard
	// Parallelism is how many operations the medium serves at once.
	Parallelism  int
	ReadLatency  time.Duration
	WriteLatency time.Duration
	FlushLatency time.Duration
	// Jitter is the spread of a latency, as a share of it.
	Jitter float64
	// ReadRate and WriteRate are of all the medium together; for a disk, of its
	// outermost zone.
	ReadRate  unit.BytesPerSecond
	WriteRate unit.BytesPerSecond
	Flash     Flash
	Disk      Disk

	IdleWatts float64
	// ReadJoules and WriteJoules are the energy to move one byte.
	ReadJoules  float64
	WriteJoules float64
	// ControllerResistance is in kelvins a watt, from the controller to the rest.
	ControllerResistance float64
	// Throttle is how the drive slows itself, mildest stage first, and Hold how it does
	// so by as much as it takes.
	Throttle []Stage
	Hold     Hold
	// Housekeeping is the drive's own work now and then.
	Housekeeping Moments
	// Firmware is the remaining share of the rate of writes with a firmware, by its name.
	Firmware map[string]float64
}

// Flash is the part of a model that only flash has. The zero value has no fast write area and does not mind
// being full.
type Flash struct {
	// FastEmpty and FastLeast are the size of the fast write area of an empty and
	// of a full drive.
	FastEmpty, FastLeast unit.Bytes
	// SpentRate is how fast it takes writes once the area is full, and DrainRate
	// how fast it folds the area away when it is idle.
	SpentRate, DrainRate unit.BytesPerSecond
	// FullRead is the share of ReadRate, and of the speed of a read, that remains
	// when the drive is full.
	FullRead float64
	// Spare is how much more flash there is than capacity, as a share of it.
	Spare float64
}

// Disk is the part of a model that only a hard disk has; the zero value is not one.
type Disk struct {
	// InnerRate is the rate of the innermost zone.
	InnerRate unit.BytesPerSecond
	// TrackSeek is to a neighbouring track, FullSeek across all of them.
	TrackSeek, FullSeek time.Duration
	// Rotation is the time of one turn.
	Rotation time.Duration
}

// Stage is one step by which a drive protects itself from heat: from At on, until
// it has cooled to Until, or for good where that is 0.
type Stage struct {
	At, Until unit.Celsius
	Rate      unit.BytesPerSecond
}

func parseDrive(name string, node document.Node) (Drive, error) {
	drive := Drive{Name: name}
	keys := needed(
		document.Text("about", &drive.About),
		document.Into("capacity", &drive.Capacity, unit.ParseBytes),
		document.Into("link", &drive.Link, link.Find),
		document.Into("parallelism", &drive.Parallelism, asCount),
		document.Into("read-latency", &drive.ReadLatency, time.ParseDuration),
		document.Into("write-latency", &drive.WriteLatency, time.ParseDuration),
		document.Into("flush-latency", &drive.FlushLatency, time.ParseDuration),
		document.Into("jitter", &drive.Jitter, asShare),
		document.Into("read-rate", &drive.ReadRate, unit.ParseRate),
		document.Into("write-rate", &drive.WriteRate, unit.ParseRate),
		document.Into("idle-power", &drive.IdleWatts, asNumber),
		document.Into("read-energy", &drive.ReadJoules, asJoulesPerGigabyte),
		document.Into("write-energy", &drive.WriteJoules, asJoulesPerGigabyte),
	)
	_, err := node.Read(append(keys,
		document.Into("controller-resistance", &drive.ControllerResistance, asNumber),
		document.Nested("fast-area", needed(
			document.Into("empty", &drive.Flash.FastEmpty, unit.ParseBytes),
			document.Into("least", &drive.Flash.FastLeast, unit.ParseBytes),
			document.Into("spent-rate", &drive.Flash.SpentRate, unit.ParseRate),
			document.Into("drain-rate", &drive.Flash.DrainRate, unit.ParseRate),
		)...),
		document.Into("full-read", &drive.Flash.FullRead, asShare),
		document.Into("spare", &drive.Flash.Spare, asShare),
		document.Nested("disk", needed(
			document.Into("inner-rate", &drive.Disk.InnerRate, unit.ParseRate),
			document.Into("track-seek", &drive.Disk.TrackSeek, time.ParseDuration),
			document.Into("full-seek", &drive.Disk.FullSeek, time.ParseDuration),
			document.Into("rotation", &drive.Disk.Rotation, time.ParseDuration),
		)...),
		document.Nested("hold", drive.Hold.keys()...),
		document.Nested("housekeeping", drive.Housekeeping.keys()...),
		document.Entries("firmware", drive.addFirmware),
		document.With("throttle", func(n document.Node) error { return parseStages(n, &drive.Throttle) }),
	)...)
	return drive, err
}

func (d *Drive) addFirmware(entry document.Entry) error {
	share, err := document.Value(entry.Value, asShare)
	if d.Firmware == nil {
		d.Firmware = map[string]float64{}
	}
	d.Firmware[entry.Key] = share
	return err
}

func parseStages(node document.Node, stages *[]Stage) error {
	for _, element := range node.List() {
		stage := Stage{}
		_, err := element.Read(append(needed(
			document.Into("at", &stage.At, unit.ParseCelsius),
			document.Into("rate", &stage.Rate, unit.ParseRate),
		), document.Into("until", &stage.Until, unit.ParseCelsius))...)
		if err != nil {
			return err
		}
		if stage.Until >= stage.At {
			return element.Errorf("a stage has to end at a lower temperature than it begins")
		}
		*stages = append(*stages, stage)
	}
	return nil
}
