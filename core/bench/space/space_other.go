//go:build !windows

package space

import (
	"github.com/shirou/gopsutil/v4/disk"

	"opengauge/core/unit"
)

// Of gives the space of the file system that a path is on.
func Of(path string) (Space, error) {
	usage, err := disk.Usage(path)
	if err != nil {
		return Space{}, err
	}
	return Space{Total: unit.Bytes(usage.Total), Free: unit.Bytes(usage.Free), Used: unit.Bytes(usage.Used),
		FileSystem: usage.Fstype}, nil
}

// Volumes lists what is mounted of devices.
func Volumes() ([]Volume, error) {
	partitions, err := disk.Partitions(false)
	var volumes []Volume
	for _, p := range partitions {
		volumes = append(volumes, Volume{Device: p.Device, At: p.Mountpoint, FileSystem: p.Fstype})
	}
	return volumes, err
}
