package answer

import (
	"math"
	"testing"
)

// Two cells in two blocks, with a third cell that joins nothing to them: differences within
// blocks are told, what is apart is not, and a mean is that of the blocks that are joined.
func TestModel(t *testing.T) {
	m := modelOf([]observation{
		{"a", 1.0, "x"}, {"b", 1.2, "x"}, {"a", 2.0, "y"}, {"b", 2.2, "y"}, {"c", 9, "z"}, {"c", 9, "z"},
	})
	e := m.of(map[string]float64{"b": 1, "a": -1})
	if !e.told || !(math.Abs(e.value-0.2) <= 1e-9) || !(math.Abs(e.variance-1) <= 1e-9) || e.freedom != 2 {
		t.Errorf("%+v", e)
	}
	if e.sigma != least {
		t.Errorf("a spread of %g is believed", e.sigma)
	}
	if e := m.of(map[string]float64{"c": 1, "a": -1}); e.told || e.doubtAbove(0) != 1 || !math.IsInf(e.half(0.05), 1) {
		t.Errorf("what no block joins is told: %+v", e)
	}
	if e := m.of(map[string]float64{"nobody": 1}); e.told {
		t.Error("a cell that nobody measured is told")
	}
	if e := m.of(map[string]float64{"a": 1}); !e.told || !(math.Abs(e.value-1.5) <= 1e-9) {
		t.Errorf("the mean of a is %+v", e)
	}
	if e := m.of(map[string]float64{"c": 1}); !e.told || !(math.Abs(e.value-9) <= 1e-9) {
		t.Errorf("the mean of c is %+v", e)
	}
	none := modelOf(nil)
	if e := none.of(map[string]float64{"a": 1}); e.told {
		t.Error("something is told of nothing")
	}
}

// One visit more makes a difference more exact, the more the less there was of it.
func TestOneMore(t *testing.T) {
	same := modelOf([]observation{{"a", 1, "x"}, {"a", 1.1, "x"}, {"a", 1, "x"}, {"b", 2, "x"}})
	m := models{fine: same, coarse: same}
	weights := map[string]float64{"a": 1, "b": -1}
	now := m.of(weights).variance
	a, b := m.with(weights, "a", "x"), m.with(weights, "b", "x")
	if !(math.Abs(now-4.0/3) <= 1e-9) || !(math.Abs(a-1.25) <= 1e-9) || !(math.Abs(b-5.0/6) <= 1e-9) {
		t.Errorf("variances %g, with one more of a %g, of b %g", now, a, b)
	}
}
