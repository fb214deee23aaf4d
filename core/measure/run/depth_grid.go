package run

import (
	"math"

	"opengauge/core/plan"
	"opengauge/core/unit"
)

// depthGrid is the throughput over block sizes (rows) and queue depths
// (columns) of one adaptive sweep, as far as it was measured.
//
// Storage behaves alike at every block size: throughput rises in proportion to
// the depth, by Little's law, until something is full, and then stays. So the
// first and the last depth of each block size are measured, and one where its
// line through the origin meets its ceiling. Between them
//
//	T(d) = ((d T_1)^-p + T_max^-p)^(-1/p)
//
// is filled in, with the sharpness p of the bend from the point that was
// measured at it.
type depthGrid struct {
	blocks []unit.Bytes
	depths []int
	// rates are bytes a second, or 0 where nothing was measured.
	rates [][]float64
	// interval is the widest half interval of a measured point, as a share of
	// it.
	interval float64
}

const (
	// leastAlike and mostAlike bound how close two figures are that need nothing
	// measured between: the interval that they are known to.
	leastAlike, mostAlike = 0.02, 0.05
	// Bounds of the sharpness: from a slow bend to a corner.
	softest, sharpest = 0.5, 64.0
)

// budget is how many points may be measured.
func (g *depthGrid) budget() int {
	return int(plan.AdaptiveShare * float64(len(g.blocks)*len(g.depths)))
}

// alike is how close two figures are that need nothing measured between.
func (g *depthGrid) alike() float64 { return min(max(g.interval, leastAlike), mostAlike) }

// place is a point of the grid.
type place struct{ row, column int }

// edges are the points that are measured first.
func (g *depthGrid) edges() []place {
	var places []place
	for row := range g.blocks {
		places = append(places, place{row, 0}, place{row, len(g.depths) - 1})
	}
	return places
}

// next is the point that tells most, once the edges are known: of all rows that
// have no third point yet, the bend of the one that rises most; then the point
// of which the two ways to fill it in differ most. It is false where nothing
// worth measuring is left.
func (g *depthGrid) next() (place, bool) {
	alike := g.alike()
	best := place{}
	most := alike
	for row := range g.blocks {
		if g.measured(row) > 2 {
			continue
		}
		first := g.rates[row][0]
		last := g.rates[row][len(g.depths)-1]
		if rise := math.Log(last / first); rise > most {
			best = place{row, g.bend(row)}
			most = rise
		}
	}
	if most > alike {
		return best, true
	}
	for row := range g.blocks {
		for column := range g.depths {
			if g.rates[row][column] > 0 {
				continue
			}
			if apart := math.Abs(math.Log(g.model(row, column) / g.line(row, column))); apart > most {
				best = place{row, column}
				most = apart
			}
		}
	}
	return best, most > alike
}

func (g *depthGrid) measured(row int) int {
	count := 0
	for _, rate := range g.rates[row] {
		if rate > 0 {
			count++
		}
	}
	return count
}

// bend is the column, inside of the row, that is nearest to where the row's line
// meets its ceiling.
func (g *depthGrid) bend(row int) int {
	last := len(g.depths) - 1
	depth := float64(g.depths[0]) * g.rates[row][last] / g.rates[row][0]
	best := 1
	for column := 1; column < last; column++ {
		if math.Abs(math.Log(float64(g.depths[column])/depth)) < math.Abs(math.Log(float64(g.depths[best])/depth)) {
			best = column
		}
	}
	return best
}

// estimate returns the estimate for a point: the row's curve, moved to meet the measured points on both sides
// of it.
func (g *depthGrid) estimate(row, column int) float64 {
	if g.rates[row][column] > 0 {
		return g.rates[row][column]
	}
	miss := func(at int) float64 { return g.rates[row][at] / g.model(row, at) }
	return g.model(row, column) * g.between(row, column, miss)
}

// model is the row's curve at a column.
func (g *depthGrid) model(row, column int) float64 {
	return saturating(g.proportional(row, column), g.rates[row][len(g.depths)-1], g.sharpness(row))
}

// proportional is the row's line through the origin at a column.
func (g *depthGrid) proportional(row, column int) float64 {
	return g.rates[row][0] * float64(g.depths[column]) / float64(g.depths[0])
}

func saturating(line, ceiling, sharpness float64) float64 {
	return line / math.Pow(1+math.Pow(line/ceiling, sharpness), 1/sharpness)
}

// sharpness returns the sharpness of the curve which comes closest to the row's measured points between its
// edges; a corner where there are none.
func (g *depthGrid) sharpness(row int) float64 {
	best := sharpest
	least := math.Inf(1)
	for p := softest; p <= sharpest; p *= 1.1 {
		missed := 0.0
		points := 0
		for column := 1; column < len(g.depths)-1; column++ {
			if rate := g.rates[row][column]; rate > 0 {
				off := math.Log(saturating(g.proportional(row, column), g.rates[row][len(g.depths)-1], p) / rate)
				missed = missed + off*off
				points = points + 1
			}
		}
		if points == 0 {
			return sharpest
		}
		if missed < least {
			best = p
			least = missed
		}
	}
	return best
}

// line is the straight line, in logarithms, between the measured points on both
// sides of a column.
func (g *depthGrid) line(row, column int) float64 {
	return g.between(row, column, func(at int) float64 { return g.rates[row][at] })
}

// between is a figure of the measured columns on both sides of a column, drawn
// straight from one to the other in logarithms of the figure and of depth.
func (g *depthGrid) between(row, column int, figure func(column int) float64) float64 {
	left, right := g.neighbours(row, column)
	if left == right {
		return figure(column)
	}
	share := g.along(left, right, column)
	return math.Exp(math.Log(figure(left))*(1-share) + math.Log(figure(right))*share)
}

// neighbours are the measured columns on both sides, or twice the column itself.
func (g *depthGrid) neighbours(row, column int) (left, right int) {
	for left = column; g.rates[row][left] == 0; left-- {
	}
	for right = column; g.rates[row][right] == 0; right++ {
	}
	return left, right
}

// along is how far a column is from one to another, in logarithms of depth.
func (g *depthGrid) along(left, right, column int) float64 {
	whole := math.Log(float64(g.depths[right]) / float64(g.depths[left]))
	return math.Log(float64(g.depths[column])/float64(g.depths[left])) / whole
}
