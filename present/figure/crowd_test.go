package figure

import (
	"strings"
	"testing"

	"opengauge/core/judge/crowd"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

// together is a merged session in which so many hosts got so much each at once, of so much alone.
func together(each map[int]float64, alone float64) *session.Session {
	s := &session.Session{ID: "pier", Name: "pier", Together: &session.Together{}}
	for _, hosts := range []int{1, 2, 4, 8} {
		if each[hosts] == 0 {
			continue
		}
		c := session.Contention{Index: len(s.Contentions)}
		for i := range hosts {
			pass := func(rate float64) session.Pass {
				return session.Pass{Load: load.New(load.Read, load.Sequential, unit.MiB, 8), AskedSeconds: 5,
					BytesPerSecond: unit.BytesPerSecond(rate)}
			}
			c.Members = append(c.Members, session.Member{Address: string(rune('a' + i)), Alone: pass(alone),
				Together: pass(each[hosts])})
		}
		s.Contentions = append(s.Contentions, c)
	}
	return s
}

func TestCrowd(t *testing.T) {
	for _, c := range []struct {
		name  string
		each  map[int]float64
		alone float64
		limit crowd.Limit
		from  int
		says  string
	}{
		{"a volume that is full", map[int]float64{1: 100e6, 2: 100e6, 4: 75e6, 8: 37.5e6}, 0, crowd.Volume, 4,
			"8 hosts get 300 MB/s, which 4 hosts have already"},
		{"hosts that are held by themselves", map[int]float64{1: 100e6, 2: 100e6, 4: 99e6, 8: 98e6}, 0, crowd.Hosts, 0,
			"take nothing from each other"},
		{"one count, and alone", map[int]float64{8: 50e6, 4: 100e6}, 100e6, crowd.Volume, 4, "which 4 hosts have already"},
	} {
		s := together(c.each, c.alone)
		sweeps := crowd.Of(s)
		if len(sweeps) != 1 || sweeps[0].Limit != c.limit || sweeps[0].Saturates != c.from {
			t.Errorf("%s: %+v, want %s from %d on", c.name, sweeps, c.limit, c.from)
			continue
		}
		f, ok := NewCrowd(s, unit.Decimal)
		if !ok || !strings.Contains(f.Head().Message, c.says) {
			t.Errorf("%s: it says %q, want %q", c.name, f.Head().Message, c.says)
		}
		if rows := f.Table().Rows; len(rows) != len(c.each) {
			t.Errorf("%s: %d rows", c.name, len(rows))
		}
	}
	if _, ok := NewCrowd(together(map[int]float64{8: 1e6}, 0), unit.Decimal); ok {
		t.Error("one count of hosts is no sweep")
	}
}

// What the first host got again at the end is seen, and where it is something else the figure says that alone.
func TestCrowdThatChanged(t *testing.T) {
	for after, says := range map[float64]string{99e6: "which 2 hosts have already",
		60e6: "one host got 100 MB/s before and 60 MB/s after"} {
		s := together(map[int]float64{1: 100e6, 2: 60e6, 4: 30e6}, 100e6)
		again := together(map[int]float64{1: after}, 0).Contentions[0]
		s.Contentions = append(s.Contentions, again)
		f, ok := NewCrowd(s, unit.Decimal)
		if !ok || !strings.Contains(f.Head().Message, says) {
			t.Errorf("%v afterwards: %q, want %q", after, f.Head().Message, says)
		}
		if text := f.under(&f.Sweeps[0], f.Sweeps[0].Points[0]); text != "1 host, at the end "+unit.Decimal.Number(
			unit.BytesPerSecond(after)) {
			t.Errorf("under one host is %q", text)
		}
		loses := map[bool]string{true: "", false: "70 %"}[after == 60e6]
		if shares := table.CrowdShares(f.Sweeps, unit.Decimal).Rows; shares[0][4] != loses {
			t.Errorf("%v afterwards: a host loses %q, want %q", after, shares[0][4], loses)
		}
		rows := f.Table().Rows
		if last := rows[len(rows)-1]; last[1] != "1 again" || last[2] != unit.Decimal.Number(unit.BytesPerSecond(after)) {
			t.Errorf("the last row is %q", last)
		}
	}
}
