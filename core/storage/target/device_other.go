//go:build !linux && !windows && !darwin

package target

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"runtime"

	"opengauge/core/unit"
)

// isDevice says whether a path is a block device's.
func isDevice(_ string, info fs.FileInfo) bool { return info != nil && info.Mode()&fs.ModeDevice != 0 }

// openDevice says that devices are not opened on this system yet.
func openDevice(path string, _ PathOptions) (Target, error) {
	return nil, fmt.Errorf("%s is a block device, which cannot be measured directly on %s yet; name a folder on it",
		path, runtime.GOOS)
}

// reopenDevice is for devices, which are not opened on this system.
func (k *kernelFile) reopenDevice(Recognise) error { return errors.ErrUnsupported }

// statisticsOf knows no counters on this system.
func statisticsOf(*os.File) string { return "" }

// counters knows none on this system.
func counters(string) (Counters, bool) { return Counters{}, false }

// smallestBlock is not known on this system.
func smallestBlock(*os.File) unit.Bytes { return 1 }
