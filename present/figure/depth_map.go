package figure

import (
	"fmt"
	"slices"

	"opengauge/core/plan"
	"opengauge/core/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

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
	// Cells are rows of columns; one that was not measured is not Known.
	Cells [][]Cell `json:"cells"`
}

// Cell is one combination of a depth map.
type Cell struct {
	Known bool    `json:"known"`
	Value float64 `json:"value"`
	// Text is the value as people read it, without its unit.
	Text  string  `json:"text"`
	Share float64 `json:"share"`
}

// mapKey is what the cells of one map have in common.
type mapKey struct {
	operation plan.Operation
	access    plan.Access
	besides   string
}

// fewestInMap is how many block sizes and depths make a map.
const fewestInMap = 2

// DepthMaps gives a map for each kind of pass that a session has in several
// block sizes and depths. A cell that was measured repeatedly shows its median.
func DepthMaps(s *session.Session, notation unit.Notation) []DepthMap {
	var order []mapKey
	groups := map[mapKey][]*session.Pass{}
	for at := range s.Passes {
		pass := &s.Passes[at]
		key := mapKey{pass.Operation, pass.Access, pass.Asked().Besides()}
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
	made := DepthMap{Title: fmt.Sprintf("%s: %s %s", s.DisplayName(), key.operation, key.access), Subtitle: subtitle(s), Unit: notation.Unit()}
	if key.besides != "" {
		made.Title += ", " + key.besides
	}
	rates := map[[2]int64][]float64{}
	for _, pass := range passes {
		blocks = append(blocks, pass.BlockBytes)
		made.Depths = append(made.Depths, pass.Depth)
		place := [2]int64{int64(pass.BlockBytes), int64(pass.Depth)}
		rates[place] = append(rates[place], float64(pass.BytesPerSecond))
	}
	blocks = sortedOnce(blocks)
	made.Depths = sortedOnce(made.Depths)
	ceiling, of := mapCeiling(s, passes, notation)
	made.Of = of
	for _, block := range blocks {
		made.Blocks = append(made.Blocks, block.String())
		row := make([]Cell, len(made.Depths))
		for column, depth := range made.Depths {
			measured := rates[[2]int64{int64(block), int64(depth)}]
			if len(measured) == 0 {
				continue
			}
			rate := unit.BytesPerSecond(stat.Median(measured))
			row[column] = Cell{Known: true, Value: notation.Value(rate), Text: notation.Number(rate), Share: float64(rate / ceiling)}
		}
		made.Cells = append(made.Cells, row)
	}
	return made
}

// mapCeiling is what the shares of a map are of.
func mapCeiling(s *session.Session, passes []*session.Pass, notation unit.Notation) (unit.BytesPerSecond, string) {
	if hop, known := s.Chain.Binding(); known {
		return hop.Usable.High, "of the ceiling of " + hop.Name + ", " + notation.Rate(hop.Usable.High)
	}
	fastest := unit.BytesPerSecond(1)
	for _, pass := range passes {
		fastest = max(fastest, pass.BytesPerSecond)
	}
	return fastest, "of the fastest, " + notation.Rate(fastest)
}

func sortedOnce[T int | unit.Bytes](values []T) []T {
	slices.Sort(values)
	return slices.Compact(values)
}
