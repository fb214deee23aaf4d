package table

import (
	"fmt"
	"strings"

	"opengauge/core/bench/network"
	"opengauge/core/bench/survey"
	"opengauge/core/unit"
)

// FolderTitle names a server's folder and its kind.
func FolderTitle(f survey.Served) string { return f.At + ": " + f.Title() }

// FolderFacts is the table of facts about a server's folder, hops aside.
func FolderFacts(f survey.Served) Table {
	t := Table{Columns: []Column{text("what"), text("value")}}
	add := func(what, value string) {
		if value != "" {
			t.Rows = append(t.Rows, []string{what, value})
		}
	}
	add("server", f.Server)
	if f.Address != f.Server {
		add("address", f.Address)
	}
	add("share", f.Share)
	add("carried by", f.Transport)
	add("leads over", f.Interface)
	add("options", f.Options)
	add("direct I/O", "passes this machine's cache by, and not the server's memory")
	return t
}

// InterfaceTitle names an interface and its kind.
func InterfaceTitle(i survey.Interface) string {
	title := i.Name + ": " + string(i.Kind)
	switch {
	case i.Kind == network.VLAN && i.Number > 0:
		title += fmt.Sprintf(" %d", i.Number)
	case i.Kind == network.Bond && i.Mode != "":
		title += ", " + i.Mode
	}
	if !i.Up {
		title += ", nothing at its other end"
	}
	return title
}

// InterfaceFacts is the table of facts about a network interface, hops aside.
func InterfaceFacts(i survey.Interface) Table {
	t := Table{Columns: []Column{text("what"), text("value")}}
	add := func(what, value string) {
		if value != "" {
			t.Rows = append(t.Rows, []string{what, value})
		}
	}
	add("made of", strings.Join(i.Below, ", "))
	if i.Frame > 0 {
		add("frames", fmt.Sprintf("%d bytes", i.Frame))
	}
	if i.BitsPerSecond > 0 {
		add("negotiated", modeText(network.Mode{BitsPerSecond: i.BitsPerSecond, HalfDuplex: i.HalfDuplex}))
	}
	if i.Possible != nil {
		add("both ends offer", modeText(*i.Possible))
	}
	if i.Spread != "" {
		add("streams are spread by", i.Spread)
	}
	if r := i.Radio; r != nil {
		add("generation", r.Generation)
		if r.WidthMegahertz > 0 {
			add("channel", fmt.Sprintf("%.0f MHz wide, at %.0f MHz", r.WidthMegahertz, r.Frequency))
		}
		add("signal", fmt.Sprintf("%.0f dBm", r.Signal))
		add("receives at", bitsText(r.Receive))
		add("sends at", bitsText(r.Send))
		if r.Possible > 0 {
			add("could be", fmt.Sprintf("%s with %s over this channel", bitsText(r.Possible),
				unit.Count(r.Streams, "stream")))
		}
	}
	if len(t.Rows) == 0 {
		add("known", "nothing more: the system does not say")
	}
	return t
}

func modeText(m network.Mode) string {
	if m.HalfDuplex {
		return bitsText(m.BitsPerSecond) + ", half duplex: one way at a time"
	}
	return bitsText(m.BitsPerSecond) + ", full duplex"
}

// bitsText is the rate of a link, which networks give in bits: it is never a rate of data.
func bitsText(bitsPerSecond float64) string {
	const giga, mega = 1e9, 1e6
	if bitsPerSecond < giga {
		return fmt.Sprintf("%.4g Mbit/s", bitsPerSecond/mega)
	}
	return fmt.Sprintf("%.4g Gbit/s", bitsPerSecond/giga)
}
