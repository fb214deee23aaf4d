package table

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/event"
	"opengauge/core/judge/stream"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Copies is the table of a session's work with file sets.
func Copies(s *session.Session, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		number("copy"), text("set").Kept(), text("from").Kept(), text("to").Kept(), number("size").Spared(2),
		number("files").Spared(3), number("time").Kept(), number("flush").Spared(7), number(notation.Unit()).Kept(),
		number("files/s").Spared(1), number("a file, p50").Spared(4), number("p99").Spared(5),
		text("past the cache").Spared(6),
	}}
	cached := false
	fromCache := false
	verified := 0
	byHand := 0.0
	widest := 0.0
	for i := range s.Copies {
		c := &s.Copies[i]
		past := pastCache(s, c)
		cached = cached || past == "no"
		if c.ByHand != nil {
			byHand = max(byHand, c.ByHand.WithinSeconds)
			widest = max(widest, c.HandShare())
		}
		verified += c.Verified
		fromCache = fromCache || c.VerifiedFromCache
		row := []string{
			strconv.Itoa(c.Index + 1), c.Set, endName(s, c.From, "(made)"), endName(s, c.To, "(nowhere)"),
			c.Bytes.Decimal(), unit.Grouped(int64(c.Files)),
			seconds(c.ElapsedSeconds), seconds(c.FlushSeconds),
			notation.Number(c.BytesPerSecond), perSecond(c.FilesPerSecond), unit.Latency(c.FileSeconds.P50),
			unit.Latency(c.FileSeconds.P99), past,
		}
		if c.ByHand != nil { // nobody saw the flush, or single files
			row[7] = ""
			row[10] = ""
			row[11] = ""
		}
		t.Rows = append(t.Rows, row)
		if c.CutShort {
			t.Notes = append(t.Notes, fmt.Sprintf("Copy %d did not come to its end: %s.", c.Index+1, c.Failure))
		}
	}
	if byHand > 0 {
		t.Notes = append(t.Notes, handNote(byHand, widest))
	} else {
		t.Notes = append(t.Notes, "Times are from the first read to the last byte on stable media; the flush is part "+
			"of them.")
	}
	if cached {
		t.Notes = append(t.Notes, "past the cache: no means that the system's cache stood in the way and could not "+
			"be emptied: figures may be those of memory.")
	}
	if verified > 0 {
		t.Notes = append(t.Notes, fmt.Sprintf("%s files were compared with what they were copied from.",
			unit.Grouped(int64(verified))))
	}
	if fromCache {
		t.Notes = append(t.Notes, "What was compared may have come from the system's cache, which cannot be passed or "+
			"emptied here: it says nothing of what the destination holds.")
	}
	return t
}

// endName is the address of an end, or another name where a copy has none.
func endName(s *session.Session, end int, without string) string {
	if end < 0 {
		return without
	}
	return s.Ends[end].Address
}

// pastCache says how a copy passed the system's cache.
func pastCache(s *session.Session, c *session.Copy) string {
	switch {
	case c.ByHand != nil:
		return "by hand"
	case s.Simulated, c.Direct && c.Dropped, c.Direct && c.Work == session.CopyDestination:
		return "yes"
	case c.Direct:
		return "large files"
	case c.Dropped:
		return "dropped before"
	}
	return "no"
}

// muchByHand is the share of a time from which on its hand makes too much of it uncertain.
const muchByHand = 0.05

// handNote describes the uncertainty of a stopwatch.
func handNote(withinSeconds, widest float64) string {
	text := fmt.Sprintf("Timed by hand: each time is known to within %s s, up to %s of it, and ends where the screen "+
		"said so, whether all of it was on the storage or not.", unit.Digits(withinSeconds, 2), unit.Percent(widest))
	if widest > muchByHand {
		text += " Copy more at once: a longer time is known better."
	}
	return text
}

// perSecond writes a rate of files.
func perSecond(rate float64) string {
	if rate >= 100 {
		return unit.Grouped(int64(rate + 0.5))
	}
	return unit.Digits(rate, 2)
}

// CopyNotes are sentences about the ends.
func CopyNotes(s *session.Session) []string {
	var notes []string
	for _, e := range s.Events {
		if e.Kind == event.Copy {
			notes = append(notes, e.Detail)
		}
	}
	return append(notes, stateNotes(s)...)
}

