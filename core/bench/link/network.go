package link

import (
	"fmt"
	"strconv"
)

// What data over TCP gets of an Ethernet (IEEE 802.3, 3 and 4.2; RFC 9293, 3.1;
// RFC 7323): a frame has 38 bytes around its payload (preamble 8, addresses and
// type 14, checksum 4, gap 12) and 4 more for each VLAN tag (IEEE 802.1Q, 9.3), and
// the payload 40 bytes of IPv4 and TCP headers, 12 more with timestamps. The low
// figure takes one per cent off for the headers of the storage protocol and for
// acknowledgements.
func frameShares(payload float64, tags int) shares {
	const headers, timestamps, protocol = 40, 12, 0.99
	around := 38 + 4*float64(tags)
	return shares{
		low:  (payload - headers - timestamps) / (payload + around) * protocol,
		high: (payload - headers) / (payload + around),
	}
}

const (
	// usualFrame and jumboFrame are payloads of frames in bytes; from jumboFrom on a
	// frame is called jumbo, and below smallestFrame none is believed (RFC 791, 3.1).
	usualFrame, jumboFrame, jumboFrom, smallestFrame = 1500, 9000, 8000, 576
	// ofHalfDuplex is what is left at the least where both ways take turns: collisions and
	// acknowledgements take the rest (IEEE 802.3, 4.2.3.2).
	ofHalfDuplex = 0.5
)

// Frame says what an Ethernet's frames are like.
type Frame struct {
	// Payload is the most that one carries in bytes (the MTU); 0 is the usual 1500.
	Payload int
	// Tags is how many VLAN tags each has.
	Tags int
	// Half says that both ways take turns on one medium.
	Half bool
}

// Ethernet is an Ethernet that runs at so many bits a second.
func Ethernet(bitsPerSecond float64, f Frame) Standard {
	payload := float64(usualFrame)
	if f.Payload >= smallestFrame {
		payload = float64(f.Payload)
	}
	s := Standard{
		Name: "ethernet " + shortRate(bitsPerSecond), Family: "Ethernet", Lanes: 1,
		About:    fmt.Sprintf("frames of %.0f bytes", payload),
		lineBits: bitsPerSecond, coding: 1, usable: frameShares(payload, f.Tags),
	}
	if payload >= jumboFrom {
		s.Name += " jumbo"
	}
	if f.Half {
		s.Name += " half-duplex"
		s.usable.low *= ofHalfDuplex
	}
	return s
}

// shortRate writes a rate as the names of Ethernets do: "100m", "2.5g".
func shortRate(bitsPerSecond float64) string {
	const giga, mega = 1e9, 1e6
	if bitsPerSecond < giga {
		return strconv.FormatFloat(bitsPerSecond/mega, 'f', -1, 64) + "m"
	}
	return strconv.FormatFloat(bitsPerSecond/giga, 'f', -1, 64) + "g"
}

// ethernet gives 10 Mbit/s to 400 Gbit/s with frames of 1500 and, as "jumbo",
// of 9000 bytes. The line is counted at the data rate: its coding is below the
// frame.
func ethernet() []Standard {
	var all []Standard
	for _, bits := range []float64{10e6, 100e6, 1e9, 2.5e9, 5e9, 10e9, 25e9, 40e9, 50e9, 100e9, 200e9, 400e9} {
		for _, payload := range []int{usualFrame, jumboFrame} {
			all = append(all, Ethernet(bits, Frame{Payload: payload}))
		}
	}
	return all
}

// wireless gives Wi-Fi by generation, two streams over the widest usual channel,
// at the nominal rate (IEEE 802.11-2020, 19.5 and 21.5; 802.11ax, 27.5;
// 802.11be, 36.5). The medium is shared and half duplex; preambles, contention
// and acknowledgements leave 45 to 70 % in the same room.
func wireless() []Standard {
	var all []Standard
	for _, each := range []struct {
		generation, about string
		bits              float64
	}{
		{"4", "300 Mbit/s, 40 MHz", 300e6}, {"5", "867 Mbit/s, 80 MHz", 866.7e6}, {"6", "1201 Mbit/s, 80 MHz", 1201e6},
		{"6e", "2402 Mbit/s, 160 MHz", 2402e6}, {"7", "5765 Mbit/s, 320 MHz", 5765e6},
	} {
		s := Wireless("wi-fi "+each.generation, each.bits)
		s.About = each.about
		all = append(all, s)
	}
	return all
}

// Wireless is a Wi-Fi of a name that runs at so many bits a second.
func Wireless(name string, bitsPerSecond float64) Standard {
	return Standard{Name: name, Family: "Wi-Fi", Lanes: 1, lineBits: bitsPerSecond, coding: 1,
		usable: shares{0.45, 0.70}}
}
