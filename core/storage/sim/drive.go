package sim

import (
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Drive is what a simulated drive is made of.
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
	// Throttle is how the drive slows itself, mildest stage first.
	Throttle []Stage
}

// Flash is what only flash has. The zero value has no fast write area and does
// not mind being full.
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

// Disk is what only a hard disk has; the zero value is not one.
type Disk struct {
	// InnerRate is the rate of the innermost zone.
	InnerRate unit.BytesPerSecond
	// TrackSeek is to a neighbouring track, FullSeek across all of them.
	TrackSeek, FullSeek time.Duration
	// Rotation is the time of one turn.
	Rotation time.Duration
}

// Stage is one step by which a drive protects itself from heat: from At on, until
// it has cooled to Until.
type Stage struct {
	At, Until unit.Celsius
	Rate      unit.BytesPerSecond
}

func parseDrive(name string, node document.Node) (Drive, error) {
	drive := Drive{Name: name}
	err := read(node, map[string]setter{
		"about":         into(&drive.About, asText),
		"capacity":      into(&drive.Capacity, unit.ParseBytes),
		"link":          into(&drive.Link, link.Find),
		"parallelism":   into(&drive.Parallelism, asCount),
		"read-latency":  into(&drive.ReadLatency, time.ParseDuration),
		"write-latency": into(&drive.WriteLatency, time.ParseDuration),
		"flush-latency": into(&drive.FlushLatency, time.ParseDuration),
		"jitter":        into(&drive.Jitter, asShare),
		"read-rate":     into(&drive.ReadRate, unit.ParseRate),
		"write-rate":    into(&drive.WriteRate, unit.ParseRate),
		"idle-power":    into(&drive.IdleWatts, asNumber),
		"read-energy":   into(&drive.ReadJoules, asJoulesPerGigabyte),
		"write-energy":  into(&drive.WriteJoules, asJoulesPerGigabyte),
	}, map[string]setter{
		"controller-resistance": into(&drive.ControllerResistance, asNumber),
		"fast-area": group(map[string]setter{
			"empty": into(&drive.Flash.FastEmpty, unit.ParseBytes), "least": into(&drive.Flash.FastLeast, unit.ParseBytes),
			"spent-rate": into(&drive.Flash.SpentRate, unit.ParseRate), "drain-rate": into(&drive.Flash.DrainRate, unit.ParseRate),
		}),
		"full-read": into(&drive.Flash.FullRead, asShare),
		"spare":     into(&drive.Flash.Spare, asShare),
		"disk": group(map[string]setter{
			"inner-rate": into(&drive.Disk.InnerRate, unit.ParseRate), "track-seek": into(&drive.Disk.TrackSeek, time.ParseDuration),
			"full-seek": into(&drive.Disk.FullSeek, time.ParseDuration), "rotation": into(&drive.Disk.Rotation, time.ParseDuration),
		}),
		"throttle": func(node document.Node) error { return parseStages(node, &drive.Throttle) },
	})
	return drive, err
}

func parseStages(node document.Node, stages *[]Stage) error {
	for _, element := range node.List() {
		stage := Stage{}
		err := read(element, map[string]setter{
			"at": into(&stage.At, unit.ParseCelsius), "until": into(&stage.Until, unit.ParseCelsius), "rate": into(&stage.Rate, unit.ParseRate),
		}, nil)
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
