package link

import (
	"fmt"
	"slices"
	"strings"

	"github.com/agext/levenshtein"

	"opengauge/core/unit"
)

// Standard is a link standard at one lane count: how fast it signals and what
// its coding and its protocol take away.
type Standard struct {
	// Name is the one spelling: "usb 3.2 gen 2".
	Name string
	// Family is what the standard belongs to: "PCI Express", "USB".
	Family string
	Lanes  int
	// About says what sets it apart, in a few words.
	About string
	// lineBits is the signalling rate of one lane in bits a second.
	lineBits float64
	// coding is the share of the line that carries payload bits.
	coding float64
	// usable is the least and the most share of the payload that data gets.
	usable shares
}

// shares is a low and a high share of something.
type shares struct{ low, high float64 }

func (s shares) times(share float64) shares { return shares{s.low * share, s.high * share} }

// Standards gives every standard that is known, families together.
func Standards() []Standard { return slices.Clone(standards) }

// standards is the table of all families, made once.
var standards = slices.Concat(
	pcie(), usb(), tunnels(), sata(), sas(), cards(), ufs(), ethernet(), wireless(),
)

// Find gives the standard of that name, whatever its case and spacing. The
// error for an unknown name gives the nearest ones.
func Find(name string) (Standard, error) {
	wanted := squeezed(name)
	for _, standard := range standards {
		if squeezed(standard.Name) == wanted {
			return standard, nil
		}
	}
	return Standard{}, fmt.Errorf("unknown link standard %q; the nearest are %s; opengauge link lists all",
		strings.TrimSpace(name), strings.Join(nearest(wanted), ", "))
}

// squeezed takes out of a name what its spelling may vary in.
func squeezed(name string) string {
	return strings.Map(func(r rune) rune {
		if r == ' ' || r == '\t' || r == '-' || r == '_' {
			return -1
		}
		return r
	}, strings.ToLower(name))
}

// nearest gives the names that are spelled most like a wrong one.
func nearest(wanted string) []string {
	const offered = 3
	names := make([]string, len(standards))
	for i, standard := range standards {
		names[i] = standard.Name
	}
	distance := func(name string) int {
		if strings.HasPrefix(squeezed(name), wanted) {
			return 0
		}
		return levenshtein.Distance(wanted, squeezed(name), nil)
	}
	slices.SortStableFunc(names, func(a, b string) int { return distance(a) - distance(b) })
	return names[:offered]
}

// Ceiling computes the standard's three figures.
func (s Standard) Ceiling() Ceiling {
	line := s.lineBits * float64(s.Lanes) / 8
	payload := line * s.coding
	return Ceiling{
		Line:    unit.BytesPerSecond(line),
		Payload: unit.BytesPerSecond(payload),
		Usable: Range{
			Low:  unit.BytesPerSecond(payload * s.usable.low),
			High: unit.BytesPerSecond(payload * s.usable.high),
		},
	}
}

// State is a link that runs by the standard.
func (s Standard) State() State {
	return State{Standard: s.Name, Lanes: s.Lanes, Ceiling: s.Ceiling()}
}

// Hop makes a hop of this standard for the named thing on the bench.
func (s Standard) Hop(name string) Hop { return Hop{Name: name, State: s.State()} }
