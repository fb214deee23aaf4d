package book

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/link"
)

// Setup is the parts that a measurement goes through, and the hops that they
// make.
type Setup struct {
	Name  string
	Parts []Part
	Chain link.Chain
}

// Resolve returns the set-up that a text names: a chain of the book, or parts of it with commas between them,
// in any order.
func (b Book) Resolve(text string) (Setup, error) {
	names, named := b.namesIn(text)
	setup, err := b.resolve(names)
	if named {
		setup.Name, setup.Chain.Name = text, text
	}
	return setup, err
}

// namesIn gives the names of the parts that a text names, and whether by a chain
// of the book.
func (b Book) namesIn(text string) (names []string, named bool) {
	for _, chain := range b.Chains {
		if chain.Name == text {
			return chain.Parts, true
		}
	}
	return strings.Split(text, ","), false
}

// HasChain says whether the book names a chain so.
func (b Book) HasChain(name string) bool {
	_, named := b.namesIn(name)
	return named
}

// ResolveWith resolves a text together with more parts, of those kinds that it does
// not name itself. Parts that the book does not know are left out.
func (b Book) ResolveWith(text string, more ...string) (Setup, error) {
	setup, err := b.Resolve(text)
	if err != nil {
		return setup, err
	}
	names, _ := b.namesIn(text)
	for _, name := range more {
		added, ok := b.Part(name)
		if !ok || slices.ContainsFunc(setup.Parts, func(p Part) bool { return p.Kind == added.Kind }) {
			continue
		}
		names = append(slices.Clone(names), name)
		if setup, err = b.resolve(names); err != nil {
			return setup, err
		}
	}
	return setup, nil
}

// chosen is a part, with the port of a host that is used.
type chosen struct {
	Part
	port Port
}

func (b Book) resolve(names []string) (Setup, error) {
	if len(names) == 0 {
		return Setup{}, errors.New("a chain needs at least one part")
	}
	var parts []chosen
	for _, name := range names {
		part, err := b.choose(strings.TrimSpace(name))
		if err != nil {
			return Setup{}, err
		}
		if slices.ContainsFunc(parts, func(other chosen) bool { return other.Kind == part.Kind }) {
			return Setup{}, fmt.Errorf("%s is the second %s of the chain; a chain has one of each kind", part.Name,
				part.Kind)
		}
		parts = append(parts, part)
	}
	slices.SortFunc(parts, func(a, b chosen) int {
		return slices.Index(kindOrder, a.Kind) - slices.Index(kindOrder, b.Kind)
	})
	setup := Setup{Chain: link.NewChain(hopsOf(parts)...)}
	for _, part := range parts {
		setup.Parts = append(setup.Parts, part.Part)
	}
	return setup, nil
}

// choose finds a part by its name, or a host and its port by "host.port".
func (b Book) choose(name string) (chosen, error) {
	host, portName, ported := strings.Cut(name, ".")
	part, ok := b.Part(host)
	switch {
	case !ok:
		return chosen{}, fmt.Errorf("the bench book has no chain and no part %q; it has %s", name,
			strings.Join(slices.Sorted(slices.Values(b.Names())), ", "))
	case part.Kind != Host && ported:
		return chosen{}, fmt.Errorf("%s is no host, so it has no port %q", host, portName)
	case part.Kind != Host:
		return chosen{Part: part}, nil
	case !ported && len(part.Ports) > 1:
		return chosen{}, fmt.Errorf("%s has several ports; say which, like %s.%s", host, host, part.Ports[0].Name)
	}
	for _, port := range part.Ports {
		if !ported || port.Name == portName {
			return chosen{Part: part, port: port}, nil
		}
	}
	return chosen{}, fmt.Errorf("%s has no port %q", host, portName)
}

