package table

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"unicode"
	"unicode/utf8"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/payload"
	"opengauge/core/unit"
)

// Passes is the table of a session's passes.
func Passes(s *session.Session, notation unit.Notation) Table {
	besides := false
	for i := range s.Passes {
		besides = besides || s.Passes[i].Besides() != ""
	}
	t := Table{Columns: []Column{
		number("pass"), text("operation").Kept(), text("access").Kept(), number("block").Kept(), number("depth").Kept(),
		number("time").Spared(4), number(notation.Unit()).Kept(), number("±").Spared(3), number("IOPS").Spared(1),
		number("p50").Spared(2), number("p99"), number("longest").Spared(5), text("direct").Spared(6),
	}}
	if besides {
		t.Columns = append(t.Columns, text("besides"))
	}
	cached := false
	failing := int64(0)
	for _, pass := range inPlanOrder(s) {
		cached = cached || !pass.Direct
		failing += pass.Errors
		row := passRow(pass, notation)
		if besides {
			row = append(row, pass.Besides())
		}
		t.Rows = append(t.Rows, row)
	}
	for _, pass := range inPlanOrder(s) {
		if state := pass.Steady; state != nil {
			t.Notes = append(t.Notes, steadyNote(pass, notation))
		}
	}
	if cached {
		t.Notes = append(t.Notes, "direct: no means that this file system does not do direct I/O; the system's "+
			"cache stood between the program and the storage, and figures may be those of memory.")
	}
	if failing > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("%s operations failed; they are not counted in the figures.",
			unit.Grouped(failing)))
	}
	t.Notes = append(t.Notes, aboutTarget(s)...)
	if s.State != session.Complete {
		t.Notes = append(t.Notes, "The session is "+string(s.State)+": passes may be missing, and the last one may "+
			"be cut short.")
	}
	return t
}

// aboutTarget lists properties of a session's target that its figures depend on.
func aboutTarget(s *session.Session) []string {
	var notes []string
	if s.PayloadBytes > 0 && s.PayloadBytes < payload.Usual {
		notes = append(notes, fmt.Sprintf("Written data comes again after %s, as this computer has little memory: "+
			"storage that compresses over longer stretches may look faster.", s.PayloadBytes.Capacity()))
	}
	if s.Environment.Server != "" {
		notes = append(notes, "This is "+s.Environment.Server+". Direct I/O passes this machine's cache by, and not the "+
			"server's memory, which may have answered: only a test file larger than that shows the server's storage.")
	}
	notes = append(notes, serverNotes(s)...)
	if s.Target.PartFlush {
		notes = append(notes, "This file system refuses the full flush: what was written last may still be in the "+
			"drive's own cache, and figures of writes may be too high.")
	}
	for _, m := range s.Moved {
		if m.WrittenBytes > 0 {
			notes = append(notes, fmt.Sprintf("In all %s were written to %s and %s read from it, filling and settling "+
				"included.", m.WrittenBytes.Decimal(), m.Address, m.ReadBytes.Decimal()))
		}
	}
	if note := schedulesNote(s); note != "" {
		notes = append(notes, note)
	}
	return append(notes, resultNotes(s)...)
}

// resultNotes list passes that ended before they had moved their amount, and count operations that were
// repeated.
func resultNotes(s *session.Session) []string {
	var notes []string
	for _, e := range s.Events {
		if e.Kind == event.Limit {
			notes = append(notes, sentence(e.Detail))
		}
	}
	short := int64(0)
	retried := int64(0)
	for i := range s.Passes {
		short += s.Passes[i].Short
		retried += s.Passes[i].Retried
	}
	if short > 0 {
		notes = append(notes, fmt.Sprintf("%s moved less than was asked for, and count as errors.",
			unit.Count(int(short), "operation")))
	}
	if retried > 0 {
		notes = append(notes, fmt.Sprintf("%s asked again, as calls were interrupted or would have had to wait.",
			unit.Count(int(retried), "operation was", "operations were")))
	}
	return notes
}

// sentence makes a sentence of an event's words, which may come from another program and be none.
func sentence(words string) string {
	first, size := utf8.DecodeRuneInString(words)
	if size == 0 {
		return "A pass ended at its limit."
	}
	return string(unicode.ToUpper(first)) + words[size:] + "."
}

