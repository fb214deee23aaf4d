package survey

import (
	"opengauge/core/bench/link"
	"opengauge/core/bench/space"
	"opengauge/core/unit"
)

// volumes is what a survey can say where links are not read: the mounted
// volumes with their sizes.
func volumes() []Device {
	devices := []Device{}
	mounted, err := space.Volumes()
	if err != nil {
		return devices
	}
	for _, v := range mounted {
		room, err := space.Of(v.At)
		if err != nil || room.Total == 0 {
			continue
		}
		devices = append(devices, Device{
			Name: v.Device, Path: v.Device, Kind: UnknownDrive, Capacity: room.Total, Partitions: []Partition{},
			Mounts:              []Mount{{At: v.At, FileSystem: v.FileSystem, Source: v.Device, Free: &room.Free}},
			TemperaturesCelsius: map[string]unit.Celsius{}, Chain: link.NewChain(),
		})
	}
	return devices
}

// withSpace adds to what is mounted of this machine's devices what is free there. Where no
// disk tells of itself, what is mounted stands for them.
func withSpace(devices []Device) []Device {
	if len(devices) == 0 {
		return volumes()
	}
	for _, d := range devices {
		fill := func(mounts []Mount) {
			for i := range mounts {
				mounts[i].Free = freeAt(mounts[i].At)
			}
		}
		fill(d.Mounts)
		for _, p := range d.Partitions {
			fill(p.Mounts)
		}
	}
	return devices
}
