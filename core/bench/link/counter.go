package link

import "slices"

// Counter is a kind of counter that a reading of links may hold. The name of one that was
// read is that of its kind, a space, and of what device it counts.
type Counter struct {
	Name string
	// Says what it counts, in a few words.
	Says string
	// Sort is what a growth of it means.
	Sort Sort
	// Of is the counter of all that this one counts a part of, where its share tells more
	// than its number.
	Of string
}

// Sort is what the growth of a counter means.
type Sort int

// The sorts of counters. One that is not listed counts errors.
const (
	// Errors are of a link that does not hold.
	Errors Sort = iota
	// Loss is of a network: a little of it is how networks say that they are busy.
	Loss
	// Work is what was done, and no fault.
	Work
	// Heat is what a drive does on purpose when it is hot.
	Heat
)

// Counters of what a drive does on purpose when it is hot.
const (
	LightSlowdowns = "nvme_light_slowdowns"
	HeavySlowdowns = "nvme_heavy_slowdowns"
	SlowSeconds    = "nvme_slow_seconds"
)

// Counters of networks: of an interface, of this machine's TCP, and of the storage
// protocol behind it.
const (
	ReceivedPackets = "network_received_packets"
	SentPackets     = "network_sent_packets"
	ReceivedBytes   = "network_received_bytes"
	SentBytes       = "network_sent_bytes"
	ReceiveErrors   = "network_receive_errors"
	SendErrors      = "network_send_errors"
	ReceiveDrops    = "network_receive_drops"
	SendDrops       = "network_send_drops"
	CarrierChanges  = "network_carrier_changes"
	WirelessRetries = "wireless_retries"
	WirelessFailed  = "wireless_failed"
	BeaconsLost     = "wireless_beacons_lost"
	TCPSent         = "tcp_sent_segments"
	TCPSentAgain    = "tcp_sent_again_segments"
	BadChecksums    = "tcp_wrong_checksums"
	Requests        = "server_requests"
	RequestsAgain   = "server_requests_sent_again"
	RequestTimeouts = "server_requests_timed_out"
	RoundTrips      = "server_round_trip_milliseconds"
	Reconnects      = "server_reconnects"
	RequestsFailed  = "server_requests_failed"
)

// counters are the kinds that are known, apart from those that count errors of one link
// each and are named by what reads them.
var counters = []Counter{
	{Name: LightSlowdowns, Says: "light slowdowns for heat", Sort: Heat},
	{Name: HeavySlowdowns, Says: "heavy slowdowns for heat", Sort: Heat},
	{Name: SlowSeconds, Says: "seconds slowed for heat", Sort: Heat},
	{Name: ReceivedPackets, Says: "packets received", Sort: Work},
	{Name: SentPackets, Says: "packets sent", Sort: Work},
	{Name: ReceivedBytes, Says: "bytes received", Sort: Work},
	{Name: SentBytes, Says: "bytes sent", Sort: Work},
	{Name: ReceiveErrors, Says: "damaged frames received", Sort: Errors},
	{Name: SendErrors, Says: "frames that could not be sent", Sort: Errors},
	{Name: ReceiveDrops, Says: "packets dropped at reception", Sort: Loss, Of: ReceivedPackets},
	{Name: SendDrops, Says: "packets dropped before they were sent", Sort: Loss, Of: SentPackets},
	{Name: CarrierChanges, Says: "times that the link went or came", Sort: Errors},
	{Name: WirelessRetries, Says: "frames sent again over the air", Sort: Work},
	{Name: WirelessFailed, Says: "frames that the air did not carry", Sort: Loss, Of: SentPackets},
	{Name: BeaconsLost, Says: "beacons missed", Sort: Errors},
	{Name: TCPSent, Says: "segments sent by this machine", Sort: Work},
	{Name: TCPSentAgain, Says: "segments sent again by this machine", Sort: Loss, Of: TCPSent},
	{Name: BadChecksums, Says: "segments with a wrong checksum", Sort: Errors},
	{Name: Requests, Says: "requests to the server", Sort: Work},
	{Name: RequestsAgain, Says: "requests sent to the server again", Sort: Loss, Of: Requests},
	{Name: RequestTimeouts, Says: "requests that the server let time out", Sort: Errors},
	{Name: RoundTrips, Says: "milliseconds of the server's round trips together", Sort: Work},
	{Name: Reconnects, Says: "connections to the server made anew", Sort: Errors},
	{Name: RequestsFailed, Says: "requests that the server failed", Sort: Work},
}

// Counters gives every kind of counter that means something else than errors, or is of a
// network.
func Counters() []Counter { return slices.Clone(counters) }

// CounterOf is the kind of a counter that was read, by its name with or without a device.
func CounterOf(name string) Counter {
	counted := Counted(name)
	for _, c := range counters {
		if c.Name == counted {
			return c
		}
	}
	return Counter{Name: counted, Says: counted, Sort: Errors}
}
