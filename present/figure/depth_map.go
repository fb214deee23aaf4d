package figure

import (
	"fmt"
	"slices"
	"strconv"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var depthMapForm = Form{
	Name: "depth-map", Question: "Which sizes and depths fill the link?",
	Section: "maps", Title: "Depth maps", Fold: "The cells as a table",
	Missing: "has no two block sizes and depths, so there is no map to draw",
	Of: each(func(s *session.Session,
		subject Subject) []Figure {
		return asFigures(DepthMaps(s, subject.Notation))
	}),
}

// Head is what stands over the map.
func (m DepthMap) Head() Head {
	return Head{ID: m.ID, Title: m.Title, Subtitle: m.Subtitle, Message: m.message()}
}

// Summary says in words what the map shows.
func (m DepthMap) Summary() string {
	return fmt.Sprintf("Depth map: %s for %d block sizes by %d queue depths, shaded by the share %s",
		m.Unit, len(m.Blocks), len(m.Depths), m.Of)
}

// DepthMap is block size by queue depth, shaded by the share of the chain's
// ceiling, or of the fastest cell where no ceiling is known.
type DepthMap struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Subtitle string `json:"subtitle"`
	Unit     string `json:"unit"`
	// Of says what shares are of: "of the ceiling of limpet, 1 079 MB/s".
	Of     string   `json:"of"`
	Blocks []string `json:"blocks"` // rows, smallest first
	Depths []int    `json:"depths"` // columns, smallest first
	// Cells are rows of columns; one that was neither measured nor filled in is
	// not Known.
	Cells [][]Cell `json:"cells"`
	// FilledIn is how many cells were filled in from others, and not measured.
	FilledIn int `json:"filled_in"`
}

// FilledInMark stands before the value of a cell that was not measured.
const FilledInMark = "≈"

// Cell is one combination of a depth map.
type Cell struct {
	Known bool    `json:"known"`
	Value float64 `json:"value"`
	// Text is the value as people read it, without its unit, and with the mark
	// of one that was filled in.
	Text  string  `json:"text"`
	Share float64 `json:"share"`
}

// mapKey is what the cells of one map have in common.
type mapKey struct {
	operation load.Operation
	access    load.Access
	besides   string
}

// place is a cell of a map.
type place struct {
	block unit.Bytes
	depth int
}

// fewestInMap is how many block sizes and depths make a map.
const fewestInMap = 2

// DepthMaps gives a map for each kind of pass that a session has in several
// block sizes and depths. A cell that was measured repeatedly shows its median.
func DepthMaps(s *session.Session, notation unit.Notation) []DepthMap {
	var order []mapKey
	groups := map[mapKey][]*session.Pass{}
	for i := range s.Passes {
		pass := &s.Passes[i]
		key := mapKey{pass.Operation, pass.Access, pass.Besides()}
		if groups[key] == nil {
			order = append(order, key)
		}
		groups[key] = append(groups[key], pass)
	}
	var maps []DepthMap
	for _, key := range order {
		made := newDepthMap(s, key, groups[key], notation)
		if len(made.Blocks) >= fewestInMap && len(made.Depths) >= fewestInMap {
			made.ID = fmt.Sprintf("map-%s-%d", s.ID, len(maps))
			maps = append(maps, made)
		}
	}
	return maps
}

func newDepthMap(s *session.Session, key mapKey, passes []*session.Pass, notation unit.Notation) DepthMap {
	var blocks []unit.Bytes
	made := DepthMap{Title: fmt.Sprintf("%s: %s %s", s.DisplayName(), key.operation, key.access),
		Subtitle: subtitle(s), Unit: notation.Unit()}
	if key.besides != "" {
		made.Title += ", " + key.besides
	}
	rates := map[place][]float64{}
	for _, pass := range passes {
		blocks = append(blocks, pass.Block)
		made.Depths = append(made.Depths, pass.Depth)
		at := place{pass.Block, pass.Depth}
		rates[at] = append(rates[at], float64(pass.BytesPerSecond))
	}
	filledIn := estimates(s, key)
	for at := range filledIn {
		blocks, made.Depths = append(blocks, at.block), append(made.Depths, at.depth)
	}
	blocks = sortedOnce(blocks)
	made.Depths = sortedOnce(made.Depths)
	ceiling, of := mapCeiling(s, passes, notation)
	made.Of = of
	for _, block := range blocks {
		made.Blocks = append(made.Blocks, block.String())
		row := make([]Cell, len(made.Depths))
		for column, depth := range made.Depths {
			mark, rate, known := "", filledIn[place{block, depth}], true
			if measured := rates[place{block, depth}]; len(measured) > 0 {
				rate = unit.BytesPerSecond(stat.Median(measured))
			} else if rate > 0 {
				mark = FilledInMark
				made.FilledIn++
			} else {
				known = false
			}
			if known {
				row[column] = Cell{Known: true, Value: notation.Value(rate), Text: mark + notation.Number(rate),
					Share: float64(rate / ceiling)}
			}
		}
		made.Cells = append(made.Cells, row)
	}
	return made
}

// estimates are the rates that were filled in for the cells of a map.
func estimates(s *session.Session, key mapKey) map[place]unit.BytesPerSecond {
	rates := map[place]unit.BytesPerSecond{}
	for i := range s.Estimates {
		e := &s.Estimates[i]
		if key == (mapKey{e.Operation, e.Access, e.Besides()}) {
			rates[place{e.Block, e.Depth}] = e.BytesPerSecond
		}
	}
	return rates
}

// mapCeiling is what the shares of a map are of.
func mapCeiling(s *session.Session, passes []*session.Pass, notation unit.Notation) (unit.BytesPerSecond, string) {
	if hop, ok := s.Chain.Binding(); ok {
		return hop.Usable.High, "of the ceiling of " + hop.Name + ", " + notation.Rate(hop.Usable.High)
	}
	fastest := unit.BytesPerSecond(1)
	for _, pass := range passes {
		fastest = max(fastest, pass.BytesPerSecond)
	}
	return fastest, "of the fastest, " + notation.Rate(fastest)
}

// Note says what marked cells are, or is empty where there are none.
func (m DepthMap) Note() string {
	if m.FilledIn == 0 {
		return ""
	}
	return fmt.Sprintf("%s marks %s, filled in from those measured.", FilledInMark, unit.Count(m.FilledIn, "cell"))
}

func sortedOnce[T int | unit.Bytes](values []T) []T {
	slices.Sort(values)
	return slices.Compact(values)
}

// Table is the table behind a depth map: a row for each block size, largest
// first.
func (m DepthMap) Table() table.Table {
	t := table.Table{Columns: []table.Column{table.Number("block")}}
	for _, depth := range m.Depths {
		t.Columns = append(t.Columns, table.Number("depth "+strconv.Itoa(depth)))
	}
	for row := len(m.Blocks) - 1; row >= 0; row-- {
		cells := []string{m.Blocks[row]}
		for _, cell := range m.Cells[row] {
			if !cell.Known {
				cells = append(cells, "")
				continue
			}
			cells = append(cells, fmt.Sprintf("%s (%.0f %%)", cell.Text, cell.Share*100))
		}
		t.Rows = append(t.Rows, cells)
	}
	t.Notes = []string{m.Unit + ", and in brackets the share " + m.Of + "."}
	if note := m.Note(); note != "" {
		t.Notes = append(t.Notes, note)
	}
	return t
}
