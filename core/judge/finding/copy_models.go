package finding

import (
	"cmp"
	"math"
	"slices"

	"opengauge/core/stat"
)

const (
	// overhead is by how much a copy usually stays below the slower of its ends, as a
	// logarithm, and overheadSpread how much that differs.
	overhead, overheadSpread = 0.04, 0.06
	// inTurnSpread is how well the sum of both ends' times is met where they take turns,
	// filesSpread the same of many files, some of whose turns overlap by about overlap, and
	// hopSpread how well half of a shared hop is.
	inTurnSpread, filesSpread, overlap, hopSpread = 0.12, 0.2, 0.15, 0.05
	// onceKnown is how well a figure is known that was measured once, as a share, and
	// bestKnown the most that repeats make of it.
	onceKnown, bestKnown = 0.03, 0.01
)

// Possible limits of a copy, as evidence names them.
const (
	bySource      = "source"
	byDestination = "destination"
	byBoth        = "both"
	byHop         = "shared hop"
	byFiles       = "many files"
	byDevice      = "same device"
	byBetween     = "between"
)

// figured is a throughput with how well it is known, as a share of it.
type figured struct{ value, error float64 }

// figuredOf is the median of repeats, known as well as they agree.
func figuredOf(rates []float64) figured {
	if len(rates) == 0 {
		return figured{}
	}
	f := figured{value: stat.Median(rates), error: onceKnown}
	if n := float64(len(rates)); n > 1 {
		square := 0.0
		for _, rate := range rates {
			square += math.Pow(math.Log(rate/f.value), 2)
		}
		f.error = max(math.Sqrt(square/(n-1)/n), bestKnown)
	}
	return f
}

// holder is something that may hold a copy, and how likely it is beside the others.
type holder struct {
	name  string
	share float64
}

// holders are possible limits of a copy, the likeliest first. The rate that each would give is held against
// the one measured, with the spread of repeats of all three figures.
func (c *measuredCopy) holders() []holder {
	slower := min(c.source.value, c.dest.value)
	error := math.Hypot(c.whole.error, max(c.source.error, c.dest.error))
	off := func(expected, spread, shift float64) float64 {
		wide := math.Hypot(spread, error)
		z := (math.Log(c.whole.value/expected) + shift) / wide
		return math.Exp(-z*z/2) / wide
	}
	// Which end is the slower is itself only known as well as their intervals let it be.
	apart := math.Log(c.dest.value/c.source.value) / math.Hypot(c.source.error, c.dest.error)
	source := math.Erfc(-apart/math.Sqrt2) / 2
	ends := 0.6 * off(slower, overheadSpread, overhead)
	inTurn := 1 / (1/c.source.value + 1/c.dest.value)
	all := []holder{{bySource, ends * source}, {byDestination, ends * (1 - source)}}
	switch {
	case c.sameDevice(): // which reads and writes in turn, whatever the files
		all = append(all, holder{byDevice, 0.9 * off(inTurn, inTurnSpread, 0)})
	case c.first.Spread.Median < manyFiles && c.first.Parallel <= 1:
		// Where one end is far the slower, its own turns are nearly all of them.
		both := 2 * (1 - inTurn/slower)
		all = append(all, holder{byFiles, 0.4 * both * off(inTurn, filesSpread, -overlap)})
	}
	if hop, shared := sharedHopOf(c.from().Chain, c.to().Chain); shared {
		half := min(max(c.whole.value, float64(hop.Usable.Low)/2), float64(hop.Usable.High)/2)
		all = append(all, holder{byHop, 0.5 * off(half, hopSpread, 0)})
	}
	// Anything else may leave anything below the slower end; above both, one of the
	// figures is not of the same state.
	const decades = 2.3
	all = append(all, holder{byBetween, 0.06 / decades})
	sum := 0.0
	for _, h := range all {
		sum += h.share
	}
	for i := range all {
		all[i].share /= sum
	}
	slices.SortStableFunc(all, func(a, b holder) int { return cmp.Compare(b.share, a.share) })
	return all
}

// sameDevice says whether both ends are on one device.
func (c *measuredCopy) sameDevice() bool {
	from := c.from()
	to := c.to()
	return from.Device != "" && from.Device == to.Device
}
