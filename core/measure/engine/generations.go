package engine

import (
	"sync"

	"opengauge/core/unit"
)

// generations are numbers of cells, kept as one where many cells in a row have the same:
// most of a device is written from one end to the other. Several workers may use them.
type generations struct {
	cells int64
	pages []page
}

// page is a run of pageCells cells.
type page struct {
	mutex sync.Mutex
	all   uint32   // of every cell, where each is nil
	each  []uint32 // of each cell
	// settled is about how many cells have the number last, with nothing under way.
	settled int64
	last    uint32
}

// pageCells is the number of cells kept together; each takes cellMemory where they differ, and a page takes
// pageMemory in any case.
const (
	pageCells  = 16 << 10
	cellMemory = 4
	pageMemory = 64
)

func newGenerations(cells int64) *generations {
	return &generations{cells: cells, pages: make([]page, (cells+pageCells-1)/pageCells)}
}

// set gives the cells from one to another, without that, a number.
func (g *generations) set(from, to int64, generation uint32) {
	for at := from; at < to; {
		number := at / pageCells
		end := min(to, (number+1)*pageCells)
		g.pages[number].set(at-number*pageCells, end-number*pageCells, g.in(number), generation)
		at = end
	}
}

// in is how many cells a page has.
func (g *generations) in(number int64) int64 { return min(pageCells, g.cells-number*pageCells) }

func (p *page) set(from, to, cells int64, generation uint32) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.each == nil && p.all == generation {
		return
	}
	if p.each == nil {
		p.each = make([]uint32, cells)
		for i := range p.each {
			p.each[i] = p.all
		}
	}
	for i := from; i < to; i++ {
		p.each[i] = generation
	}
	if generation&underWay == 0 {
		p.join(to-from, generation)
	}
}

// join keeps one number once all cells have the same.
func (p *page) join(more int64, generation uint32) {
	if p.last != generation {
		p.last = generation
		p.settled = 0
	}
	if p.settled += more; p.settled < int64(len(p.each)) {
		return
	}
	p.settled = 0
	for _, each := range p.each {
		if each == generation {
			p.settled++
		}
	}
	if p.settled == int64(len(p.each)) {
		p.all = generation
		p.each = nil
		p.settled = 0
	}
}

// of is the number of a cell; 0 is none.
func (g *generations) of(cell int64) uint32 {
	p := &g.pages[cell/pageCells]
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.each == nil {
		return p.all
	}
	return p.each[cell%pageCells]
}

// count is how many cells have a number.
func (g *generations) count() int64 {
	count := int64(0)
	for number := range g.pages {
		count += g.pages[number].known(g.in(int64(number)))
	}
	return count
}

func (p *page) known(cells int64) int64 {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.each == nil && p.all == 0 {
		return 0
	}
	count := cells
	for _, generation := range p.each {
		if generation == 0 {
			count--
		}
	}
	return count
}

// mostMemory is the most memory of a ledger.
const mostMemory = 256 * unit.MiB

// MostVerified is the largest span for which there is memory with cells of a size,
// where anywhere in it may be written, or where it is only ever written from one end to
// the other.
func MostVerified(cell unit.Bytes, anywhere bool) unit.Bytes {
	if anywhere {
		return mostMemory / (cellMemory*pageCells + pageMemory) * pageCells * cell
	}
	return mostMemory / 2 / pageMemory * pageCells * cell // half is left for pages that differ
}
