package link

// What bulk transfers over SuperSpeed get of the payload (USB 3.2 Specification,
// 7.2 and 8.6): a data packet of 1024 bytes has a header of 20 bytes with its
// framing, 12 bytes of framing and checksum around the data, and link commands
// of 8 bytes, two for each packet: 1024 of 1072.
//
// The transports differ by what they do between commands. Queued commands (USB
// Attached SCSI, r04, 4) overlap, and only the ends of bursts are idle: 3 to
// 7 %. Bulk-only transport (Mass Storage Class Bulk-Only Transport, 1.0, 5) does
// a command, its data and its status one after the other: 7 to 14 %.
const bulkPacket = 1024.0 / 1072

var (
	queuedShares   = shares{1 - 0.07, 1 - 0.03}.times(bulkPacket)
	bulkOnlyShares = shares{1 - 0.14, 1 - 0.07}.times(bulkPacket)
	bulkShares     = shares{bulkOnlyShares.low, queuedShares.high}
)

// longCoding is an allowance for what blocks of 128 bits cost beyond the coding
// itself (bursts wait for block ends), set so that the range holds the 1.00 to
// 1.08 GB/s that such links are known to carry.
const longCoding = 0.965

// highSpeedPackets are how many packets of 512 bytes host controllers fit into a
// microframe of 125 us: 13 by the specification (USB 2.0, 5.8.4), 9 to 11 in
// use.
const highSpeedLow, highSpeedHigh = 9.0 * 512 / 125e-6 / 60e6, 11.0 * 512 / 125e-6 / 60e6

// Names of the transports, which may follow the name of a standard.
const (
	QueuedTransport   = "queued"
	BulkOnlyTransport = "bulk-only"
)

// usb gives the USB standards, each plain (either transport), queued and
// bulk-only. Line rates and codings: USB 3.2, 6.3 and 6.4.
func usb() []Standard {
	const bulk = "bulk-only or queued commands"
	all := []Standard{
		// 12 Mbit/s, 19 packets of 64 bytes a frame of 1 ms (USB 2.0, 5.8.4).
		{Name: "usb 1.1", Family: "USB", Lanes: 1, About: "full speed", lineBits: 12e6, coding: 1,
			usable: shares{0.60, 0.81}},
		{Name: "usb 2.0", Family: "USB", Lanes: 1, About: "high speed", lineBits: 480e6, coding: 1,
			usable: shares{highSpeedLow, highSpeedHigh}},
	}
	for _, super := range []Standard{
		{Name: "usb 3.2 gen 1", Lanes: 1, About: "5 Gbit/s", lineBits: 5e9, coding: 8.0 / 10},
		{Name: "usb 3.2 gen 1x2", Lanes: 2, About: "10 Gbit/s over two lanes", lineBits: 5e9, coding: 8.0 / 10},
		{Name: "usb 3.2 gen 2", Lanes: 1, About: "10 Gbit/s", lineBits: 10e9, coding: 128.0 / 132},
		{Name: "usb 3.2 gen 2x2", Lanes: 2, About: "20 Gbit/s over two lanes", lineBits: 10e9, coding: 128.0 / 132},
	} {
		share := 1.0
		if super.lineBits > 5e9 {
			share = longCoding
		}
		for _, transport := range []struct {
			ending, about string
			usable        shares
		}{
			{"", bulk, bulkShares}, {" " + QueuedTransport, "queued commands", queuedShares},
			{" " + BulkOnlyTransport, "one command at a time", bulkOnlyShares},
		} {
			made := super
			made.Family, made.Name, made.About = "USB", super.Name+transport.ending, super.About+", "+transport.about
			made.usable = transport.usable.times(share)
			all = append(all, made)
		}
	}
	return all
}

// USB gives the standard of a device's speed in Mbit/s and its lanes, with its
// transport where that is known.
func USB(megabits float64, lanes int, transport string) (Standard, bool) {
	name := ""
	switch {
	case megabits == 12:
		name = "usb 1.1"
	case megabits == 480:
		name = "usb 2.0"
	case megabits == 5000:
		name = "usb 3.2 gen 1"
	case megabits == 10000 && lanes == 2:
		name = "usb 3.2 gen 1x2"
	case megabits == 10000:
		name = "usb 3.2 gen 2"
	case megabits == 20000:
		name = "usb 3.2 gen 2x2"
	default:
		return Standard{}, false
	}
	if transport != "" && megabits >= 5000 {
		name += " " + transport
	}
	standard, err := Find(name)
	return standard, err == nil
}
