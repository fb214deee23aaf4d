package explain

import (
	"math"
	"slices"

	"opengauge/core/bench/book"
	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
)

// Context is what is known of a pass besides its samples.
type Context struct {
	// Writes says that at least a half of what it asks for is written.
	Writes bool
	// Volume is how likely it is that limits are provisioned for it: 1 of a volume, 0
	// of a drive on the bench; in between it is for the recording to say.
	Volume float64
	// Wire says that it is a network alone, with no storage behind it.
	Wire bool
	// Disk says that it is known to be a disk with zones.
	Disk bool
	// Counted says that the drive counts how often it slows itself, and Slowdowns how
	// often it did.
	Counted   bool
	Slowdowns int64
	// Relinked are the times at which the system told of a reset or a relink, since the
	// pass began to count.
	Relinked []float64
	// Elsewhere says that somebody else's traffic was counted by the system.
	Elsewhere bool
	// Ladder is the usable rates of the chain's narrowest hop and of those that it can
	// fall to; empty where there is no chain.
	Ladder []link.Range
}

// StorageCondition is the condition by which a recording says what it is of.
const StorageCondition = "storage"

// What the condition may say.
const (
	StorageDrive  = "drive"
	StorageDisk   = "disk"
	StorageVolume = "volume"
)

// Storages are all that the condition may say.
var Storages = []string{StorageDrive, StorageDisk, StorageVolume}

// unknownVolume is how likely a recording of which nothing is known is one of a volume.
const unknownVolume = 0.35

// ContextOf gathers what a session says of a pass.
func ContextOf(s *session.Session, pass *session.Pass) Context {
	c := Context{Writes: pass.Operation == load.Write || pass.WriteShare >= 0.5, Volume: volumeShare(s)}
	c.Disk = s.Conditions[StorageCondition] == StorageDisk
	c.Wire = s.Target.Kind == string(target.Wire)
	c.Counted, c.Slowdowns = Slowdowns(pass)
	for _, e := range s.Events {
		since := e.TSeconds - pass.StartedSeconds
		if event.OfLink(e.Kind) && since >= 0 && since <= pass.ElapsedSeconds {
			c.Relinked = append(c.Relinked, since)
		}
	}
	if pass.DeviceBytes != nil && pass.Direct && pass.Bytes > 0 {
		c.Elsewhere = float64(*pass.DeviceBytes) > 1.05*float64(pass.Bytes)+8e6
	}
	if hop, ok := s.Chain.Binding(); ok && !book.IsLimit(hop) {
		c.Ladder = ladderBelow(hop)
	}
	return c
}

func volumeShare(s *session.Session) float64 {
	switch s.Conditions[StorageCondition] {
	case StorageVolume:
		return 1
	case StorageDrive, StorageDisk:
		return 0
	}
	_, hasVolume := s.Part(book.Volume)
	switch {
	case hasVolume || slices.ContainsFunc(s.Chain.Hops, book.IsLimit) || s.Target.Kind == string(target.Volume):
		return 1
	case s.Target.Kind == recordedElsewhere || s.Target.Kind == "":
		return unknownVolume
	}
	return 0
}

// Slowdowns is how often a drive says that it slowed itself in a pass, and whether it
// counts.
func Slowdowns(pass *session.Pass) (counted bool, grown int64) {
	if pass.Link == nil {
		return false, 0
	}
	for name, after := range pass.Link.After.Counters {
		if counter := link.Counted(name); counter == link.LightSlowdowns || counter == link.HeavySlowdowns {
			counted = true
			grown += after - pass.Link.Before.Counters[name]
		}
	}
	return counted, grown
}

// ladderBelow is what a hop can fall to: the rates of its family that are not above it.
func ladderBelow(hop link.Hop) []link.Range {
	standard, err := link.Find(hop.Standard)
	if err != nil {
		return nil
	}
	var found []link.Range
	for _, other := range link.Standards() {
		usable := other.Ceiling().Usable
		if other.Family == standard.Family && usable.High <= standard.Ceiling().Usable.High {
			found = append(found, usable)
		}
	}
	return found
}

// ladders are the usable rates of the links that drives and enclosures fall back on,
// a family each.
func ladders() map[string][]link.Range {
	found := map[string][]link.Range{}
	for _, standard := range link.Standards() {
		if slices.Contains([]string{"PCI Express", "USB", "SATA"}, standard.Family) && standard.Lanes <= 4 {
			found[standard.Family] = append(found[standard.Family], standard.Ceiling().Usable)
		}
	}
	return found
}

// odds is the logarithm of a weight; nothing is impossible.
func odds(weight float64) float64 { return math.Log(max(weight, 1e-6)) }
