// Package fileset makes file sets for copying: lists of files whose sizes, places and contents
// follow from a seed, so that another lab makes the same bytes. It also describes existing folders
// by the spread of their sizes.
//
// Sets are values. A reader of contents belongs to one goroutine.
package fileset

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"

	"opengauge/core/unit"
)

// Entry is one file of a set. Path is relative, with slashes.
type Entry struct {
	Path string
	Size unit.Bytes
	// CompressibleShare is how much of its content can be compressed away.
	CompressibleShare float64
}

// Set is files to be copied.
type Set struct {
	Name string
	// Seed determines sizes, names and contents; an existing folder has none.
	Seed    uint64
	Entries []Entry
	// Left are files of a folder that are not copied, and why.
	Left []string
}

// Bytes is how much all files hold together.
func (s Set) Bytes() unit.Bytes {
	var sum unit.Bytes
	for _, entry := range s.Entries {
		sum += entry.Size
	}
	return sum
}

// class is files of a kind that a set has. Sizes are spread log-normally, as those
// of files are (Downey, The structural cause of file size distributions, 2001).
type class struct {
	// share is of the set's bytes.
	share float64
	// median is of the sizes, and spread the standard deviation of their
	// logarithms.
	median       unit.Bytes
	spread       float64
	compressible float64
	ending       string
	// depth is how many folders deep, at the most, and perFolder how many files a
	// folder holds.
	depth, perFolder int
}

// Recipe is a kind of set that can be made.
type Recipe struct {
	Name, About string
	classes     []class
}

// Recipes lists the kinds of sets that can be made.
var Recipes = []Recipe{
	{"large-file", "one large file that cannot be compressed, like a recording", []class{
		{1, 0, 0, 0, "bin", 0, 1},
	}},
	{"mixed-folder", "documents, pictures and a few films, some folders deep", []class{
		{0.02, 8 * unit.KiB, 1.1, 0.6, "txt", 4, 40}, {0.10, 300 * unit.KiB, 1, 0.3, "doc", 4, 30},
		{0.38, 4 * unit.MiB, 0.4, 0, "pic", 3, 120}, {0.50, 60 * unit.MiB, 0.6, 0, "film", 2, 12},
	}},
	{"small-files", "thousands of small files", []class{
		{1, 6 * unit.KiB, 1, 0.5, "txt", 3, 100},
	}},
	{"archive", "a few large compressed files with lists beside them", []class{
		{0.995, 200 * unit.MiB, 0.5, 0, "pack", 1, 16}, {0.005, 60 * unit.KiB, 0.8, 0.7, "list", 1, 16},
	}},
	{"media-project", "clips, their previews, and small project files", []class{
		{0.88, 150 * unit.MiB, 0.7, 0, "clip", 2, 20}, {0.10, 3 * unit.MiB, 0.5, 0.05, "preview", 3, 50},
		{0.02, 20 * unit.KiB, 1, 0.7, "note", 3, 50},
	}},
	{"application", "a program: libraries, data, and many small parts", []class{
		{0.12, 4 * unit.KiB, 1.2, 0.6, "part", 5, 60}, {0.38, 120 * unit.KiB, 1.1, 0.5, "lib", 4, 60},
		{0.50, 12 * unit.MiB, 0.9, 0.4, "data", 2, 20},
	}},
}

// Names lists the names of the kinds.
func Names() []string {
	names := make([]string, len(Recipes))
	for i, kind := range Recipes {
		names[i] = kind.Name
	}
	return names
}

// Sizes that a set may have.
const (
	SmallestSet = unit.MiB
	LargestSet  = 100 * unit.TiB
	mostFiles   = 2_000_000
)

