package design

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/review"
	"opengauge/core/stat"
)

// Mixed is an effect that the design does not tell from others.
type Mixed struct {
	Effect string `json:"effect"`
	// With are what it cannot be told from.
	With []string `json:"with"`
	// Says is why, in a sentence.
	Says string `json:"says"`
}

// Separation says which effects a list of visits tells apart.
type Separation struct {
	Separate []string `json:"separate"`
	Mixed    []Mixed  `json:"mixed"`
}

// place is a visit as a row: its levels, and what it shares with others.
type place struct {
	cell   *review.Cell
	shared map[string]string
	// bundled says that it is a candidate: one without a level of a factor differs from
	// those with one.
	bundled bool
}

const without = "without"

// days and steps are what visits share besides their levels.
const (
	dayKey  = "day"
	sideKey = "time before and after the step"
)

// Separate says which effects of the review's factors are told by visits: an effect is, if
// its levels can be changed in the model while all others stay (Searle, Linear Models,
// 1971, 5.4). Of candidates the effects are of what they are made of.
func (d *Design) Separate(visits []Visit) Separation {
	places := d.places(visits)
	keys := slices.DeleteFunc(d.bySwap(), func(key string) bool { return len(levelsOf(places, key)) < 2 })
	keys = inOrderOf(d.Review, keys)
	s := Separation{Separate: []string{}, Mixed: []Mixed{}}
	for _, key := range keys {
		others := slices.DeleteFunc(slices.Concat(keys, sharedKeys(places)), func(k string) bool { return k == key })
		if d.visitedOnce(key, visits) {
			s.Mixed = append(s.Mixed, Mixed{key, []string{"its visit"}, fmt.Sprintf("the levels of %s are put together "+
				"once each: what %s does is mixed with how well it was plugged in", key, key)})
			continue
		}
		if told(places, key, others) {
			s.Separate = append(s.Separate, key)
			continue
		}
		m := mixedWith(places, key, others)
		if !slices.ContainsFunc(s.Mixed, func(o Mixed) bool { return o.mirrors(m) }) {
			s.Mixed = append(s.Mixed, m)
		}
	}
	return s
}

// mirrors reports whether two that cannot be told from each other are those of another one.
func (m Mixed) mirrors(o Mixed) bool {
	return len(m.With) == 1 && len(o.With) == 1 && m.With[0] == o.Effect && o.With[0] == m.Effect
}

// mixedWith finds the others without which an effect would be told.
func mixedWith(places []place, key string, others []string) Mixed {
	var with []string
	for _, other := range others {
		rest := slices.DeleteFunc(slices.Clone(others), func(k string) bool { return k == other })
		if told(places, key, rest) {
			with = append(with, other)
		}
	}
	m := Mixed{Effect: key, With: with}
	if len(with) == 0 {
		m.With = []string{"several others together"}
	}
	m.Says = fmt.Sprintf("%s changes only together with %s, so that nobody can say which of them it is", key,
		strings.Join(m.With, " or "))
	return m
}

// told reports whether all levels of a factor are told from each other besides others.
func told(places []place, key string, others []string) bool {
	levels := levelsOf(places, key)
	return stat.Rank(columns(places, append(slices.Clone(others), key)))-stat.Rank(columns(places, others)) >=
		len(levels)-1 && len(levels) > 1
}

// columns are the model: one for the mean, and for each factor how its levels but the
// first are apart from that. A cell without a level of a factor is in the middle of them,
// so that a fan in one case is not taken for the case.
func columns(places []place, keys []string) [][]float64 {
	rows := make([][]float64, len(places))
	for i := range rows {
		rows[i] = []float64{1}
	}
	for _, key := range keys {
		levels := levelsOf(places, key)
		for at := 1; at < len(levels); at++ {
			for i := range places {
				rows[i] = append(rows[i], apart(places[i].of(key), levels[at], levels[0]))
			}
		}
	}
	return rows
}

func apart(level, here, first string) float64 {
	switch level {
	case here:
		return 1
	case first:
		return -1
	}
	return 0
}

func (p *place) of(key string) string {
	if value, shared := p.shared[key]; shared {
		return value
	}
	if level := p.cell.Of(key); level != "" || !p.bundled {
		return level
	}
	return without
}

// levelsOf are the levels that a factor has in places, without where it has none.
func levelsOf(places []place, key string) []string {
	var levels []string
	for i := range places {
		if level := places[i].of(key); level != "" && !slices.Contains(levels, level) {
			levels = append(levels, level)
		}
	}
	return levels
}

func sharedKeys(places []place) []string {
	keys := []string{dayKey}
	if len(places) > 0 && places[0].shared[sideKey] != "" {
		keys = append(keys, sideKey)
	}
	return keys
}

func (d *Design) places(visits []Visit) []place {
	_, stepping := d.Review.OneWay()
	var places []place
	for i, v := range visits {
		c, ok := d.Review.Cell(v.Cell)
		if !ok {
			continue
		}
		p := place{cell: &c, bundled: len(d.Review.Candidates) > 0, shared: map[string]string{dayKey: "day " + v.Day}}
		if stepping {
			p.shared[sideKey] = fmt.Sprint(d.Side(visits[:i+1]))
		}
		places = append(places, p)
	}
	return places
}

// visitedOnce reports whether a level of a factor is put together only once.
func (d *Design) visitedOnce(key string, visits []Visit) bool {
	if !review.IsPart(key) {
		return false
	}
	times := map[string]int{}
	for _, v := range visits {
		if c, ok := d.Review.Cell(v.Cell); ok && c.Of(key) != "" {
			times[c.Of(key)]++
		}
	}
	for _, count := range times {
		if count < 2 {
			return true
		}
	}
	return false
}

// inOrderOf sorts keys as the review has its factors.
func inOrderOf(r review.Review, keys []string) []string {
	at := func(key string) int {
		if i := slices.IndexFunc(r.Factors, func(f review.Factor) bool { return f.Key == key }); i >= 0 {
			return i
		}
		return len(r.Factors)
	}
	slices.SortStableFunc(keys, func(a, b string) int { return at(a) - at(b) })
	return keys
}