// stateNotes describe the state of the ends, as far as copies tell: in which order they ran, and whether
// files of earlier ones are left.
func stateNotes(s *session.Session) []string {
	longest := 0.0
	first := map[session.Key]*session.Copy{}
	last := map[session.Key]*session.Copy{}
	for i := range s.Copies {
		c := &s.Copies[i]
		longest = max(longest, c.RestedSeconds)
		if key := c.Key(s); c.Counts() && c.Work == session.CopyWhole {
			if first[key] == nil {
				first[key] = c
			}
			last[key] = c
		}
	}
	var notes []string
	if longest > 0 {
		notes = append(notes, fmt.Sprintf("Copies ran first, then each end alone; before each, what was written was "+
			"freed, and the ends rested, for %s at the most.", unit.Span(unit.Duration(longest))))
	}
	for _, key := range sortedKeys(last) {
		a, b := first[key], last[key]
		if b.ElapsedSeconds > 1.1*a.ElapsedSeconds {
			notes = append(notes, fmt.Sprintf("%s: the last repeat took %s instead of %s, after %s had been written to its "+
				"destination: it was not in the state of the first. Rest longer (--rest), or repeat after a day.",
				key, seconds(b.ElapsedSeconds), seconds(a.ElapsedSeconds), b.WrittenBefore.Decimal()))
		}
	}
	return notes
}

func sortedKeys(of map[session.Key]*session.Copy) []session.Key {
	return slices.SortedFunc(maps.Keys(of), func(a, b session.Key) int { return strings.Compare(a.String(), b.String()) })
}

// Contentions is the table of loads on several targets at once.
func Contentions(s *session.Session, notation unit.Notation) Table {
	t := Table{Columns: []Column{text("load"), text("target"), number("alone " + notation.Unit()), number("at once"),
		number("loses")}}
	for i := range s.Contentions {
		label := ""
		for number := range s.Contentions[i].Members {
			m := &s.Contentions[i].Members[number]
			if number == 0 {
				label = m.Alone.Label()
			}
			t.Rows = append(t.Rows, []string{
				label, m.Address, notation.Number(m.Alone.BytesPerSecond), notation.Number(m.Together.BytesPerSecond),
				fmt.Sprintf("%.0f %%", max(m.Loss(), 0)*100),
			})
			label = ""
			if m.Alone.BytesPerSecond == 0 {
				row := t.Rows[len(t.Rows)-1]
				row[2] = "not measured"
				row[4] = ""
			}
		}
		t.Notes = append(t.Notes, sharesNote(&s.Contentions[i], notation)...)
	}
	return t
}

// sharesNote describes the throughput of all members of a merged contention over time.
func sharesNote(c *session.Contention, notation unit.Notation) []string {
	if len(c.Samples) == 0 {
		return nil
	}
	var sums, fair []float64
	for _, sample := range c.Samples {
		sums = append(sums, float64(sample.BytesPerSecond))
		fair = append(fair, sample.Fairness)
	}
	return []string{fmt.Sprintf("Contention %d: together %s (median of %d s), shared with a fairness of %.2f, at "+
		"the least %.2f (1 is even, %.2f is one alone).",
		c.Index+1, notation.Rate(unit.BytesPerSecond(stat.Median(sums))), len(sums), stat.Median(fair),
		slices.Min(fair), 1/float64(len(c.Members)))}
}

// Shares is the table of the throughput of a merged session's hosts over time, together and each of them. It
// has no rows where none were merged.
func Shares(s *session.Session, notation unit.Notation) Table {
	const mostStretches = 8
	t := Table{Columns: []Column{text("load"), number("seconds"), number("together " + notation.Unit()),
		number("fairness"), text("each")}}
	for i := range s.Contentions {
		c := &s.Contentions[i]
		label := c.Members[0].Together.Label()
		length := max((len(c.Samples)+mostStretches-1)/mostStretches, 1)
		for stretch := range slices.Chunk(c.Samples, length) {
			t.Rows = append(t.Rows, append([]string{label}, sharesOf(stretch, len(c.Members), notation)...))
			label = ""
		}
	}
	return t
}

// sharesOf are the cells of one stretch: its time, and the means of the throughput of all and each, and of
// the fairness.
func sharesOf(stretch []session.ContentionSample, members int, notation unit.Notation) []string {
	var together, fairness float64
	each := make([]float64, members)
	for _, sample := range stretch {
		together = together + float64(sample.BytesPerSecond)
		fairness = fairness + sample.Fairness
		for member, rate := range sample.Each {
			each[member] += float64(rate)
		}
	}
	count := float64(len(stretch))
	texts := make([]string, len(each))
	for member, sum := range each {
		texts[member] = notation.Number(unit.BytesPerSecond(sum / count))
	}
	from := max(stretch[0].TSeconds-1, 0)
	to := stretch[len(stretch)-1].TSeconds
	return []string{fmt.Sprintf("%.0f to %.0f", from, to), notation.Number(unit.BytesPerSecond(together / count)),
		fmt.Sprintf("%.2f", fairness/count), strings.Join(texts, " + ")}
}