// hopsOf returns the links that parts make, from the host on: its port, the cable, the enclosure's bridge,
// and the lesser of the standards by which the enclosure and the drive connect to each other.
func hopsOf(parts []chosen) []link.Hop {
	var hops []link.Hop
	add := func(standard link.Standard, name string) {
		hop := standard.Hop(name)
		hop.Source = link.FromBook
		hops = append(hops, hop)
	}
	var inside link.Standard
	for _, part := range parts {
		switch part.Kind {
		case Host:
			add(part.port.Link, part.Name+" "+part.port.Name)
		case Enclosure:
			add(part.Link, part.Name)
			inside = part.Inside
		case Volume:
			hops = append(hops, limitHop(InstanceLimit, part.Name+"'s instance", part.Instance)...)
			add(part.Link, "network to "+part.Name)
			hops = append(hops, limitHop(ProvisionedLimit, part.Name, part.Limits)...)
		case Drive:
			narrower := part.Link
			if inside.Name != "" && inside.Ceiling().Payload < narrower.Ceiling().Payload {
				narrower = inside
			}
			add(narrower, part.Name)
		default:
			add(part.Link, part.Name)
		}
	}
	return hops
}

// Standards of hops that are limits, and no links.
const (
	InstanceLimit    = "instance limit"
	ProvisionedLimit = "provisioned limit"
)

// IsLimit reports whether a hop is a limit, and no link.
func IsLimit(hop link.Hop) bool {
	return hop.Standard == ProvisionedLimit || hop.Standard == InstanceLimit
}

// limitHop makes a hop of limits, or none where they do not bound bytes.
func limitHop(standard, name string, limits Limits) []link.Hop {
	most := limits.Most()
	if most == 0 {
		return nil
	}
	ceiling := link.Ceiling{Line: most, Payload: most, Usable: link.Range{Low: most, High: most}}
	return []link.Hop{{Name: name, Source: link.FromBook, State: link.State{Standard: standard, Ceiling: ceiling}}}
}

// Merge combines the book's chain with the machine's report of the same chain: the machine's hops, with the
// book's parts that no machine reports. Where both speak of links of one family and the machine's carries
// less than every part of the book, they contradict each other, and the hop's capable state is the book's.
func (s Setup) Merge(surveyed link.Chain) link.Chain {
	if len(surveyed.Hops) == 0 {
		return s.Chain
	}
	var hops []link.Hop
	var contradictions []string
	seen := map[string]bool{}
	for _, hop := range surveyed.Hops {
		said, parts := s.narrowest(hop.Standard)
		if said.Known() && hop.Known() {
			seen[family(hop.Standard)] = true
			if hop.State.Below(said) {
				contradictions = append(contradictions,
					fmt.Sprintf("the bench book says %s for %s, but the machine runs %s at %s", said.Standard, parts,
						hop.Name, hop.Standard))
				if hop.Capable == nil {
					hop.Capable = &said
				}
			}
			if said.Below(hop.State) {
				contradictions = append(contradictions,
					fmt.Sprintf("the bench book says %s for %s, but the machine runs %s at %s, which is more",
						said.Standard, parts, hop.Name, hop.Standard))
			}
		}
		hops = append(hops, hop)
	}
	for _, hop := range s.Chain.Hops {
		if !seen[family(hop.Standard)] {
			hops = append(hops, hop)
		}
	}
	merged := link.NewChain(hops...)
	merged.Name, merged.Contradictions = s.Chain.Name, contradictions
	return merged
}

// narrowest is the least that the book's parts of a standard's family can do,
// and their names.
func (s Setup) narrowest(standard string) (link.State, string) {
	var least link.State
	var names []string
	for _, hop := range s.Chain.Hops {
		if family(hop.Standard) != family(standard) {
			continue
		}
		names = append(names, hop.Name)
		if !least.Known() || hop.State.Below(least) {
			least = hop.State
		}
	}
	return least, strings.Join(names, ", ")
}

// family returns the family of a standard, or its own name where it is not known.
func family(standard string) string {
	if found, err := link.Find(standard); err == nil {
		return found.Family
	}
	return standard
}
