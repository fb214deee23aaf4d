package load

import (
	"fmt"

	"opengauge/core/unit"
)

// Geometry is a stretch of a target and the rules for requests in it. The zero values of Alignment and
// Cell demand nothing.
type Geometry struct {
	Start, Length unit.Bytes
	// Alignment divides the start and the length of every request that the target takes.
	Alignment unit.Bytes
	// Cell is the unit in which data is verified. It divides the start and the length of every request.
	Cell unit.Bytes
}

// Area is a stretch of a target that is gone over in whole blocks. Only [Geometry.Area], [Geometry.Tile]
// and [Load.Area] make one, so that each keeps to the rules of its geometry.
type Area struct {
	geometry Geometry
	block    unit.Bytes
	count    int64
}

// Area returns the area of as many whole blocks as the stretch has. It fails where a block would not keep
// to the rules, and where there is none.
func (g Geometry) Area(block unit.Bytes) (Area, error) {
	switch {
	case block <= 0:
		return Area{}, fmt.Errorf("block size %d is not positive", block)
	case g.Start < 0 || g.Length < block:
		return Area{}, &SpanError{Span: g.Length, Block: block, Workers: 1}
	case g.Alignment > 0 && block%g.Alignment != 0:
		return Area{}, fmt.Errorf("the storage takes only multiples of %s, and not blocks of %s; use a plan with larger "+
			"blocks", g.Alignment, block)
	case g.Alignment > 0 && g.Start%g.Alignment != 0:
		return Area{}, fmt.Errorf("the storage takes only multiples of %s, and no request at byte %d", g.Alignment,
			g.Start)
	case g.Cell > 0 && (block%g.Cell != 0 || g.Start%g.Cell != 0):
		return Area{}, fmt.Errorf("blocks of %s from byte %d cannot be verified in cells of %s", block, g.Start, g.Cell)
	}
	return Area{geometry: g, block: block, count: int64(g.Length / block)}, nil
}

// Tile returns areas that cover the stretch once, in order: one in blocks of the given size, and one of a
// single smaller block where a remainder is left.
func (g Geometry) Tile(block unit.Bytes) ([]Area, error) {
	var areas []Area
	for g.Length > 0 {
		area, err := g.Area(min(block, g.Length))
		if err != nil {
			return nil, err
		}
		areas = append(areas, area)
		g.Start += area.Length()
		g.Length -= area.Length()
	}
	return areas, nil
}

// Area returns the part of a stretch that the load touches. It fails where the storage does not take its
// blocks, and with a [SpanError] where some worker has no block.
func (l Load) Area(g Geometry) (Area, error) {
	if l.Span > 0 {
		g.Length = min(l.Span, g.Length)
	}
	workers := int64(max(l.Workers, 1))
	if g.Length < l.Block*unit.Bytes(workers) {
		return Area{}, &SpanError{Span: g.Length, Block: l.Block, Workers: int(workers)}
	}
	return g.Area(l.Block)
}

// Start is where the first block begins.
func (a Area) Start() unit.Bytes { return a.geometry.Start }

// Block is the size of a block.
func (a Area) Block() unit.Bytes { return a.block }

// Count is the number of blocks.
func (a Area) Count() int64 { return a.count }

// Length is the size of all blocks together.
func (a Area) Length() unit.Bytes { return a.block * unit.Bytes(a.count) }

// Cell is the unit in which its data is verified, or 0.
func (a Area) Cell() unit.Bytes { return a.geometry.Cell }

// Part returns the blocks of one of several workers, which all have equally many.
func (a Area) Part(worker, workers int) Area {
	a.count /= int64(max(workers, 1))
	a.geometry.Start += unit.Bytes(worker) * a.Length()
	return a
}

// Common returns the largest size up to one that divides the blocks and the starts of all areas.
func Common(size unit.Bytes, areas ...Area) unit.Bytes {
	for _, area := range areas {
		size = unit.CommonDivisor(size, unit.CommonDivisor(area.Block(), area.Start()))
	}
	return size
}

// SpanError reports that a stretch is smaller than a block for each worker.
type SpanError struct {
	Span, Block unit.Bytes
	Workers     int
}

func (e *SpanError) Error() string {
	each := ""
	if e.Workers > 1 {
		each = fmt.Sprintf(" for each of %d workers", e.Workers)
	}
	return fmt.Sprintf("the size to measure on, %s, is below one block of the plan, %s%s; "+
		"give a larger --size or a plan with smaller blocks", e.Span, e.Block, each)
}
