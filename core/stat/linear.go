package stat

import (
	"math"

	"gonum.org/v1/gonum/mat"
)

// Fit is a linear model that was fitted by least squares.
type Fit struct {
	// Freedom is how many observations are left over, and Sigma the deviation that they
	// have, 0 where none is.
	Freedom int
	Sigma   float64

	coefficients []float64
	// inverse is the pseudo-inverse of the columns' products, and within projects on what
	// the rows tell of.
	inverse, within *mat.Dense
}

// smallest is below which share of the largest a singular value counts as none.
const smallest = 1e-9

// FitLinear fits observations by columns, a row of columns an observation. Columns may
// depend on each other: then some contrasts are not told, and [Fit.Contrast] says so
// (Searle, Linear Models, 1971, 5.4).
func FitLinear(rows [][]float64, observed []float64) (Fit, bool) {
	if len(rows) == 0 || len(rows) != len(observed) || len(rows[0]) == 0 {
		return Fit{}, false
	}
	columns := len(rows[0])
	x := mat.NewDense(len(rows), columns, nil)
	for i, row := range rows {
		x.SetRow(i, row)
	}
	var svd mat.SVD
	if !svd.Factorize(x, mat.SVDThin) {
		return Fit{}, false
	}
	values := svd.Values(nil)
	rank := 0
	for rank < len(values) && values[rank] > smallest*values[0] {
		rank++
	}
	var v mat.Dense
	svd.VTo(&v)
	f := Fit{Freedom: len(rows) - rank, inverse: mat.NewDense(columns, columns, nil),
		within: mat.NewDense(columns, columns, nil)}
	for k := range rank {
		column := v.ColView(k)
		f.inverse.RankOne(f.inverse, 1/(values[k]*values[k]), column, column)
		f.within.RankOne(f.within, 1, column, column)
	}
	f.solve(x, observed)
	return f, true
}

func (f *Fit) solve(x *mat.Dense, observed []float64) {
	y := mat.NewVecDense(len(observed), observed)
	var products, solution, fitted, residual mat.VecDense
	products.MulVec(x.T(), y)
	solution.MulVec(f.inverse, &products)
	f.coefficients = solution.RawVector().Data
	if f.Freedom == 0 {
		return
	}
	fitted.MulVec(x, &solution)
	residual.SubVec(y, &fitted)
	f.Sigma = math.Sqrt(mat.Dot(&residual, &residual) / float64(f.Freedom))
}

// Contrast gives a weighted sum of the coefficients, and its variance in units of an
// observation's. It is false where the observations do not tell it.
func (f *Fit) Contrast(weights []float64) (estimate, variance float64, told bool) {
	w := mat.NewVecDense(len(weights), weights)
	var projected, spread mat.VecDense
	projected.MulVec(f.within, w)
	projected.SubVec(&projected, w)
	if mat.Norm(&projected, 2) > 1e-6*math.Max(mat.Norm(w, 2), 1) {
		return 0, 0, false
	}
	for i, weight := range weights {
		estimate += weight * f.coefficients[i]
	}
	spread.MulVec(f.inverse, w)
	return estimate, mat.Dot(w, &spread), true
}

// Rank is how many of some columns are independent, a row an observation.
func Rank(rows [][]float64) int {
	if len(rows) == 0 || len(rows[0]) == 0 {
		return 0
	}
	f, ok := FitLinear(rows, make([]float64, len(rows)))
	if !ok {
		return 0
	}
	return len(rows) - f.Freedom
}