// New makes a set of a kind that holds exactly so much. The same kind, size and
// seed give the same set everywhere.
func New(name string, total unit.Bytes, seed uint64) (Set, error) {
	at := slices.IndexFunc(Recipes, func(k Recipe) bool { return k.Name == name })
	switch {
	case at < 0:
		return Set{}, fmt.Errorf("unknown file set %q; there are %s", name, strings.Join(Names(), ", "))
	case total < SmallestSet || total > LargestSet:
		return Set{}, fmt.Errorf("a file set of %s is not between %s and %s", total.Decimal(), SmallestSet, LargestSet)
	}
	set := Set{Name: name, Seed: seed}
	left := total
	for number, class := range Recipes[at].classes {
		budget := unit.Bytes(float64(total) * class.share)
		if number == len(Recipes[at].classes)-1 {
			budget = left
		}
		left -= budget
		if err := set.add(class, budget, rand.New(rand.NewPCG(seed, uint64(number)))); err != nil {
			return Set{}, err
		}
	}
	return set, nil
}

var errTooMany = fmt.Errorf("the set would have more than %d files; choose a smaller size", mostFiles)

// add adds files of a class until its budget is used up. The last file takes the remainder.
func (s *Set) add(c class, budget unit.Bytes, chance *rand.Rand) error {
	// A file holds exp(spread²/2) medians on average; far too many are refused before any is made.
	if mean := float64(c.median) * math.Exp(c.spread*c.spread/2); c.median > 0 && float64(budget) > 2*mostFiles*mean {
		return errTooMany
	}
	for count := 0; budget > 0; count++ {
		size := budget
		if c.median > 0 {
			size = min(unit.Bytes(float64(c.median)*math.Exp(c.spread*chance.NormFloat64()))+1, budget)
		}
		budget -= size
		if len(s.Entries) == mostFiles {
			return errTooMany
		}
		s.Entries = append(s.Entries, Entry{Path: c.place(count, chance), Size: size,
			CompressibleShare: c.compressible})
	}
	return nil
}

// place gives the path of a class's file of that number.
func (c class) place(number int, chance *rand.Rand) string {
	folder := number / c.perFolder
	path := ""
	for level := range min(c.depth, 1+folder%max(c.depth, 1)) {
		path += fmt.Sprintf("%s-%d/", c.ending, folder>>level)
	}
	return fmt.Sprintf("%s%s-%d-%04x.%s", path, c.ending, number, chance.Uint32()&0xffff, c.ending)
}

// Spread says how the sizes of a set are spread.
type Spread struct {
	Files    int        `json:"files"`
	Bytes    unit.Bytes `json:"bytes"`
	Smallest unit.Bytes `json:"smallest_bytes"`
	// The quartiles are of the files by count, and half of the bytes are in files
	// of HalfOfBytesIn or more.
	Quarter       unit.Bytes `json:"quarter_bytes"`
	Median        unit.Bytes `json:"median_bytes"`
	ThreeQuarters unit.Bytes `json:"three_quarters_bytes"`
	Largest       unit.Bytes `json:"largest_bytes"`
	HalfOfBytesIn unit.Bytes `json:"half_of_bytes_in_files_from_bytes"`
	Folders       int        `json:"folders"`
	Deepest       int        `json:"deepest"`
}

// Spread describes the set.
func (s Set) Spread() Spread {
	if len(s.Entries) == 0 {
		return Spread{}
	}
	sizes := make([]unit.Bytes, len(s.Entries))
	folders := map[string]bool{}
	spread := Spread{Files: len(s.Entries), Bytes: s.Bytes()}
	for i, entry := range s.Entries {
		sizes[i] = entry.Size
		if cut := strings.LastIndex(entry.Path, "/"); cut >= 0 {
			folders[entry.Path[:cut]] = true
		}
		spread.Deepest = max(spread.Deepest, strings.Count(entry.Path, "/"))
	}
	slices.Sort(sizes)
	at := func(share float64) unit.Bytes { return sizes[int(share*float64(len(sizes)-1)+0.5)] }
	spread.Smallest = sizes[0]
	spread.Quarter = at(0.25)
	spread.Median = at(0.5)
	spread.ThreeQuarters = at(0.75)
	spread.Largest = at(1)
	spread.Folders = len(folders)
	sum := unit.Bytes(0)
	for place := len(sizes) - 1; place >= 0; place-- {
		if sum += sizes[place]; 2*sum >= spread.Bytes {
			spread.HalfOfBytesIn = sizes[place]
			break
		}
	}
	return spread
}
