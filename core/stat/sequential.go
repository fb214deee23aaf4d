package stat

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"
)

// expected is how large an effect is taken to be beforehand, in deviations of one
// observation: the width of the normal distribution over which evidence is averaged. It
// decides how soon something is told, and not how often what is told is wrong.
const expected = 2.0

// shrunk is by how much of its variance an effect of that width is not known yet, from 0
// to 1: r in the formulas below.
func shrunk(variance float64) float64 {
	information := expected * expected / variance
	return 1 / (1 + information)
}

// Evidence is how many times likelier an estimate is if the effect is above zero than if
// it is zero, with the deviation not known: the Bayes factor of a half normal effect in a
// linear model. Its mean is at most one where the effect is zero or below, whenever one
// looks and however often, so that it exceeds n at any time with a probability of 1/n at
// the most (Ville's inequality; Lindon, Ham, Tingley and Bojinov, "Anytime-valid linear
// models and regression adjusted causal inference", 2022, theorem 2.2, on one side).
//
// estimate is in the same units as sigma, variance in squares of sigma, and freedom how many
// observations sigma is of.
func Evidence(estimate, sigma, variance float64, freedom int) float64 {
	if freedom < 1 || !(variance > 0) || !(sigma > 0) {
		return 0
	}
	r, n := shrunk(variance), float64(freedom)
	square := estimate * estimate / (sigma * sigma * variance * n)
	both := math.Sqrt(r) * math.Pow((1+r*square)/(1+square), -(n+1)/2)
	return 2 * both * above(estimate, sigma, variance, r, n)
}

// above is how likely the effect is above zero once it was estimated: Student's
// distribution about the estimate, drawn towards zero.
func above(estimate, sigma, variance, r, n float64) float64 {
	middle := estimate * (1 - r)
	left := n*sigma*sigma + r*estimate*estimate/variance
	width := math.Sqrt((1 - r) * variance * left / (n + 1))
	return distuv.StudentsT{Mu: 0, Sigma: 1, Nu: n + 1}.CDF(middle / width)
}

// HalfWidth is how far from its estimate an effect may be, so that in 1-doubt of all
// experiments it is never further, whenever one looks. It is infinite where too few
// observations tell. The arguments are those of [Evidence].
func HalfWidth(sigma, variance float64, freedom int, doubt float64) float64 {
	if freedom < 1 || !(variance > 0) {
		return math.Inf(1)
	}
	r, n := shrunk(variance), float64(freedom)
	q := math.Pow(doubt*math.Sqrt(r), 2/(n+1))
	if q <= r {
		return math.Inf(1)
	}
	return sigma * math.Sqrt(variance*n*(1-q)/(q-r))
}
