package link

import (
	"fmt"
	"sort"
	"strings"

	"opengauge/core/unit"
)

// Standard is a link standard at one lane count: how fast it signals and what
// its coding and its protocol take away.
type Standard struct {
	Name  string
	Lanes int
	// lineBits is the signalling rate of one lane in bits a second.
	lineBits float64
	// coding is the share of the line that carries payload bits.
	coding float64
	// usableLow and usableHigh are the shares of the payload that data gets.
	usableLow, usableHigh float64
}

// standards is the table of those that the bench uses so far. Sources:
//
//   - USB 3.2 Gen 2: 10 GT/s, 128b/132b (USB 3.2 Specification, 6.3 and
//     6.4). Packet headers of 20 bytes and framing around 1024 bytes of data,
//     link commands and the queued transport's status phases leave 83 to 89 %.
//   - USB4 Gen 3x2: 2 lanes of 20 GT/s, 64b/66b (USB4 Specification, 4.3.1).
//     A PCIe tunnel shares it with transport headers, and the adapters in the
//     field are fed by four lanes of PCIe 3.0: 58 to 79 % for data.
//   - PCIe 3.0 and 4.0: 8 and 16 GT/s, 128b/130b (PCI Express Base
//     Specification 4.0, 4.2.2). 128 to 512 bytes of data carry 20 to 28 bytes
//     of header, sequence number and LCRC (3.6), and flow control takes a few
//     per cent: 86 to 92 %.
var standards = []Standard{
	{Name: "usb 3.2 gen 2", Lanes: 1, lineBits: 10e9, coding: 128.0 / 132, usableLow: 0.83, usableHigh: 0.89},
	{Name: "usb4 40g", Lanes: 2, lineBits: 20e9, coding: 64.0 / 66, usableLow: 0.58, usableHigh: 0.79},
	{Name: "pcie 3.0 x4", Lanes: 4, lineBits: 8e9, coding: 128.0 / 130, usableLow: 0.86, usableHigh: 0.92},
	{Name: "pcie 4.0 x4", Lanes: 4, lineBits: 16e9, coding: 128.0 / 130, usableLow: 0.86, usableHigh: 0.92},
}

// Find gives the standard of that name, whatever its case and spacing. The
// error for an unknown name lists the known ones.
func Find(name string) (Standard, error) {
	wanted := strings.Join(strings.Fields(strings.ToLower(name)), " ")
	names := make([]string, 0, len(standards))
	for _, standard := range standards {
		if standard.Name == wanted {
			return standard, nil
		}
		names = append(names, standard.Name)
	}
	sort.Strings(names)
	return Standard{}, fmt.Errorf("unknown link standard %q; known are %s", name, strings.Join(names, ", "))
}

// Ceiling computes the standard's three figures.
func (s Standard) Ceiling() Ceiling {
	line := s.lineBits * float64(s.Lanes) / 8
	payload := line * s.coding
	return Ceiling{
		Line:    unit.BytesPerSecond(line),
		Payload: unit.BytesPerSecond(payload),
		Usable: Range{
			Low:  unit.BytesPerSecond(payload * s.usableLow),
			High: unit.BytesPerSecond(payload * s.usableHigh),
		},
	}
}

// Hop makes a hop of this standard for the named thing on the bench.
func (s Standard) Hop(name string) Hop {
	return Hop{Name: name, Standard: s.Name, Lanes: s.Lanes, Ceiling: s.Ceiling()}
}
