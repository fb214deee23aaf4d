package transfer

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/bench/survey"
	"opengauge/core/record/session"
	"opengauge/core/storage/address"
	"opengauge/core/storage/scratch"
	"opengauge/core/storage/sim"
	"opengauge/core/storage/target"
)

// SimulatedEnd is a simulated part, opened by its address, as an end.
func SimulatedEnd(named string, opened address.Opened) (Endpoint, error) {
	part, ok := opened.Target.(*sim.Device)
	if !ok {
		return Endpoint{}, fmt.Errorf("%s is no simulated part", named)
	}
	return Endpoint{
		End: session.End{
			Address: named, Kind: "simulated", CapacityBytes: part.Description().Capacity, Chain: opened.Chain,
			Parts: opened.Parts,
		},
		Simulated: part, Temperatures: part.Temperatures,
	}, nil
}

// FolderEnd looks at a folder, and reads the sensors of its device until the returned function is called; the
// function is nil where there are none. A single file is an end only if it is the one that is copied, own.
// The chain comes from the bench book, or is nil. A name that cannot be an end is [address.Misused].
func FolderEnd(named, own string, chain *book.Setup) (Endpoint, func(), error) {
	info, err := os.Stat(named)
	if err != nil {
		return Endpoint{}, nil, fmt.Errorf("could not look at %s: %w", named, errors.Unwrap(err))
	}
	path := named
	if err := target.CheckMounted(named); err != nil {
		return Endpoint{}, nil, err
	}
	if !info.IsDir() {
		if own != named {
			return Endpoint{}, nil, address.Misused{
				Cause: fmt.Errorf("%s is no folder; name a folder to copy to", named),
			}
		}
		path = filepath.Dir(named)
	}
	if path, err = filepath.Abs(path); err != nil {
		return Endpoint{}, nil, err
	}
	_ = scratch.Sweep(path, func(scratch.Leftover) {}) // what killed copies left
	end := Endpoint{End: session.End{Address: named, Kind: "folder", Path: path, Chain: link.NewChain()}}
	machine := survey.Here()
	var stop func()
	if device, mount, ok := machine.DeviceOf(path); ok {
		end.Device, end.DeviceModel, end.CapacityBytes, end.Chain, end.FileSystem = device.Path, device.Model,
			device.Capacity, device.Chain, mount.FileSystem
		poller := sensor.NewPoller(machine.Sensors(device))
		stop = poller.Start(func(string) {})
		end.Temperatures = poller.Temperatures
	}
	if chain != nil {
		end.Chain = chain.Merge(end.Chain)
		end.Parts = append([]book.Part{}, chain.Parts...)
	}
	return end, stop, nil
}
