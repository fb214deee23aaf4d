package link

import (
	"fmt"
)

// What data over TCP gets of an Ethernet (IEEE 802.3, 3 and 4.2; RFC 9293, 3.1;
// RFC 7323): a frame has 38 bytes around its payload (preamble 8, addresses and
// type 14, checksum 4, gap 12), and the payload 40 bytes of IPv4 and TCP
// headers, 12 more with timestamps. The low figure takes one per cent off for
// the headers of the storage protocol and for acknowledgements.
func frameShares(payload float64) shares {
	const around, headers, timestamps, protocol = 38, 40, 12, 0.99
	return shares{
		low:  (payload - headers - timestamps) / (payload + around) * protocol,
		high: (payload - headers) / (payload + around),
	}
}

// ethernet gives 100 Mbit/s to 100 Gbit/s with frames of 1500 and, as "jumbo",
// of 9000 bytes. The line is counted at the data rate: its coding is below the
// frame.
func ethernet() []Standard {
	var all []Standard
	for _, speed := range []struct {
		name string
		bits float64
	}{
		{"100m", 100e6}, {"1g", 1e9}, {"2.5g", 2.5e9}, {"5g", 5e9}, {"10g", 10e9}, {"25g", 25e9}, {"40g", 40e9},
		{"50g", 50e9}, {"100g", 100e9},
	} {
		for _, frame := range []struct {
			ending  string
			payload float64
		}{{"", 1500}, {" jumbo", 9000}} {
			all = append(all, Standard{
				Name: "ethernet " + speed.name + frame.ending, Family: "Ethernet", Lanes: 1,
				About:    fmt.Sprintf("frames of %.0f bytes", frame.payload),
				lineBits: speed.bits, coding: 1, usable: frameShares(frame.payload),
			})
		}
	}
	return all
}

// wireless gives Wi-Fi by generation, two streams over the widest usual channel,
// at the nominal rate (IEEE 802.11-2020, 19.5 and 21.5; 802.11ax, 27.5;
// 802.11be, 36.5). The medium is shared and half duplex; preambles, contention
// and acknowledgements leave 45 to 70 % in the same room.
func wireless() []Standard {
	usable := shares{0.45, 0.70}
	var all []Standard
	for _, generation := range []Standard{
		{Name: "wi-fi 4", About: "300 Mbit/s, 40 MHz", lineBits: 300e6},
		{Name: "wi-fi 5", About: "867 Mbit/s, 80 MHz", lineBits: 866.7e6},
		{Name: "wi-fi 6", About: "1201 Mbit/s, 80 MHz", lineBits: 1201e6},
		{Name: "wi-fi 6e", About: "2402 Mbit/s, 160 MHz", lineBits: 2402e6},
		{Name: "wi-fi 7", About: "5765 Mbit/s, 320 MHz", lineBits: 5765e6},
	} {
		generation.Family, generation.Lanes, generation.coding, generation.usable = "Wi-Fi", 1, 1, usable
		all = append(all, generation)
	}
	return all
}
