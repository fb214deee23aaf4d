package network

import (
	"cmp"
	"fmt"
	"strings"

	"opengauge/core/bench/link"
)

// deepest is how many interfaces may stand on each other: a VLAN on a bridge on a bond,
// and no ring.
const deepest = 6

// Hops gives the links that an interface of a name is, from the machine outwards: one for
// an interface that is a link of its own, none where there is no such interface.
func (n Network) Hops(name string) []link.Hop {
	return n.hops(name, 0, deepest)
}

// hops gives those of an interface whose frames have so many tags.
func (n Network) hops(name string, tags, depth int) []link.Hop {
	i, ok := n.Interface(name)
	if !ok || depth == 0 {
		return nil
	}
	switch i.Kind {
	case Ethernet:
		return []link.Hop{i.ethernetHop(tags)}
	case Wireless:
		return []link.Hop{i.wirelessHop()}
	case VLAN:
		return n.renamed(i, n.hops(first(i.Below), tags+1, depth-1), i.vlanName())
	case Bond:
		return []link.Hop{n.bondHop(i, tags, depth)}
	case Bridge:
		return n.bridgeHops(i, tags, depth)
	case Loopback:
		return []link.Hop{plain(name, "loopback, in memory")}
	case Tunnel:
		return []link.Hop{plain(name, "tunnel")}
	case Virtual:
		return []link.Hop{plain(name, "virtual network")}
	}
	return []link.Hop{plain(name, "network")}
}

func first(names []string) string {
	if len(names) == 0 {
		return ""
	}
	return names[0]
}

// plain is a hop of which nothing is known but what it is.
func plain(name, standard string) link.Hop {
	return link.Trained(name, link.State{Standard: standard}, link.State{})
}

func (i Interface) vlanName() string {
	if i.Number > 0 {
		return fmt.Sprintf("VLAN %d", i.Number)
	}
	return "VLAN"
}

// renamed gives the hops that an interface is carried by under its own name; one that
// nobody knows where there are none.
func (n Network) renamed(i Interface, below []link.Hop, as string) []link.Hop {
	if len(below) == 0 {
		return []link.Hop{plain(i.Name, as)}
	}
	last := &below[len(below)-1]
	last.Name = fmt.Sprintf("%s (%s on %s)", i.Name, as, last.Name)
	return below
}

func (i Interface) ethernetHop(tags int) link.Hop {
	if i.BitsPerSecond == 0 {
		standard := "ethernet"
		switch {
		case i.virtio:
			standard = "virtio network"
		case !i.Up:
			standard = "ethernet without a link"
		}
		return plain(i.Name, standard)
	}
	frame := link.Frame{Payload: i.Frame, Tags: tags, Half: i.HalfDuplex}
	capable := link.State{}
	if i.Possible != nil {
		best := frame
		best.Half = i.Possible.HalfDuplex
		capable = link.Ethernet(i.Possible.BitsPerSecond, best).State()
	}
	return link.Trained(i.Name, link.Ethernet(i.BitsPerSecond, frame).State(), capable)
}

// wirelessHop is a hop at the faster of the two directions' rates: which way data goes is
// asked later.
func (i Interface) wirelessHop() link.Hop {
	if i.Radio == nil || max(i.Radio.Receive, i.Radio.Send) <= 0 {
		return plain(i.Name, "wi-fi, not connected")
	}
	name := i.Radio.Generation
	if i.Radio.WidthMegahertz > 0 {
		name += fmt.Sprintf(", %.0f MHz", i.Radio.WidthMegahertz)
	}
	capable := link.State{}
	if i.Radio.Possible > 0 {
		capable = link.Wireless(name, i.Radio.Possible).State()
	}
	return link.Trained(i.Name, link.Wireless(name, max(i.Radio.Receive, i.Radio.Send)).State(), capable)
}

// bondHop is a bond as one hop: one stream gets at the least what its slowest member
// carries, and many together at the most what all do (IEEE 802.1AX, 6.2.4: frames of a
// conversation take one link).
func (n Network) bondHop(i Interface, tags, depth int) link.Hop {
	var members []link.Hop
	for _, name := range i.Below {
		hops := n.hops(name, tags, depth-1)
		if len(hops) > 0 && hops[len(hops)-1].Known() {
			members = append(members, hops[len(hops)-1])
		}
	}
	name := fmt.Sprintf("%s (%s of %s)", i.Name, cmp.Or(i.Mode, "bond"), strings.Join(i.Below, ", "))
	if len(members) == 0 || len(members) < len(i.Below) {
		return plain(name, "bond")
	}
	negotiated, capable, allCapable := link.State{}, link.State{}, true
	for _, member := range members {
		negotiated = together(negotiated, member.State)
		if member.Capable == nil {
			allCapable = false
			continue
		}
		capable = together(capable, *member.Capable)
	}
	if !allCapable {
		capable = link.State{}
	}
	return link.Trained(name, negotiated, capable)
}

// together is a link beside others of a bond.
func together(sum, one link.State) link.State {
	if !sum.Known() {
		return one
	}
	if sum.Standard != one.Standard {
		sum.Standard = "ethernet, unequal members"
	}
	sum.Lanes += one.Lanes
	sum.Line += one.Line
	sum.Payload += one.Payload
	sum.Usable.Low = min(sum.Usable.Low, one.Usable.Low)
	sum.Usable.High += one.Usable.High
	return sum
}

// bridgeHops are those of the one port of a bridge that leads out of the machine. Where
// there are several, which of them is used is not known.
func (n Network) bridgeHops(i Interface, tags, depth int) []link.Hop {
	var leading []string
	for _, name := range i.Below {
		port, ok := n.Interface(name)
		if ok && port.Up && port.Kind != Virtual && port.Kind != Tunnel {
			leading = append(leading, name)
		}
	}
	if len(leading) != 1 {
		return []link.Hop{plain(i.Name, "bridge of "+cmp.Or(strings.Join(i.Below, ", "), "nothing"))}
	}
	return n.renamed(i, n.hops(leading[0], tags, depth-1), "bridge")
}
