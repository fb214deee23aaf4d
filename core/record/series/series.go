// Package series reads a recording that was made elsewhere, a table of throughput
// and temperatures over time, and makes a session of it, so that everything that
// reads sessions works on it. What is wrong with a recording is put right where
// that cannot mislead, and named.
//
// Its functions keep nothing, and may be called by several goroutines at once.
package series

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// About is what the recording does not say of itself.
type About struct {
	Operation load.Operation
	Access    load.Access
	Block     unit.Bytes
	Depth     int
	// Ceiling is the most that the chain carries, or 0.
	Ceiling unit.BytesPerSecond
}

// Columns that a recording may have. The first two are needed; there may be
// several temperatures, as "temperature_celsius:NAME".
const (
	columnTime        = "t_seconds"
	columnRate        = "bytes_per_second"
	columnIOPS        = "iops"
	columnP50         = "p50_seconds"
	columnP99         = "p99_seconds"
	columnErrors      = "errors"
	columnTemperature = "temperature_celsius"
)

// Bounds of a time in seconds and of a rate, in bytes or operations a second, that
// mean anything, and of what a recording moves in all, in bytes, operations or errors.
const latest, quickest, mostMoved = 1e11, 1e15, 1e18

// mostGap is how many of the usual steps between lines count as looked at.
const mostGap = 3

// mostRows are kept; beyond that neighbours are put together.
const mostRows = 200_000

// row is one line of the recording.
type row struct {
	t, rate, iops, p50, p99 float64
	errors                  int64
	temperatures            []float64 // NaN where there is none
	// blank says that the line has a time and no throughput.
	blank bool
}

// reader reads a recording.
type reader struct {
	places  map[string]int
	sensors []string
	rows    []row
	// perRow is how many lines of the file are in one row.
	perRow, pending int

	shift    float64 // added to times, after the clock stepped back
	last     float64
	first    bool
	repeated int
	unread   int
	zeros    int // lines without a throughput in which nothing moved
	stepped  []session.Event
}

// Read reads a recording in CSV. The name is for messages.
func Read(name string, r io.Reader, about About) (*session.Session, error) {
	table := csv.NewReader(r)
	table.ReuseRecord, table.FieldsPerRecord, table.TrimLeadingSpace = true, -1, true
	header, err := table.Read()
	if errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("%s is empty; a recording begins with a line of column names", name)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	rd := &reader{perRow: 1, first: true}
	if err := rd.head(header); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	for {
		fields, err := table.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		rd.take(fields)
	}
	rd.judgeBlanks()
	if err := rd.check(); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return rd.session(name, about), nil
}

func (rd *reader) head(header []string) error {
	rd.places = map[string]int{}
	for i, title := range header {
		title = strings.TrimSpace(strings.TrimPrefix(title, "\ufeff"))
		if _, twice := rd.places[title]; twice {
			return fmt.Errorf("the column %q is there twice", title)
		}
		rd.places[title] = i
		if sensor, isSensor := strings.CutPrefix(title, columnTemperature); isSensor {
			rd.sensors = append(rd.sensors, strings.TrimPrefix(sensor, ":"))
		}
	}
	for _, needed := range []string{columnTime, columnRate} {
		if _, ok := rd.places[needed]; !ok {
			return fmt.Errorf("there is no column %q, but %s; a recording needs %s and %s, in seconds and in bytes "+
				"a second",
				needed, strings.Join(header, ", "), columnTime, columnRate)
		}
	}
	return nil
}

// number reads a column of a line; NaN where it is missing or no number.
func (rd *reader) number(fields []string, column string) float64 {
	at, ok := rd.places[column]
	if !ok || at >= len(fields) {
		return math.NaN()
	}
	value, err := strconv.ParseFloat(strings.TrimSpace(fields[at]), 64)
	if err != nil || math.IsInf(value, 0) {
		return math.NaN()
	}
	return value
}

