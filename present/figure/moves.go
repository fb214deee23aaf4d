package figure

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var movesForm = Form{
	Name: "moves", Question: "How long does an amount take?",
	Section: "moves", Title: "How long amounts take", Fold: "The times as a table",
	Missing:  "has no recording of large blocks in order, or of a copy, whose throughput changes or that others share",
	Together: true,
	Of:       func(subject Subject) []Figure { return asFigures(movesOf(subject)) },
}

// Moves is time against amount, a line a session.
type Moves struct {
	ID, Title, Subtitle string
	// Gigabytes is where the axis of amounts ends, and Unit that of times.
	Gigabytes float64
	Unit      string
	// Divisor is how many seconds the unit has.
	Divisor   float64
	Writes    bool
	Lines     []MoveLine
	Crossings []CrossingMark
	table     table.Table
}

// MoveLine is the curve of a session: points of gigabytes and times, recorded, and those
// beyond the recording where it is known how it goes on.
type MoveLine struct {
	Name     string
	Recorded []Along
	Beyond   []Along
}

// Along is a time at an amount.
type Along struct{ Gigabytes, Time float64 }

// CrossingMark is where another line is ahead.
type CrossingMark struct {
	Along
	Text string
}

// movesOf are the figures of a subject: one a load that sessions share, or that goes
// through levels.
func movesOf(subject Subject) []Moves {
	var order []session.Key
	sides := map[session.Key][]Side{}
	for _, s := range eachCell(subject.Sessions) {
		for _, curve := range move.Told(move.Of(s)) {
			key := curve.Key
			key.Amount = 0 // a curve is of all amounts
			if sides[key] == nil {
				order = append(order, key)
			}
			name := s.DisplayName()
			if s.Review != nil {
				name = s.Review.Cell
			}
			if len(sides[key]) < mostMoveLines {
				sides[key] = append(sides[key], Side{name, curve})
			}
		}
	}
	var all []Moves
	for _, key := range order {
		falls := slices.ContainsFunc(sides[key], func(s Side) bool { return s.Curve.Falls() })
		if falls && (len(sides[key]) > 1 || len(subject.Sessions) == 1 && !subject.Brief) {
			all = append(all, NewMoves(sides[key], nil))
		}
	}
	return all
}

// mostMoveLines are told apart in one figure.
const mostMoveLines = 6

// eachCell leaves of the sessions of a review the first of each cell; others are all kept.
func eachCell(sessions []*session.Session) []*session.Session {
	seen := map[string]bool{}
	return slices.DeleteFunc(slices.Clone(sessions), func(s *session.Session) bool {
		if s.Review == nil {
			return false
		}
		again := seen[s.Review.Cell]
		seen[s.Review.Cell] = true
		return again
	})
}

// Side is a session's curve.
type Side struct {
	Name  string
	Curve *move.Curve
}

// NewMoves draws curves of one load over each other, as far as the amounts that are asked
// for and a little beyond what was recorded.
func NewMoves(sides []Side, asked []unit.Bytes) Moves {
	key := sides[0].Curve.Key
	m := Moves{ID: "moves-" + slug(key.String()), Title: key.String(), Writes: key.Writes(), Unit: "s", Divisor: 1}
	m.Subtitle = "time to move an amount, lower is better; dashed beyond what was recorded"
	most := unit.Bytes(0)
	for _, s := range sides {
		most = max(most, s.Curve.Recorded())
	}
	for _, amount := range asked {
		most = max(most, amount)
	}
	crossings := make([][]move.Crossing, len(sides))
	for i, s := range sides[1:] {
		crossings[i+1] = move.Crossings(sides[0].Curve, s.Curve)
		for _, crossing := range crossings[i+1] {
			most = max(most, crossing.Amount*13/10)
		}
	}
	m.Gigabytes = Top(float64(most) / 1e9)
	for _, s := range sides {
		m.Lines = append(m.Lines, m.line(s))
	}
	m.scale()
	for i, s := range sides {
		for _, crossing := range crossings[i] {
			names := [2]string{sides[0].Name, s.Name}
			at := sides[0].Curve.For(crossing.Amount).Seconds / m.Divisor
			m.Crossings = append(m.Crossings, CrossingMark{Along{float64(crossing.Amount) / 1e9, at},
				fmt.Sprintf("from %s on %s is ahead", crossing.Amount.Decimal(), names[crossing.After])})
		}
	}
	m.table = timesTable(sides, asked)
	return m
}

// slug is a text as a part of an id.
func slug(text string) string {
	return strings.Trim(strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			return r
		case r >= 'A' && r <= 'Z':
			return r + 'a' - 'A'
		}
		return '-'
	}, text), "-")
}

func (m *Moves) line(s Side) MoveLine {
	const points = 120
	line := MoveLine{Name: s.Name, Recorded: []Along{{}}}
	for i := 1; i <= points; i++ {
		gigabytes := m.Gigabytes * float64(i) / points
		t := s.Curve.For(unit.Bytes(gigabytes * 1e9))
		switch {
		case !t.Known():
		case t.Extrapolated:
			if len(line.Beyond) == 0 {
				line.Beyond = append(line.Beyond, line.Recorded[len(line.Recorded)-1])
			}
			line.Beyond = append(line.Beyond, Along{gigabytes, t.Seconds})
		default:
			line.Recorded = append(line.Recorded, Along{gigabytes, t.Seconds})
		}
	}
	return line
}

// Most is the longest time of all.
func (m Moves) Most() float64 {
	most := 0.0
	for _, line := range m.Lines {
		for _, p := range slices.Concat(line.Recorded, line.Beyond) {
			most = max(most, p.Time)
		}
	}
	return most
}

// scale chooses seconds, minutes or hours.
func (m *Moves) scale() {
	switch most := m.Most(); {
	case most > 3*3600:
		m.Unit, m.Divisor = "h", 3600
	case most > 180:
		m.Unit, m.Divisor = "min", 60
	}
	for i := range m.Lines {
		for _, points := range [][]Along{m.Lines[i].Recorded, m.Lines[i].Beyond} {
			for j := range points {
				points[j].Time /= m.Divisor
			}
		}
	}
}

func timesTable(sides []Side, asked []unit.Bytes) table.Table {
	t := table.Table{Columns: []table.Column{table.Text("amount")}}
	for _, s := range sides {
		t.Columns = append(t.Columns, table.Number(s.Name))
	}
	amounts := slices.Concat(move.Amounts, asked)
	slices.Sort(amounts)
	for _, amount := range slices.Compact(amounts) {
		row := []string{amount.Decimal()}
		for _, s := range sides {
			row = append(row, s.Curve.For(amount).Words())
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

// Head is what stands over the figure.
func (m Moves) Head() Head {
	return Head{ID: m.ID, Title: m.Title, Subtitle: m.Subtitle, Message: m.message()}
}

// Summary says in words what it shows.
func (m Moves) Summary() string {
	var texts []string
	for _, line := range m.Lines {
		last := line.Recorded[len(line.Recorded)-1]
		texts = append(texts, fmt.Sprintf("%s moves %s GB in %s %s", line.Name, unit.Digits(last.Gigabytes, 4),
			unit.Digits(last.Time, 3), m.Unit))
	}
	for _, mark := range m.Crossings {
		texts = append(texts, mark.Text)
	}
	return "Time against amount: " + strings.Join(texts, "; ") + "."
}

// Table has the times of amounts.
func (m Moves) Table() table.Table { return m.table }
