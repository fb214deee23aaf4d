package compare

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Amounts is a load in which a session's throughput goes through more than one level,
// by how long amounts take. It has no average that would say anything.
type Amounts struct {
	Load session.Key
	// Curves are by side; nil where a side does not have the load.
	Curves []*move.Curve
	// Asked are the amounts that are told, the smallest first.
	Asked []unit.Bytes
	// Crossings are where another session is ahead, of each side and the baseline.
	Crossings [][]move.Crossing
}

// CrossingRecord is where another session comes ahead, as documents have it.
type CrossingRecord struct {
	Load        string     `json:"load"`
	Amount      unit.Bytes `json:"amount_bytes"`
	AheadBefore string     `json:"ahead_before"`
	AheadAfter  string     `json:"ahead_after"`
}

// curves are those of a session by load, in the order in which they ran.
type curves struct {
	order []session.Key
	of    map[session.Key]*move.Curve
}

// curvesOf are the curves of a session. When a recording was over is no part of its load
// here: a curve is of all amounts. Of several the longest counts.
func curvesOf(s *session.Session) curves {
	made := curves{of: map[session.Key]*move.Curve{}}
	all := move.Of(s)
	for i := range all {
		c := &all[i]
		key := c.Key
		key.Amount = 0
		known := made.of[key]
		if known == nil {
			made.order = append(made.order, key)
		}
		if known == nil || c.Recorded() > known.Recorded() {
			made.of[key] = c
		}
	}
	return made
}

// addAmounts holds those loads against each other by amounts in which a side goes through
// more than one level, and where amounts are asked for, all that move data as files are
// moved. Where a side goes down for good, there is no ratio besides.
func (c *Comparison) addAmounts(sides []curves, asked []unit.Bytes) {
	for _, key := range sides[0].order {
		a := Amounts{Load: key, Curves: make([]*move.Curve, len(sides))}
		shared, falls, stepped := false, false, false
		for i := range sides {
			curve := sides[i].of[key]
			a.Curves[i] = curve
			if curve != nil {
				shared, falls, stepped = shared || i > 0, falls || curve.Falls(), stepped || curve.Stepped()
			}
		}
		bulk := key.IsCopy() || key.Load.Bulk()
		if !shared || !hasLevels(key) || !falls && (len(asked) == 0 || !bulk) {
			continue
		}
		a.finish(asked)
		c.Amounts = append(c.Amounts, a)
		if stepped {
			c.withoutRatios(key)
		}
	}
}

// hasLevels says whether what throughput goes through under a key is the storage's doing:
// not where operations arrive on a schedule, and in no folder of small and large files,
// which changes its pace with them. The work of single ends is no load of its own.
func hasLevels(key session.Key) bool {
	if key.IsCopy() {
		return key.IsWholeCopy() && session.OfLargeFiles(key.Copy.Bytes, key.Copy.Files)
	}
	return !key.Load.Scheduled()
}

// withoutRatios takes the ratios of a load away, as it has no average. The time of a whole
// copy is what it is.
func (c *Comparison) withoutRatios(key session.Key) {
	for i := range c.Rows {
		row := &c.Rows[i]
		if row.Load != key || row.Metric == Time {
			continue
		}
		row.ByAmount = true
		for side, against := range row.Contrasts {
			if against != nil {
				row.Contrasts[side] = &Contrast{Verdict: ByAmount, Basis: against.Basis}
			}
		}
	}
}

func (a *Amounts) finish(asked []unit.Bytes) {
	a.Asked = slices.Clone(asked)
	for _, amount := range move.Amounts {
		known := func(c *move.Curve) bool { return c != nil && c.For(amount).Known() }
		if slices.ContainsFunc(a.Curves, known) && !slices.Contains(a.Asked, amount) {
			a.Asked = append(a.Asked, amount)
		}
	}
	slices.Sort(a.Asked)
	a.Crossings = make([][]move.Crossing, len(a.Curves))
	for side, curve := range a.Curves {
		if side > 0 && curve != nil {
			a.Crossings[side] = move.Crossings(a.Curves[0], curve)
		}
	}
}

// record puts moves, levels and crossings into the form in which documents have them.
func (c *Comparison) record() {
	c.Moves, c.Levels, c.Crossings = []move.Record{}, []move.LevelRecord{}, []CrossingRecord{}
	for _, a := range c.Amounts {
		for side, curve := range a.Curves {
			if curve == nil {
				continue
			}
			name := c.Sides[side].DisplayName()
			c.Moves = append(c.Moves, curve.Record(name, a.Asked)...)
			c.Levels = append(c.Levels, curve.LevelRecord(name))
			names := [2]string{c.Sides[0].DisplayName(), name}
			for _, crossing := range a.Crossings[side] {
				c.Crossings = append(c.Crossings, CrossingRecord{Load: a.Load.String(), Amount: crossing.Amount,
					AheadBefore: names[crossing.Before], AheadAfter: names[crossing.After]})
			}
		}
	}
}

// open are the numbers of those of a side and the baseline of which nothing settles how
// they go on, where that is known of the other.
func (a *Amounts) open(side int) []int {
	closed := func(i int) bool { return a.Curves[i].Settled() }
	switch {
	case closed(0) && !closed(side):
		return []int{side}
	case !closed(0) && closed(side):
		return []int{0}
	}
	return nil
}

// words says how a side does against the baseline: the time of the largest amount that is
// known of both, and from where on which of them is ahead.
func (a *Amounts) words(side int, names [2]string) string {
	base, other := a.Curves[0], a.Curves[side]
	var amount unit.Bytes
	for _, each := range a.Asked {
		if base.For(each).Known() && other.For(each).Known() {
			amount = each
		}
	}
	var texts []string
	if amount > 0 {
		x, y := base.For(amount), other.For(amount)
		texts = append(texts, fmt.Sprintf("%s take %s instead of %s", amount.Decimal(), y.Words(), x.Words()))
	}
	switch crossings := a.Crossings[side]; {
	case len(crossings) == 1:
		first := crossings[0]
		texts = append(texts, fmt.Sprintf("%s is ahead up to %s, and %s beyond", names[first.Before],
			first.Amount.Decimal(), names[first.After]))
	case len(crossings) > 1:
		texts = append(texts, fmt.Sprintf("which of them is ahead changes %d times, first at %s", len(crossings),
			crossings[0].Amount.Decimal()))
	case amount > 0 && move.Alike(base, other) > amount/10:
		texts = append(texts, "up to "+move.Alike(base, other).Decimal()+" they are alike")
	case len(a.open(side)) > 0:
		for _, i := range a.open(side) {
			texts = append(texts, fmt.Sprintf("nothing settles how %s goes on after %s", names[min(i, 1)],
				a.Curves[i].Recorded().Decimal()))
		}
	case amount == 0:
		texts = append(texts, "no amount of the usual was recorded of both, and nothing settles how they go on")
	}
	return a.Load.String() + ": " + strings.Join(texts, "; ")
}