// take enters a line, if it says when it was and how fast.
func (rd *reader) take(fields []string) {
	made := row{
		t: rd.number(fields, columnTime), rate: rd.number(fields, columnRate),
		iops: within(rd.number(fields, columnIOPS), quickest),
		p50:  within(rd.number(fields, columnP50), latest), p99: within(rd.number(fields, columnP99), latest),
		errors: int64(within(rd.number(fields, columnErrors), mostMoved/mostRows)),
	}
	made.blank = math.IsNaN(made.rate) && rd.perRow == 1 && !rd.first
	if made.blank {
		made.rate = 0
	}
	if !(math.Abs(made.t) <= latest) || !(made.rate >= 0 && made.rate <= quickest) {
		rd.unread++
		return
	}
	if !rd.inTime(&made) {
		return
	}
	for _, sensor := range rd.sensors {
		column := columnTemperature
		if sensor != "" {
			column += ":" + sensor
		}
		made.temperatures = append(made.temperatures, rd.number(fields, column))
	}
	rd.add(made)
}

// within is the value, or 0 if it is missing or beyond what can be.
func within(value, most float64) float64 {
	if value >= 0 && value <= most {
		return value
	}
	return 0
}

// inTime puts a line on one time axis: one at the time of the line before is left
// out; where the clock stepped back, all that follows is moved on.
func (rd *reader) inTime(made *row) bool {
	made.t += rd.shift
	switch {
	case rd.first:
		rd.shift -= made.t
		made.t, rd.first = 0, false
	case made.t == rd.last:
		rd.repeated++
		return false
	case made.t < rd.last:
		back := rd.last - made.t
		step := rd.interval()
		rd.shift += back + step
		made.t = rd.last + step
		const told = 20
		if len(rd.stepped) < told {
			rd.stepped = append(rd.stepped, session.Event{TSeconds: rd.last, Kind: event.Clock,
				Detail: fmt.Sprintf("the recording's clock stepped back by %s; what follows was moved on",
					unit.Stretch(back))})
		}
	}
	rd.last = made.t
	return true
}

// interval is how far apart lines were so far.
func (rd *reader) interval() float64 {
	if count := len(rd.rows)*rd.perRow + rd.pending; count > 1 {
		return rd.last / float64(count-1)
	}
	return 1
}

// add keeps a line. When there are too many, neighbours are put together.
func (rd *reader) add(made row) {
	if rd.pending > 0 {
		rd.rows[len(rd.rows)-1].join(made, rd.pending)
	} else {
		rd.rows = append(rd.rows, made)
	}
	if rd.pending++; rd.pending == rd.perRow {
		rd.pending = 0
	}
	if len(rd.rows) < mostRows || rd.pending > 0 {
		return
	}
	if rd.perRow == 1 {
		if rd.judgeBlanks(); len(rd.rows) < mostRows {
			return
		}
	}
	for i := range mostRows / 2 {
		pair := rd.rows[2*i]
		pair.join(rd.rows[2*i+1], 1)
		rd.rows[i] = pair
	}
	rd.rows, rd.perRow = rd.rows[:mostRows/2], rd.perRow*2
}

// Lines without a throughput are a device that did not answer, if there are so many one
// after the other, and errors with them, or the drive's own temperature is missing too;
// or if there are very many.
const fewestBlanks, manyBlanks = 3, 6

// judgeBlanks decides what lines without a throughput are: nothing moved, or nothing was
// noted. The first are kept as zeros, the others left out.
func (rd *reader) judgeBlanks() {
	kept := rd.rows[:0:0]
	for from := 0; from < len(rd.rows); {
		if !rd.rows[from].blank {
			kept = append(kept, rd.rows[from])
			from++
			continue
		}
		to := from
		errors, readings := int64(0), 0
		for ; to < len(rd.rows) && rd.rows[to].blank; to++ {
			errors += rd.rows[to].errors
			for _, value := range rd.rows[to].temperatures {
				if !math.IsNaN(value) {
					readings++
				}
			}
		}
		silent := errors > 0 || len(rd.sensors) > 0 && readings == 0
		if run := to - from; run >= manyBlanks || run >= fewestBlanks && silent {
			rd.zeros += run
			kept = append(kept, rd.rows[from:to]...)
		} else {
			rd.unread += run
		}
		from = to
	}
	for i := range kept {
		kept[i].blank = false
	}
	rd.rows = kept
}

