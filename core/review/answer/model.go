// Package answer says what a review answers: which option is the best, how sure that is, by
// how much, why, and what would help most where it is not sure yet.
//
// Figures are compared as shares, on logarithms, within blocks that share a day and a host.
// What repeats is the set-up put together anew, so that each visit is one observation. It
// only reads, and its functions may be called by several goroutines at once.
package answer

import (
	"fmt"
	"math"
	"slices"

	"opengauge/core/review/reading"
	"opengauge/core/stat"
)

// observation is one visit with a figure.
type observation struct {
	cell string
	// y is the larger the better, as a logarithm.
	y     float64
	block string
}

// model is what cells and blocks explain of the observations.
type model struct {
	cells  []string
	blocks []string
	shares []float64 // of the observations, that each block has

	observations []observation
	fit          stat.Fit
	ok           bool
}

// least is the smallest spread of a set-up that is believed: clocks and sizes are no better.
const least = 0.001

func modelOf(observations []observation) model {
	m := model{observations: observations}
	for _, o := range observations {
		if !slices.Contains(m.cells, o.cell) {
			m.cells = append(m.cells, o.cell)
		}
		if !slices.Contains(m.blocks, o.block) {
			m.blocks = append(m.blocks, o.block)
		}
	}
	m.shares = make([]float64, len(m.blocks))
	rows, ys := make([][]float64, len(observations)), make([]float64, len(observations))
	for i, o := range observations {
		rows[i], ys[i] = m.row(o.cell, o.block), o.y
		m.shares[slices.Index(m.blocks, o.block)] += 1 / float64(len(observations))
	}
	m.fit, m.ok = stat.FitLinear(rows, ys)
	m.fit.Sigma = max(m.fit.Sigma, least)
	return m
}

// row has a column a cell, and one a block but the first.
func (m *model) row(cell, block string) []float64 {
	row := make([]float64, len(m.cells)+len(m.blocks)-1)
	row[slices.Index(m.cells, cell)] = 1
	if at := slices.Index(m.blocks, block); at > 0 {
		row[len(m.cells)+at-1] = 1
	}
	return row
}

// estimate is a weighted sum of what cells do, and how exact that is known.
type estimate struct {
	value, variance, sigma float64
	freedom                int
	told                   bool
}

// doubtAbove is how likely it is at the most that the sum is below a level, although it looks
// as it does.
func (e estimate) doubtAbove(level float64) float64 {
	if !e.told {
		return 1
	}
	return min(1/stat.Evidence(e.value-level, e.sigma, e.variance, e.freedom), 1)
}

// half is how far the sum may be from its value.
func (e estimate) half(doubt float64) float64 {
	if !e.told {
		return math.Inf(1)
	}
	return stat.HalfWidth(e.sigma, e.variance, e.freedom, doubt)
}

// of gives a sum over cells. Where the weights do not add up to nothing, it is in a block as
// they are on average.
func (m *model) of(weights map[string]float64) estimate {
	if !m.ok {
		return estimate{}
	}
	row, sum := make([]float64, len(m.cells)+len(m.blocks)-1), 0.0
	for cell, weight := range weights {
		at := slices.Index(m.cells, cell)
		if at < 0 {
			return estimate{}
		}
		row[at] += weight
		sum += weight
	}
	shares := m.sharesWith(weights)
	for at := 1; at < len(m.blocks); at++ {
		row[len(m.cells)+at-1] = sum * shares[at]
	}
	e := estimate{sigma: m.fit.Sigma, freedom: m.fit.Freedom}
	e.value, e.variance, e.told = m.fit.Contrast(row)
	return e
}

// sharesWith are the shares of the blocks that are told from those in which some cells
// are: what no cell joins to them is nothing to average over.
func (m *model) sharesWith(weights map[string]float64) []float64 {
	in := make([]bool, len(m.blocks))
	cells := map[string]bool{}
	for cell := range weights {
		cells[cell] = true
	}
	for grown := true; grown; {
		grown = false
		for _, o := range m.observations {
			at := slices.Index(m.blocks, o.block)
			if in[at] != cells[o.cell] {
				in[at], cells[o.cell], grown = true, true, true
			}
		}
	}
	shares, sum := make([]float64, len(m.blocks)), 0.0
	for at, share := range m.shares {
		if in[at] {
			shares[at], sum = share, sum+share
		}
	}
	for at := range shares {
		shares[at] /= max(sum, 1e-12)
	}
	return shares
}

// models are the same observations in blocks of a day at a host, and in blocks of a day.
type models struct{ fine, coarse model }

func modelsOf(visits []reading.Visit, goodness func(*reading.Visit) float64) models {
	var fine, coarse []observation
	for i := range visits {
		v := &visits[i]
		if !v.Known() {
			continue
		}
		day := fmt.Sprintf("%s, side %d", v.Day, v.Side)
		if v.Adopted {
			day += ", before"
		}
		coarse = append(coarse, observation{v.Cell, goodness(v), day})
		fine = append(fine, observation{v.Cell, goodness(v), day + ", " + v.Host})
	}
	made := models{fine: modelOf(fine), coarse: modelOf(coarse)}
	byHand := handSpread(visits)
	made.fine.fit.Sigma, made.coarse.fit.Sigma = max(made.fine.fit.Sigma, byHand), max(made.coarse.fit.Sigma, byHand)
	return made
}

// handSpread is what a reaction makes of the spread of figures whose times were taken by
// hand, as a standard deviation of their logarithms: its uncertainty is taken for a 95 %
// interval.
func handSpread(visits []reading.Visit) float64 {
	const deviations = 1.96
	widest := 0.0
	for i := range visits {
		for _, s := range visits[i].Sessions {
			for j := range s.Copies {
				widest = max(widest, s.Copies[j].HandShare())
			}
		}
	}
	return widest / deviations
}

// of gives a sum over cells by the finest blocks that tell it.
func (m *models) of(weights map[string]float64) estimate {
	if e := m.fine.of(weights); e.told {
		return e
	}
	return m.coarse.of(weights)
}

// with is the variance that a sum would have with one more visit of a cell in a block.
func (m *models) with(weights map[string]float64, cell, block string) float64 {
	ahead := modelOf(append(slices.Clone(m.fine.observations), observation{cell, 0, block}))
	e := ahead.of(weights)
	if !e.told {
		return math.Inf(1)
	}
	return e.variance
}
