package link

// cards gives SD cards and eMMC.
//
// SD (Physical Layer Simplified Specification 9.0): the classic bus has four
// data lines without line coding, at 50 MHz (high speed), 100 MHz or both edges of 50
// MHz (UHS-I SDR50 and DDR50) or 208 MHz (SDR104, 4.2.4); blocks of 512 bytes carry a checksum of 16 bits a line and
// start and end bits, and commands leave gaps: 86 to 94 %. UHS-II and UHS-III
// have two lanes of 1.56 and 3.12 Gbit/s with 8b/10b (UHS-II Addendum 1.02, 5),
// which in half duplex both go one way. SD Express is PCI Express.
//
// eMMC (JESD84-B51, 5.3): eight lines without coding, at 52 MHz single or double (DDR52) and 200 MHz single (HS200)
// or double data rate (HS400).
func cards() []Standard {
	classic, express := shares{0.86, 0.94}, packetShares
	const eightTen = 8.0 / 10
	return []Standard{
		{Name: "sd high speed", Family: "SD and eMMC", Lanes: 4, About: "25 MB/s", lineBits: 50e6, coding: 1,
			usable: shares{0.84, 0.94}},
		{Name: "sd uhs-i", Family: "SD and eMMC", Lanes: 4, About: "SDR104, 104 MB/s", lineBits: 208e6, coding: 1,
			usable: classic},
		{Name: "sd uhs-i sdr50", Family: "SD and eMMC", Lanes: 4, About: "SDR50, 50 MB/s", lineBits: 100e6, coding: 1,
			usable: classic},
		{Name: "sd uhs-i ddr50", Family: "SD and eMMC", Lanes: 4, About: "DDR50, 50 MB/s", lineBits: 100e6, coding: 1,
			usable: classic},
		{Name: "sd uhs-ii", Family: "SD and eMMC", Lanes: 2, About: "HD312, 312 MB/s", lineBits: 1.56e9,
			coding: eightTen, usable: classic},
		{Name: "sd uhs-iii", Family: "SD and eMMC", Lanes: 2, About: "HD624, 624 MB/s", lineBits: 3.12e9,
			coding: eightTen, usable: classic},
		{Name: "sd express 3.0 x1", Family: "SD and eMMC", Lanes: 1, About: "PCIe 3.0 x1", lineBits: 8e9,
			coding: 128.0 / 130, usable: express},
		{Name: "sd express 3.0 x2", Family: "SD and eMMC", Lanes: 2, About: "PCIe 3.0 x2", lineBits: 8e9,
			coding: 128.0 / 130, usable: express},
		{Name: "sd express 4.0 x1", Family: "SD and eMMC", Lanes: 1, About: "PCIe 4.0 x1", lineBits: 16e9,
			coding: 128.0 / 130, usable: express},
		{Name: "sd express 4.0 x2", Family: "SD and eMMC", Lanes: 2, About: "PCIe 4.0 x2", lineBits: 16e9,
			coding: 128.0 / 130, usable: express},
		{Name: "emmc hs52", Family: "SD and eMMC", Lanes: 8, About: "52 MB/s", lineBits: 52e6, coding: 1,
			usable: shares{0.80, 0.90}},
		{Name: "emmc ddr52", Family: "SD and eMMC", Lanes: 8, About: "104 MB/s", lineBits: 104e6, coding: 1,
			usable: shares{0.80, 0.90}},
		{Name: "emmc hs200", Family: "SD and eMMC", Lanes: 8, About: "200 MB/s", lineBits: 200e6, coding: 1,
			usable: shares{0.80, 0.90}},
		{Name: "emmc hs400", Family: "SD and eMMC", Lanes: 8, About: "400 MB/s", lineBits: 400e6, coding: 1,
			usable: shares{0.80, 0.90}},
	}
}

// ufs gives Universal Flash Storage over two lanes of M-PHY high-speed gears 3
// to 5, rate series B, with 8b/10b (MIPI M-PHY 5.0, 4.7; JESD220F, 5). UniPro
// frames carry 288 bytes with 10 of header and checksum, and are acknowledged.
func ufs() []Standard {
	const frame = 288.0 / 298
	usable := shares{0.86 * frame, 0.95 * frame}
	return []Standard{
		{Name: "ufs 2.1", Family: "UFS", Lanes: 2, About: "gear 3", lineBits: 5.8304e9, coding: 8.0 / 10,
			usable: usable},
		{Name: "ufs 3.1", Family: "UFS", Lanes: 2, About: "gear 4", lineBits: 11.6608e9, coding: 8.0 / 10,
			usable: usable},
		{Name: "ufs 4.0", Family: "UFS", Lanes: 2, About: "gear 5", lineBits: 23.3216e9, coding: 8.0 / 10,
			usable: usable},
	}
}
