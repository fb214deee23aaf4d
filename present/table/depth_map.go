package table

import (
	"fmt"
	"strconv"

	"opengauge/present/figure"
)

// DepthMap is the table behind a depth map: a row for each block size, largest
// first.
func DepthMap(m figure.DepthMap) Table {
	t := Table{Columns: []Column{number("block")}}
	for _, depth := range m.Depths {
		t.Columns = append(t.Columns, number("depth "+strconv.Itoa(depth)))
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