// join puts another line behind a row that stands for count lines.
func (r *row) join(other row, count int) {
	share := 1 / float64(count+1)
	r.t = other.t
	r.rate += (other.rate - r.rate) * share
	r.iops += (other.iops - r.iops) * share
	r.p50, r.p99 = max(r.p50, other.p50), max(r.p99, other.p99)
	r.errors += other.errors
	for i := range r.temperatures {
		if !math.IsNaN(other.temperatures[i]) {
			r.temperatures[i] = other.temperatures[i]
		}
	}
}

const (
	// fewestRows make a recording.
	fewestRows = 3
	// slowest is a median throughput that no storage has, in bytes a second: the
	// figures are then in another unit. fastest is the same from above.
	slowest, fastest = 20_000.0, 1e12
)

func (rd *reader) check() error {
	if len(rd.rows) < fewestRows {
		return fmt.Errorf("%s of it say when they were and how fast; at least %d have to",
			unit.Count(len(rd.rows), "line"), fewestRows)
	}
	var moving []float64
	for _, r := range rd.rows {
		if r.rate > 0 {
			moving = append(moving, r.rate)
		}
	}
	if len(moving) == 0 {
		return errors.New("nothing ever moved: every throughput is 0")
	}
	switch median := stat.Median(moving); {
	case median < slowest:
		return fmt.Errorf("the typical throughput is %.4g bytes a second, slower than any storage: the figures "+
			"look like MB/s or IOPS; give %s in bytes", median, columnRate)
	case median > fastest:
		return fmt.Errorf("the typical throughput is %.4g bytes a second, faster than any storage; give %s in bytes",
			median, columnRate)
	}
	return rd.checkMoved()
}

// checkMoved refuses what no storage moves in all: its sums would not be numbers.
func (rd *reader) checkMoved() error {
	step := rd.typicalStep()
	last, bytes, operations := -step, 0.0, 0.0
	for _, r := range rd.rows {
		counted := min(r.t-last, mostGap*step)
		last = r.t
		bytes += r.rate * counted
		operations += r.iops * counted
	}
	if most := max(bytes, operations); !(most <= mostMoved) {
		return fmt.Errorf("it moves %.3g bytes or operations in all, more than any storage: lines are %.3g s apart; "+
			"give %s in seconds and %s in bytes a second", most, step, columnTime, columnRate)
	}
	return nil
}

// session makes a session of one pass.
func (rd *reader) session(name string, about About) *session.Session {
	step := rd.typicalStep()
	pass := session.Pass{
		Step: "series", Load: load.New(about.Operation, about.Access, about.Block, about.Depth), Direct: true,
		Queue: "recorded elsewhere",
	}
	readings, faulty := rd.believable()
	last, looked := -step, 0.0
	for i, r := range rd.rows {
		elapsed := r.t - last
		last = r.t
		// A gap in the recording is not an outage: nobody looked. Neither what may have
		// moved in it counts, nor its time.
		counted := min(elapsed, mostGap*step)
		looked += counted
		sample := session.Sample{
			TSeconds: r.t + step, ElapsedSeconds: counted, Bytes: unit.Bytes(r.rate * counted),
			BytesPerSecond: unit.BytesPerSecond(r.rate),
			IOPS:           r.iops, P50Seconds: r.p50, P99Seconds: r.p99, Errors: r.errors, TemperaturesCelsius: readings[i],
		}
		if sample.IOPS == 0 && about.Block > 0 {
			sample.IOPS = r.rate / float64(about.Block)
		}
		sample.Operations = int64(sample.IOPS * counted)
		pass.Samples = append(pass.Samples, sample)
		pass.Bytes += sample.Bytes
		pass.Operations += sample.Operations
		pass.Errors += sample.Errors
	}
	pass.ElapsedSeconds = pass.Samples[len(pass.Samples)-1].TSeconds
	pass.BytesPerSecond = unit.BytesPerSecond(float64(pass.Bytes) / looked)
	pass.IOPS = float64(pass.Operations) / looked
	s := &session.Session{
		Format: session.Format, Name: name, State: session.Complete,
		Target: session.Target{Address: name, Kind: "series"},
		Plan:   plan.Plan{Name: "series", Steps: []plan.Step{}},
		Chain:  link.NewChain(), Conditions: map[string]string{}, Passes: []session.Pass{pass},
		Events: rd.events(step, faulty), Findings: []session.Finding{},
	}
	if about.Ceiling > 0 {
		usable := link.Range{Low: about.Ceiling * 0.95, High: about.Ceiling}
		s.Chain = link.NewChain(link.Hop{Name: "the given ceiling",
			State: link.State{Standard: "ceiling", Ceiling: link.Ceiling{Line: about.Ceiling, Payload: about.Ceiling,
				Usable: usable}}})
	}
	return s
}

