package space

import (
	"os"

	"golang.org/x/sys/windows"

	system "opengauge/core/bench/windows"
	"opengauge/core/unit"
)

// Of gives the space of the file system that a path is on, on a server too.
func Of(path string) (Space, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return Space{}, err
	}
	var mine, total, free uint64
	if err := windows.GetDiskFreeSpaceEx(name, &mine, &total, &free); err != nil {
		return Space{}, &os.PathError{Op: "GetDiskFreeSpaceEx", Path: path, Err: err}
	}
	s := Space{Total: unit.Bytes(total), Free: unit.Bytes(mine), Used: unit.Bytes(total - min(free, total))}
	s.FileSystem, _ = system.FileSystemOf(path)
	return s, nil
}

// Volumes lists the volumes that are mounted somewhere.
func Volumes() ([]Volume, error) {
	here := system.Here()
	paths, err := here.List(system.Volumes, "")
	if err != nil {
		return nil, err
	}
	var volumes []Volume
	for _, path := range paths {
		places, _ := here.List(system.Places, path)
		for _, place := range places {
			v := Volume{Device: path, At: place}
			v.FileSystem, _ = system.FileSystemOf(place)
			volumes = append(volumes, v)
		}
	}
	return volumes, nil
}
