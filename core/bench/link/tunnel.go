package link

// tunnels gives USB4 and Thunderbolt, for the PCI Express traffic that storage
// behind them is reached by.
//
// A tunnelled packet carries at most 128 bytes of data in the first version of
// USB4 (USB4 Specification 1.0, 11.1.1), 24 bytes of its own header and
// checksum, and a transport header of 4 (5.1): 128 of 156. What remains is
// shared with bus management, clocks and credits.
//
// The ends matter as much as the cable. The third generation of Thunderbolt is
// fed by four lanes of PCIe 3.0 at most, and its first controllers kept a part
// of the line for displays, so that 22 Gbit/s were left: it may leave much less
// than the fourth, which has to carry 32 Gbit/s of PCI Express (USB4, 13; the
// fourth generation's requirement). Hosts with the adapter inside of the
// processor carry up to 3.8 GB/s.
//
// The 80 Gbit/s generation (USB4 2.0, 4.3: three-level signalling, 11 bits in 7
// symbols, counted here at its data rate) tunnels packets of up to 256 bytes
// from four lanes of PCIe 4.0.
func tunnels() []Standard {
	const old, long = 64.0 / 66, 128.0 / 132
	const tunnelled = 128.0 / 156
	return []Standard{
		// Fed by four lanes of PCIe 2.0.
		{Name: "thunderbolt 1", Family: "USB4 and Thunderbolt", Lanes: 1, About: "10 Gbit/s tunnel", lineBits: 10e9,
			coding: old, usable: shares{0.66, tunnelled}},
		{Name: "thunderbolt 2", Family: "USB4 and Thunderbolt", Lanes: 2, About: "20 Gbit/s tunnel, fed by " +
			"PCIe 2.0 x4", lineBits: 10e9, coding: old, usable: shares{0.50, 0.64}},
		{Name: "thunderbolt 3", Family: "USB4 and Thunderbolt", Lanes: 2, About: "40 Gbit/s tunnel, fed by PCIe " +
			"3.0 x4 or x2, a part of it kept for displays", lineBits: 20e9, coding: old, usable: shares{0.30, 0.62}},
		{Name: "thunderbolt 4", Family: "USB4 and Thunderbolt", Lanes: 2, About: "40 Gbit/s tunnel, at least 32 " +
			"Gbit/s of PCIe", lineBits: 20e9, coding: old, usable: shares{0.57, tunnelled * 0.96}},
		{Name: "thunderbolt 5", Family: "USB4 and Thunderbolt", Lanes: 2, About: "80 Gbit/s tunnel, PCIe 4.0 x4",
			lineBits: 40e9, coding: 1, usable: shares{0.60, 0.70}},
		{Name: "usb4 20g", Family: "USB4 and Thunderbolt", Lanes: 2, About: "20 Gbit/s tunnel", lineBits: 10e9,
			coding: old, usable: shares{0.57, tunnelled * 0.96}},
		{Name: "usb4 40g", Family: "USB4 and Thunderbolt", Lanes: 2, About: "40 Gbit/s tunnel", lineBits: 20e9,
			coding: long, usable: shares{0.57, tunnelled * 0.96}},
		{Name: "usb4 80g", Family: "USB4 and Thunderbolt", Lanes: 2, About: "80 Gbit/s tunnel", lineBits: 40e9,
			coding: 1, usable: shares{0.60, 0.70}},
	}
}

// Tunnel gives the standard of a tunnel whose lanes run at that many gigabits a
// second each.
func Tunnel(gigabits float64, lanes int, generation string) (Standard, bool) {
	if generation != "" {
		if standard, err := Find("thunderbolt " + generation); err == nil &&
			standard.lineBits*float64(standard.Lanes) == gigabits*1e9*float64(lanes) {
			return standard, true
		}
	}
	for _, standard := range standards {
		if squeezed(standard.Name)[:4] == "usb4" &&
			standard.lineBits*float64(standard.Lanes) == gigabits*1e9*float64(lanes) {
			return standard, true
		}
	}
	return Standard{}, false
}