// typicalStep is how far apart rows are.
func (rd *reader) typicalStep() float64 {
	steps := make([]float64, 0, len(rd.rows))
	for i := 1; i < len(rd.rows); i++ {
		steps = append(steps, rd.rows[i].t-rd.rows[i-1].t)
	}
	return stat.Median(steps)
}

const (
	// jump is how far a temperature may be from its neighbours: a thermometer
	// that fails for a moment says 0 or 255.
	jump      = 25.0
	neighbour = 4
)

// believable gives the temperatures of each row that can be true, and how many
// cannot.
func (rd *reader) believable() (readings []map[string]unit.Celsius, faulty int) {
	readings = make([]map[string]unit.Celsius, len(rd.rows))
	for i := range readings {
		readings[i] = map[string]unit.Celsius{}
	}
	for number, sensor := range rd.sensors {
		if sensor == "" {
			sensor = "drive"
		}
		for i, r := range rd.rows {
			value := r.temperatures[number]
			if math.IsNaN(value) {
				continue
			}
			if !unit.Celsius(value).Believable() || math.Abs(value-rd.around(i, number)) > jump {
				faulty++
				continue
			}
			readings[i][sensor] = unit.Celsius(value)
		}
	}
	return readings, faulty
}

// around is the median temperature about a row.
func (rd *reader) around(at, sensor int) float64 {
	var near []float64
	for _, r := range rd.rows[max(at-neighbour, 0):min(at+neighbour+1, len(rd.rows))] {
		if value := r.temperatures[sensor]; !math.IsNaN(value) && unit.Celsius(value).Believable() {
			near = append(near, value)
		}
	}
	if len(near) == 0 {
		return math.NaN()
	}
	return stat.Median(near)
}

// events names what was wrong with the recording.
func (rd *reader) events(step float64, faulty int) []session.Event {
	events := slices.Clone(rd.stepped)
	add := func(at float64, format string, arguments ...any) {
		events = append(events, session.Event{TSeconds: at, Kind: event.Recording,
			Detail: fmt.Sprintf(format, arguments...)})
	}
	if rd.unread > 0 {
		add(0, "left out: %s without a time or a throughput", unit.Count(rd.unread, "line"))
	}
	if rd.zeros > 0 {
		add(0, "taken for nothing moving: %s without a throughput, one after the other", unit.Count(rd.zeros, "line"))
	}
	if rd.repeated > 0 {
		add(0, "left out: %s at the time of the line before", unit.Count(rd.repeated, "line"))
	}
	if faulty > 0 {
		add(0, "left out: %s that cannot be true", unit.Count(faulty, "temperature"))
	}
	if rd.perRow > 1 {
		add(0, "%d lines each were put together, as there are so many", rd.perRow)
	}
	const told = 20
	for i := 1; i < len(rd.rows) && len(events) < told; i++ {
		if gap := rd.rows[i].t - rd.rows[i-1].t; gap > 5*step {
			add(rd.rows[i-1].t, "nothing was recorded for %s", unit.Stretch(gap))
		}
	}
	return events
}
