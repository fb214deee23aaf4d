// Package event names the kinds of events that may happen to storage while it is measured. Records keep them
// as texts. They are constants, for any goroutine.
package event

// The kinds of events.
const (
	Stall   = "stall"
	Dropout = "dropout"
	Return  = "return"
	// Flush is a flush that takes long, of storage that answers meanwhile.
	Flush = "flush"
	// Limit is a pass that its time ended before it had moved its amount.
	Limit = "limit"
	// Stranger says that where a device was another one is now.
	Stranger = "stranger"
	// Relink says that a hop runs at another rate than before.
	Relink = "relink"
	// Reset and Timeout are the kernel's words for a device that had
	// to be reset, or did not answer it; Kernel is any other warning.
	Reset   = "reset"
	Timeout = "timeout"
	Kernel  = "kernel"
	// Removed and Added say that the system lost or found a device.
	Removed = "removed"
	Added   = "added"
	// Probe says that a sensor failed, or works again.
	Probe = "probe"
	// Copy is a remark on the ends of copies.
	Copy = "copy"
	// Recording is a fault of a recording made elsewhere, and Clock a step of its clock.
	Recording = "recording"
	Clock     = "clock"
	// Host is news of the other hosts that measure together.
	Host = "host"
)

// OfLink reports whether a kind is of a link that does not hold.
func OfLink(kind string) bool { return kind == Relink || kind == Reset || kind == Timeout }
