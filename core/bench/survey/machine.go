// Package survey finds out what a machine has: its storage devices, the hops
// from the root of the machine to each, how warm and how healthy they are, and
// what else a measurement depends on. Linux tells of itself in files (sysfs and
// procfs), which are read here; what other systems tell is read by packages of
// their own and becomes devices here. Any of them may be this machine or a
// capture of one, on whatever system the program runs. What cannot be read is
// unknown, and never guessed.
//
// A [Machine] may be read by several goroutines at once; the links are watched by one
// of their own.
package survey

import (
	"fmt"
	"iter"
	"os"
	"path"
	"path/filepath"
	"sync"
	"time"

	"opengauge/core/bench/kernel"
	"opengauge/core/bench/network"
)

// Machine is a machine that is looked at: this one, or the files of another.
type Machine struct {
	kernel.Tree
	// live says that it is this machine, whose devices can be asked.
	live bool
	// asker is what netlink is asked through; nil is as usual.
	asker network.Asker
	// other is what tells of a machine that is not Linux; nil for one that is.
	other foreign

	lock sync.Mutex
	// untold is what was not told for want of rights, and recent what another system told
	// last of its devices.
	untold   []string
	recent   []Device
	recentAt time.Time
}

// Here is this machine.
func Here() *Machine { return &Machine{Tree: kernel.Here(), live: true, other: otherHere()} }

// Under is the machine whose files are under a folder, or in a capture.
func Under(place string) (*Machine, error) {
	info, err := os.Stat(place)
	if err != nil {
		return nil, fmt.Errorf("could not look at %s: %w", place, err)
	}
	if !info.IsDir() {
		return openCapture(place)
	}
	if _, err := os.Stat(filepath.Join(place, "sys")); err != nil {
		return nil, fmt.Errorf("%s holds no folder \"sys\"; name the folder that a machine's sys and proc are in, "+
			"or a capture", place)
	}
	return &Machine{Tree: kernel.Under(place)}, nil
}

// upwards gives a folder of sysfs and those that it is in, up to the machine's
// root.
func upwards(folder string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for len(folder) > len("sys/devices") && yield(folder) {
			folder = path.Dir(folder)
		}
	}
}
