package link

import (
	"fmt"
)

// pcieGenerations signal at these rates, a lane, with these codings (PCI Express
// Base Specification 6.0, 4.2 and 8.1): 8b/10b up to 5 GT/s, 128b/130b from
// 8 GT/s, and from 64 GT/s flits of 256 bytes, of which 14 are for error
// correction, checksum and link messages.
var pcieGenerations = []struct {
	name   string
	line   float64
	coding float64
}{
	{"1.0", 2.5e9, 8.0 / 10},
	{"2.0", 5e9, 8.0 / 10},
	{"3.0", 8e9, 128.0 / 130},
	{"4.0", 16e9, 128.0 / 130},
	{"5.0", 32e9, 128.0 / 130},
	{"6.0", 64e9, 242.0 / 256},
}

// What a packet carries besides its data (Base Specification 4.0, 2.2 and 3.6):
// a header of 12 or 16 bytes, framing with the sequence number of 4, a link
// checksum of 4. The data is at most the negotiated maximum payload size, 128 to
// 512 bytes on the machines that storage is measured on. Acknowledgements and
// flow-control credits (8 bytes each, 3.5) take 3 to 4 % of the line, as credits
// are returned for every few packets and both ways.
const (
	packetLeast, packetMost     = 128.0, 512.0
	headerLeast, headerMost     = 12.0 + 8, 16.0 + 8
	flowControlLow, flowControl = 0.96, 0.97
)

// packetShares is what data gets of a PCI Express payload.
var packetShares = shares{
	low:  packetLeast / (packetLeast + headerMost) * flowControlLow,
	high: packetMost / (packetMost + headerLeast) * flowControl,
}

// PCIeLanes are the lane counts that a slot may have.
var PCIeLanes = []int{1, 2, 4, 8, 16}

// pcie gives PCI Express generations 1 to 6 at 1 to 16 lanes.
func pcie() []Standard {
	var all []Standard
	for _, generation := range pcieGenerations {
		for _, lanes := range PCIeLanes {
			all = append(all, Standard{
				Name: fmt.Sprintf("pcie %s x%d", generation.name, lanes), Family: "PCI Express", Lanes: lanes,
				About:    fmt.Sprintf("%g GT/s a lane", generation.line/1e9),
				lineBits: generation.line, coding: generation.coding, usable: packetShares,
			})
		}
	}
	return all
}

// PCIe gives the standard of a link with that signalling rate, in transfers a
// second and lane, and that many lanes; and whether there is one.
func PCIe(transfers float64, lanes int) (Standard, bool) {
	for _, standard := range standards {
		if standard.Family == "PCI Express" && standard.Lanes == lanes && standard.lineBits == transfers {
			return standard, true
		}
	}
	return Standard{}, false
}
