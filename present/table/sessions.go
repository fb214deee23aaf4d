package table

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Sessions is the table of a logbook's sessions.
func Sessions(summaries []logbook.Summary) Table {
	t := Table{Columns: []Column{
		text("id"), text("name").Kept(), text("started").Spared(1), text("target").Spared(4), text("plan").Kept(),
		number("passes").Spared(5), text("state").Spared(2), text("tags").Spared(3),
	}}
	several := slices.ContainsFunc(summaries, func(s logbook.Summary) bool { return s.Account != summaries[0].Account })
	if several {
		t.Columns = append(t.Columns, text("kept by").Spared(3))
	}
	for _, s := range summaries {
		row := []string{
			s.ID, s.Name, s.Started.Local().Format("2006-01-02 15:04:05"), TargetName(s.Target, s.Simulated), s.Plan,
			strconv.Itoa(s.Passes), string(s.State), strings.Join(s.Tags, ", "),
		}
		if several {
			row = append(row, s.Account)
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// TargetName adds to the name of storage that it was simulated, where it was.
func TargetName(target string, simulated bool) string {
	if simulated {
		return target + " (simulated)"
	}
	return target
}

// Circumstances is the table of facts about how a session was measured.
func Circumstances(s *session.Session) Table {
	t := Table{Columns: []Column{text("what"), text("value")}}
	add := func(what, value string) {
		if value != "" && value != " " {
			t.Rows = append(t.Rows, []string{what, value})
		}
	}
	add("target", TargetName(s.Target.Address, s.Simulated))
	add("touched", s.Target.SpanBytes.Capacity())
	add("on", s.Target.FileSystem+" of "+s.Target.CapacityBytes.Capacity())
	if s.Target.FileSystem == "" {
		t.Rows[len(t.Rows)-1][1] = s.Target.CapacityBytes.Capacity()
	}
	add("plan", s.Plan.Name)
	for _, hop := range s.Chain.Hops {
		add("hop", hop.Name+": "+hop.Standard+", usable "+unit.Decimal.Between(hop.Usable.Low,
			hop.Usable.High)+" "+unit.Decimal.Unit())
	}
	for _, key := range slices.Sorted(maps.Keys(s.Conditions)) {
		add("condition "+key, s.Conditions[key])
	}
	add("started", s.Started.Local().Format("2006-01-02 15:04:05 MST"))
	add("state", string(s.State))
	if by := s.RecordedBy; by != nil {
		add("kept by", by.Words())
	}
	add("system", s.Environment.System+" "+s.Environment.SystemVersion)
	add("kernel", s.Environment.Kernel)
	add("processor", s.Environment.Processor)
	add("opengauge", s.Environment.ProgramVersion)
	return t
}

// Verification describes a read-back that found no fault.
func Verification(s *session.Session) string {
	v := s.Verification
	switch {
	case v == nil || v.Faults > 0:
		return ""
	case v.Checked == 0:
		return "Nothing was verified: no block was written and read back."
	case v.Written == 0: // by an older program
		return fmt.Sprintf("Verified: %s blocks of %s were checked, and each held what was written last.",
			unit.Grouped(v.Checked), v.BlockBytes)
	}
	text := fmt.Sprintf("Verified: checked %s of %s blocks of %s that were written", unit.Grouped(v.ReadBack),
		unit.Grouped(v.Written), v.BlockBytes)
	if v.ReadBack < v.Written {
		return text + ": the rest was not read back. Those that were held what was written last."
	}
	return text + ", and each held what was written last."
}
