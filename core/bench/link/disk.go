package link

// What data gets of a SATA payload (Serial ATA 3.3, 9 and 10.5): a frame carries
// up to 8192 bytes with 16 bytes of framing, header and checksum. Between frames
// the ends hand the line over with primitives, which cross both ways and wait
// for each other: about 460 byte times. Frames are seldom shorter than 4096
// bytes.
const (
	frameLeast, frameMost = 4096.0, 8192.0
	frameAround           = 16.0 + 460
)

// sata gives SATA 1 to 3: 1.5, 3 and 6 Gbit/s with 8b/10b (7.2).
func sata() []Standard {
	usable := shares{frameLeast / (frameLeast + frameAround), frameMost / (frameMost + frameAround)}
	var all []Standard
	for _, generation := range []Standard{
		{Name: "sata 1", About: "1.5 Gbit/s", lineBits: 1.5e9},
		{Name: "sata 2", About: "3 Gbit/s", lineBits: 3e9},
		{Name: "sata 3", About: "6 Gbit/s", lineBits: 6e9},
	} {
		generation.Family, generation.Lanes, generation.coding, generation.usable = "SATA", 1, 8.0/10, usable
		all = append(all, generation)
	}
	return all
}

// sas gives SAS 1 to 4: 3 to 12 Gbit/s with 8b/10b (SAS Protocol Layer 4, 5),
// and 22.5 Gbit/s with 128b/150b (4). A frame carries 1024 bytes with 36 bytes
// of header, checksum and framing (SPL-4, 8.2), and is answered by primitives.
func sas() []Standard {
	const frame = 1024.0 / 1060
	usable := shares{0.91 * frame, 0.97 * frame}
	return []Standard{
		{Name: "sas 1", Family: "SAS", Lanes: 1, About: "3 Gbit/s", lineBits: 3e9, coding: 8.0 / 10, usable: usable},
		{Name: "sas 2", Family: "SAS", Lanes: 1, About: "6 Gbit/s", lineBits: 6e9, coding: 8.0 / 10, usable: usable},
		{Name: "sas 3", Family: "SAS", Lanes: 1, About: "12 Gbit/s", lineBits: 12e9, coding: 8.0 / 10, usable: usable},
		{Name: "sas 4", Family: "SAS", Lanes: 1, About: "22.5 Gbit/s", lineBits: 22.5e9, coding: 128.0 / 150,
			usable: usable},
	}
}

// Serial gives the SATA or SAS standard of a rate in Gbit/s.
func Serial(family string, gigabits float64) (Standard, bool) {
	for _, standard := range standards {
		if standard.Family == family && standard.lineBits == gigabits*1e9 {
			return standard, true
		}
	}
	return Standard{}, false
}
