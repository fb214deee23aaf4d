package stat

import (
	"math"
	"testing"
)

// Three cells in two blocks of which one cell is in the first alone: differences are told
// through what the blocks share.
func TestFitThroughBlocks(t *testing.T) {
	rows := [][]float64{ // cells a, b, c; block 2
		{1, 0, 0, 0}, {0, 1, 0, 0},
		{0, 1, 0, 1}, {0, 0, 1, 1},
	}
	fit, ok := FitLinear(rows, []float64{10, 12, 15, 16})
	if !ok || fit.Freedom != 0 {
		t.Fatalf("%v, %d left over", ok, fit.Freedom)
	}
	estimate, variance, told := fit.Contrast([]float64{-1, 0, 1, 0})
	if !told || !(math.Abs(estimate-3) <= 1e-9) || !(math.Abs(variance-4) <= 1e-9) {
		t.Errorf("c is %g above a with a variance of %g, %v; want 3 with 4", estimate, variance, told)
	}
}

// Where no cell is in both blocks, nothing is told between them.
func TestWhatBlocksHide(t *testing.T) {
	rows := [][]float64{{1, 0, 0}, {1, 0, 0}, {0, 1, 1}, {0, 1, 1}}
	fit, _ := FitLinear(rows, []float64{1, 1.2, 3, 3.2})
	if _, _, told := fit.Contrast([]float64{-1, 1, 0}); told {
		t.Error("the difference of two cells is told that were never in one block")
	}
	if fit.Freedom != 2 || !(math.Abs(fit.Sigma-math.Sqrt(0.02)) <= 1e-9) {
		t.Errorf("%d left over with %g", fit.Freedom, fit.Sigma)
	}
	if rank := Rank(rows); rank != 2 {
		t.Errorf("rank %d", rank)
	}
	if _, ok := FitLinear(nil, nil); ok || Rank(nil) != 0 {
		t.Error("something was fitted to nothing")
	}
}
