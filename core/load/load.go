// Package load holds loads: what is asked of the storage, as one value. Plans,
// sessions, estimates, the engine, comparisons and figures embed it, so that
// "are these alike?" is asked in one place, by comparing loads.
//
// Where in a plan a load was run (its step, its turn, its fill level) is no part
// of it. Values of this package may be used by several goroutines at once.
package load

import (
	"fmt"
	"strings"
	"time"

	"opengauge/core/unit"
)

// Load is one kind of I/O on the storage. Two passes are alike if their loads are equal; [Load.Identity]
// first brings loads into the form in which they compare.
type Load struct {
	Operation Operation  `json:"operation"`
	Access    Access     `json:"access"`
	Block     unit.Bytes `json:"block_bytes"`
	// Depth is how many operations each worker keeps under way, and Workers how
	// many drive a queue each.
	Depth   int `json:"depth"`
	Workers int `json:"workers"`
	// WriteShare is the share of operations that write: 0 reads, 1 writes.
	WriteShare float64 `json:"write_share"`
	// CompressibleShare is how much of the written data can be compressed away.
	CompressibleShare float64 `json:"compressible_share"`
	// Rate is how many operations arrive a second, of all workers together; 0 is
	// as many as the storage takes.
	Rate float64 `json:"rate_per_second,omitempty"`
	// Durable asks that each write is on stable media before it is complete.
	Durable bool `json:"durable,omitempty"`
	// Span is the part of the target, from its start, that is touched; 0 is all.
	Span unit.Bytes `json:"span_bytes,omitempty"`
	// Sustained says that it was asked to last: see [Lasts].
	Sustained bool `json:"sustained,omitempty"`
}

// Operation is a kind of operation on the storage.
type Operation string

// The operations that a load may have.
const (
	Read  Operation = "read"
	Write Operation = "write"
	Mixed Operation = "mixed"
)

// Writes reports whether the operation changes the storage.
func (o Operation) Writes() bool { return o != Read }

// share is the share of operations that write, where nobody says.
func (o Operation) share() float64 {
	if o == Write {
		return 1
	}
	return 0
}

// Access is the order in which a load goes over its span.
type Access string

// The access orders that a load may have.
const (
	Sequential Access = "sequential"
	Random     Access = "random"
)

// New is a load of one operation at the usual of everything else.
func New(operation Operation, access Access, block unit.Bytes, depth int) Load {
	return Load{
		Operation: operation, Access: access, Block: block, Depth: depth,
		Workers: 1, WriteShare: operation.share(),
	}
}

// Sustained loads are asked to last for so long at the least: for heat, and for
// write areas that run out. This is the one definition of "sustained".
const sustained = 45 * time.Second

// Lasts reports whether a load that is asked to run for that long is a sustained
// one, which tells of more than a burst does.
func Lasts(asked time.Duration) bool { return asked >= sustained }

// bulk is the smallest block in which files of some size are moved: below it, the fixed cost of an operation
// counts.
const bulk = 128 * unit.KiB

// Bulk reports whether the load moves data as large files are moved: in order, in large
// blocks, and as fast as the storage takes it.
func (l Load) Bulk() bool {
	return l.Access == Sequential && l.Block >= bulk && l.Operation != Mixed && !l.Scheduled()
}

// Writes reports whether the load changes the storage.
func (l Load) Writes() bool { return l.WriteShare > 0 || l.Operation.Writes() }

// Scheduled reports whether operations arrive at a rate, whatever the storage
// does.
func (l Load) Scheduled() bool { return l.Rate > 0 }

// Outstanding is how many operations are under way at once, of all workers.
func (l Load) Outstanding() int { return max(l.Depth, 1) * max(l.Workers, 1) }

// Identity is the load in the form in which loads are compared: fields that older records lack count as the
// usual.
func (l Load) Identity() Load {
	l.Workers = max(l.Workers, 1)
	l.Depth = max(l.Depth, 1)
	if l.Operation != Mixed {
		l.WriteShare = l.Operation.share()
	}
	return l
}

// String names the load for people: "read random 4 KiB, depth 32, 2 workers".
func (l Load) String() string {
	l.Sustained = false
	return l.Long()
}

// Long is like [Load.String], and says of a sustained load that it is one.
func (l Load) Long() string { return l.Shape() + ", " + l.phrases(Dimensions[always-1:]) }

// Shape names an operation of the load, whatever the number of them at once: "read random 4 KiB".
func (l Load) Shape() string {
	return strings.ReplaceAll(l.phrases(Dimensions[:always-1]), ", ", " ")
}

// Besides names the dimensions besides operation, access, block and depth that are unusual: "2 workers, 30 %
// writes", or nothing.
func (l Load) Besides() string {
	l.Sustained = false
	return l.phrases(Dimensions[always:])
}

func (l Load) phrases(of []Dimension) string {
	var texts []string
	for _, d := range of {
		if text := d.Text(l); text != "" {
			texts = append(texts, text)
		}
	}
	return strings.Join(texts, ", ")
}

// Full is the part of a label for the share of the storage that is filled besides a load: ", 50 % full", or
// nothing.
func Full(share float64) string {
	if share <= 0 {
		return ""
	}
	return fmt.Sprintf(", %.0f %% full", share*100)
}
