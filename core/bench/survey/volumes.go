package survey

import (
	"runtime"

	"github.com/shirou/gopsutil/v4/disk"

	"opengauge/core/bench/link"
	"opengauge/core/unit"
)

// LinksAreRead says whether this system's links are read at all.
const LinksAreRead = runtime.GOOS == "linux"

// volumes is what a survey can say where links are not read: the mounted
// volumes with their sizes.
func volumes() []Device {
	devices := []Device{}
	partitions, err := disk.Partitions(false)
	if err != nil {
		return devices
	}
	for _, p := range partitions {
		usage, err := disk.Usage(p.Mountpoint)
		if err != nil || usage.Total == 0 {
			continue
		}
		devices = append(devices, Device{
			Name: p.Device, Path: p.Device, Kind: UnknownDrive, Capacity: unit.Bytes(usage.Total),
			Partitions: []Partition{},
			Mounts: []Mount{{At: p.Mountpoint, FileSystem: p.Fstype, Source: p.Device,
				Free: freeAt(p.Mountpoint)}},
			TemperaturesCelsius: map[string]unit.Celsius{}, Chain: link.NewChain(),
		})
	}
	return devices
}