// serverNotes sum up the counters of a server's folder's protocol over all passes.
func serverNotes(s *session.Session) []string {
	counted := map[string]int64{}
	for i := range s.Passes {
		for name, grown := range s.Passes[i].Link.Growth() {
			counted[link.Counted(name)] += grown
		}
	}
	requests := counted[link.Requests]
	if requests == 0 {
		return nil
	}
	text := fmt.Sprintf("The protocol counted %s requests to the server", unit.Grouped(requests))
	if trips := counted[link.RoundTrips]; trips > 0 {
		text += fmt.Sprintf(", %s each on average", unit.Latency(float64(trips)/float64(requests)/1000))
	}
	for _, each := range []struct{ counter, says string }{{link.RequestsAgain, "sent again"},
		{link.RequestTimeouts, "not answered in time"}, {link.RequestsFailed, "failed"}, {link.Reconnects, "reconnections"}} {
		if count := counted[each.counter]; count > 0 {
			text += fmt.Sprintf(", %s %s", unit.Grouped(count), each.says)
		}
	}
	return []string{text + "."}
}

// schedulesNote describes how well the program kept to the schedules of fixed rates, and the cost of that, in
// its worst pass.
func schedulesNote(s *session.Session) string {
	var worst *session.Pass
	for i := range s.Passes {
		p := &s.Passes[i]
		if p.Lateness != nil && p.ElapsedSeconds > 0 && (worst == nil || p.Lateness.P99 > worst.Lateness.P99) {
			worst = p
		}
	}
	if worst == nil || s.Simulated {
		return ""
	}
	text := fmt.Sprintf("At a fixed rate this program began operations late by %s in the middle and %s at p99; looking "+
		"at the clock for that took %.0f %% of a processor's time.", unit.Latency(worst.Lateness.P50),
		unit.Latency(worst.Lateness.P99), worst.SpinSeconds/worst.ElapsedSeconds*100)
	if worst.CutOffOperations > int64(worst.Outstanding()) {
		text += fmt.Sprintf(" %s operations were due and not over when pass %d ended; they count with their age.",
			unit.Grouped(worst.CutOffOperations), worst.Index+1)
	}
	return text
}

// steadyNote says how steady a sustained pass ended.
func steadyNote(pass *session.Pass, notation unit.Notation) string {
	state := pass.Steady
	word := "steady"
	if !state.Steady {
		word = "not steady"
	}
	return fmt.Sprintf("Pass %d is %s after %d rounds: over the last five, %s on average, a range of %.0f %% and a "+
		"slope of %.0f %%.",
		pass.Index+1, word, state.Rounds, notation.Rate(unit.BytesPerSecond(state.Mean)), state.RangeShare*100,
		state.SlopeShare*100)
}

// inPlanOrder gives the passes as the plan names them, which is not always the
// order in which they ran. Starts have a table of their own.
func inPlanOrder(s *session.Session) []*session.Pass {
	passes := make([]*session.Pass, 0, len(s.Passes))
	for i := range s.Passes {
		if s.Passes[i].Step != plan.StepStart {
			passes = append(passes, &s.Passes[i])
		}
	}
	slices.SortStableFunc(passes, func(a, b *session.Pass) int { return a.Index - b.Index })
	return passes
}

func passRow(pass *session.Pass, notation unit.Notation) []string {
	return []string{
		strconv.Itoa(pass.Index + 1), string(pass.Operation), string(pass.Access),
		pass.Block.String(), strconv.Itoa(pass.Depth), seconds(pass.ElapsedSeconds),
		notation.Number(pass.BytesPerSecond), precision(pass), unit.Grouped(int64(math.Round(pass.IOPS))),
		unit.Latency(pass.Latency.P50), unit.Latency(pass.Latency.P99), unit.Latency(pass.Latency.Max),
		yesNo(pass.Direct),
	}
}

// precision is half of the 95% interval of a pass's mean, as a share of it.
func precision(pass *session.Pass) string {
	if pass.Throughput == nil || pass.BytesPerSecond == 0 {
		return ""
	}
	share := float64(pass.Throughput.High-pass.Throughput.Low) / 2 / float64(pass.BytesPerSecond)
	if share < 0.0005 {
		return "<0.1 %"
	}
	return fmt.Sprintf("%.1f %%", share*100)
}

// seconds writes a pass's time to a tenth of a second.
func seconds(value float64) string { return fmt.Sprintf("%.1f s", value) }

func yesNo(yes bool) string {
	if yes {
		return "yes"
	}
	return "no"
}
