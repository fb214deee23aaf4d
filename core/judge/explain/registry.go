package explain

import (
	"fmt"
	"slices"
)

// Kinds of findings that an explanation is of.
const (
	HeatThrottle    = "heat-throttle"
	CacheExhausted  = "cache-exhausted"
	CreditExhausted = "credit-exhausted"
	LinkDegraded    = "link-degraded"
	BackgroundLoad  = "background-load"
)

// Kinds are all of them.
var Kinds = []string{HeatThrottle, CacheExhausted, CreditExhausted, LinkDegraded, BackgroundLoad}

// shorts are what kinds are called where there is little room.
var shorts = map[string]string{
	HeatThrottle: "heat", CacheExhausted: "write area", CreditExhausted: "allowance", LinkDegraded: "link",
	BackgroundLoad: "somebody else",
}

// Short is what a kind is called where there is little room.
func Short(kind string) string { return shorts[kind] }

// Explanation is one account of how a recording came to be.
type Explanation struct {
	// Name is what it is called in shares: "heat, on and off".
	Name string
	// Says is what it says of a recording, in a sentence.
	Says string
	// Kinds are the kinds of findings that it is of; none of what is no fault, and of
	// what has no name.
	Kinds []string
	// Benign explanations are of healthy storage.
	Benign bool
	// storage says that only storage does it, and no network.
	storage bool
	// drive and volume are how often it occurs on a drive and on a volume, for reads and
	// for writes, among recordings that change.
	drive, volume often
	fit           func(e *evidence) (fit, bool)
}

// often is how often something occurs, in parts of any whole.
type often struct{ reading, writing float64 }

func (o often) of(writes bool) float64 {
	if writes {
		return o.writing
	}
	return o.reading
}

// evenly is for reads and writes alike.
func evenly(weight float64) often { return often{weight, weight} }

func (x *Explanation) has(kind string) bool { return slices.Contains(x.Kinds, kind) }

// Possible says whether it can be at all: what only storage does is not done by a network
// alone.
func (x *Explanation) Possible(c Context) bool { return !c.Wire || !x.storage }

// Weight is how often an explanation occurs, in parts of any whole, of reads or writes,
// where it is so likely that it is a volume.
func (x *Explanation) Weight(writes bool, volume float64) float64 {
	return (1-volume)*x.drive.of(writes) + volume*x.volume.of(writes)
}

// Figure is what an explanation says of a quantity, with the range that it lies in at
// 95 %.
type Figure struct {
	// Name ends in the unit.
	Name             string
	Value, Low, High float64
}

// fit is an explanation as it lies best to a recording.
type fit struct {
	facts   []Fact
	curve   []float64 // logarithm of the rate, for each moving bin
	figures []Figure
	// slow are the stretches of moving bins that it is about, as [from, to).
	slow [][2]int
	// slowOf are those of one kind, where an explanation is of two.
	slowOf map[string][][2]int
}

// add notes a fact; one that moves nothing is none.
func (f *fit) add(nats float64, format string, arguments ...any) {
	if nats > 0.05 || nats < -0.05 {
		f.facts = append(f.facts, Fact{Says: fmt.Sprintf(format, arguments...), Nats: nats})
	}
}

// either notes a fact in the words that fit the way in which it moves the odds.
func (f *fit) either(nats float64, speaks, against string) {
	if nats < 0 {
		speaks = against
	}
	f.add(nats, "%s", speaks)
}

func (f *fit) nats() float64 {
	sum := 0.0
	for _, fact := range f.facts {
		sum += fact.Nats
	}
	return sum
}

// Explanations are all that compete. Their weights are priors: how often each occurs
// among recordings in which throughput changes, as far as is known.
var Explanations = []*Explanation{
	{Name: "steady", Says: "throughput holds, but for noise", Benign: true,
		drive: evenly(0.3), volume: evenly(0.3), fit: fitSteady},
	{Name: "slow drift", Says: "throughput changes little by little, as over a disk's zones", Benign: true,
		drive: evenly(0.1), volume: evenly(0.03), fit: fitDrift},
	{Name: "warm-up ramp", Says: "it is slow at first and then holds", Benign: true,
		drive: evenly(0.06), volume: evenly(0.04), fit: fitRamp},
	{Name: "housekeeping", storage: true, Says: "the drive looks after itself for moments", Benign: true,
		drive: evenly(0.12), volume: evenly(0.04), fit: fitHousekeeping},

	{Name: "heat, on and off", storage: true,
		Says:  "the drive slows itself above one temperature, until it is below another",
		Kinds: []string{HeatThrottle}, drive: evenly(0.16), volume: evenly(0.001), fit: fitOnOff},
	{Name: "heat, held", storage: true, Says: "the drive slows itself by as much as it takes to hold a temperature",
		Kinds: []string{HeatThrottle}, drive: evenly(0.08), volume: evenly(0.0005), fit: fitHeld},
	{Name: "heat, for good", storage: true, Says: "the drive slowed itself at a temperature, and stayed slow",
		Kinds: []string{HeatThrottle}, drive: often{0.08, 0.03}, volume: evenly(0.0005), fit: fitLatched},

	{Name: "write area", storage: true, Says: "the fast write area is full", Kinds: []string{CacheExhausted},
		drive: often{1e-6, 0.24}, volume: often{1e-6, 0.01}, fit: fitCliff},
	{Name: "write area, gradual", storage: true, Says: "the fast write area fills up, and throughput with it",
		Kinds: []string{CacheExhausted}, drive: often{1e-6, 0.05}, volume: often{1e-6, 0.002}, fit: fitGradual},
	{Name: "write area, refilled", storage: true, Says: "the fast write area is emptied behind, and spent again",
		Kinds: []string{CacheExhausted}, drive: often{1e-6, 0.04}, volume: often{1e-6, 0.002}, fit: fitRefilled},

	{Name: "burst allowance", Says: "a burst allowance is spent", Kinds: []string{CreditExhausted},
		drive: evenly(0.002), volume: evenly(0.3), fit: fitAllowance},

	{Name: "link fell", Says: "a link came back at a lower rate", Kinds: []string{LinkDegraded},
		drive: often{0.045, 0.02}, volume: evenly(0.002), fit: fitLinkFell},

	{Name: "somebody else", Says: "something else used the storage for a while", Kinds: []string{BackgroundLoad},
		drive: evenly(0.08), volume: evenly(0.12), fit: fitOthers},

	{Name: "heat and write area", storage: true, Says: "the drive slows itself when hot, and its fast write area runs out",
		Kinds: []string{HeatThrottle, CacheExhausted}, drive: often{1e-6, 0.04}, volume: often{1e-6, 1e-5},
		fit: fitHeatAndCliff},
	{Name: "allowance and somebody else", Says: "a burst allowance is spent, and something else used the storage",
		Kinds: []string{CreditExhausted, BackgroundLoad}, drive: evenly(0.0003), volume: evenly(0.05),
		fit: fitAllowanceAndOthers},
	{Name: "write area and somebody else", storage: true,
		Says:  "the fast write area ran out, and something else used the storage",
		Kinds: []string{CacheExhausted, BackgroundLoad}, drive: often{1e-6, 0.015}, volume: often{1e-6, 1e-4},
		fit: fitCliffAndOthers},

	{Name: "something else", Says: "levels and times without any order that is known",
		drive: evenly(0.04), volume: evenly(0.03), fit: fitFree},
}