// Starts is the table of start steps: when each was finished. It has no rows where
// there were none.
func Starts(s *session.Session) Table {
	t := Table{Columns: []Column{text("start"), number("reads"), number("at once"), number("time to finish"),
		number("a read, p50"), number("p99")}}
	var times []float64
	for i := range s.Passes {
		p := &s.Passes[i]
		if p.Step != plan.StepStart {
			continue
		}
		times = append(times, p.ElapsedSeconds)
		t.Rows = append(t.Rows, []string{
			strconv.Itoa(p.Repeat + 1), unit.Grouped(p.Operations) + " of " + p.Block.String(),
			strconv.Itoa(p.Workers * p.Depth), fmt.Sprintf("%.2f s", p.ElapsedSeconds),
			unit.Latency(p.Latency.P50), unit.Latency(p.Latency.P99),
		})
	}
	if interval, ok := stat.RepeatInterval(times); ok {
		t.Notes = append(t.Notes, fmt.Sprintf("It is finished after %.2f s (median; 95 %% interval %.2f to %.2f "+
			"s). Shorter is better.", interval.Value, max(interval.Low, 0), interval.High))
	}
	return t
}

// Streams is the table of media streams, and whether storage carries them.
func Streams(answers []stream.Answer, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("stream"), number("at once"), number("needs " + notation.Unit()), number("buffer each"), text("reading"),
		text("writing"), number("longest stall"), number("buffer needed"), number("at most at once"),
		text("ends with"),
	}}
	amounts := amountsAsked(answers)
	for _, amount := range amounts {
		t.Columns = append(t.Columns, text(amount.Decimal()))
	}
	for _, a := range answers {
		row := []string{
			a.Stream.Name, strconv.Itoa(a.Stream.AtOnce),
			notation.Number(a.Stream.Rate * unit.BytesPerSecond(a.Stream.AtOnce)), a.Stream.Buffer.Decimal(),
			rateCarried(a.Reading), rateCarried(a.Writing), "", "", most(a), a.Ends(),
		}
		stall := 0.0
		needed := unit.Bytes(0)
		for _, side := range []*stream.Side{a.Reading, a.Writing} {
			if side != nil {
				stall = max(stall, side.Outcome.LongestStallSeconds)
				needed = max(needed, side.Outcome.BufferNeeded)
			}
		}
		row[6] = unit.Stretch(stall)
		row[7] = needed.Decimal()
		for i := range amounts {
			row = append(row, amountsOf(a, i))
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// amountsAsked are the amounts that answers are about.
func amountsAsked(answers []stream.Answer) []unit.Bytes {
	var amounts []unit.Bytes
	for _, a := range answers {
		for _, side := range []*stream.Side{a.Reading, a.Writing} {
			if side != nil && len(amounts) == 0 {
				for _, each := range side.Amounts {
					amounts = append(amounts, each.Amount)
				}
			}
		}
	}
	return amounts
}

func rateCarried(side *stream.Side) string {
	switch {
	case side == nil:
		return "not measured"
	case side.Lasting:
		return "yes"
	case side.Carried:
		return span(side) + " recorded"
	case side.UntilSeconds == 0:
		return "no"
	default:
		return "for " + span(side)
	}
}

func span(side *stream.Side) string { return unit.Span(unit.Duration(side.UntilSeconds)) }

// amountsOf says which amounts of a stream are carried: for reading / for writing.
func amountsOf(a stream.Answer, at int) string {
	text := func(side *stream.Side) string {
		if side == nil {
			return "–"
		}
		return string(side.Amounts[at].Held)
	}
	return text(a.Reading) + " / " + text(a.Writing)
}

func most(a stream.Answer) string {
	text := func(side *stream.Side) string {
		if side == nil {
			return "–"
		}
		if side.Most == stream.MostAtOnce {
			return unit.Grouped(int64(side.Most)) + " or more"
		}
		return unit.Grouped(int64(side.Most))
	}
	return text(a.Reading) + " / " + text(a.Writing)
}
