package network

import (
	"path"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
)

// statistics are the counters of an interface (Documentation/ABI/testing/
// sysfs-class-net-statistics). Frames that are too long, damaged or out of step are among
// the errors already.
var statistics = map[string]string{
	"rx_packets": link.ReceivedPackets, "tx_packets": link.SentPackets,
	"rx_bytes": link.ReceivedBytes, "tx_bytes": link.SentBytes,
	"rx_errors": link.ReceiveErrors, "tx_errors": link.SendErrors,
	"rx_dropped": link.ReceiveDrops, "tx_dropped": link.SendDrops,
}

// Count reads what an interface and those below it count, and what this machine's TCP
// does, which is of all its connections together.
func (n Network) Count(name string, into map[string]int64) {
	n.countInterface(name, into, deepest)
	n.countTCP(into)
}

func (n Network) countInterface(name string, into map[string]int64, depth int) {
	i, ok := n.Interface(name)
	if !ok || depth == 0 {
		return
	}
	at := path.Join(folder, name)
	for file, counter := range statistics {
		if count, ok := n.whole(at, "statistics", file); ok {
			into[counter+" "+name] = count
		}
	}
	if count, ok := n.whole(at, "carrier_changes"); ok {
		into[link.CarrierChanges+" "+name] = count
	}
	if i.Radio != nil {
		into[link.WirelessRetries+" "+name] = i.Radio.Retries
		into[link.WirelessFailed+" "+name] = i.Radio.Failed
		into[link.BeaconsLost+" "+name] = i.Radio.BeaconsLost
	}
	for _, below := range i.Below {
		n.countInterface(below, into, depth-1)
	}
}

func (n Network) whole(elements ...string) (int64, bool) {
	count, err := strconv.ParseInt(n.Text(elements...), 10, 64)
	return count, err == nil && count >= 0
}

// countTCP reads the counters of RFC 4022 (tcpOutSegs, tcpRetransSegs) and of wrong
// checksums, from a line of names and one of values.
func (n Network) countTCP(into map[string]int64) {
	names := []string(nil)
	for _, line := range strings.Split(n.Text("proc/net/snmp"), "\n") {
		fields := strings.Fields(line)
		if len(fields) == 0 || fields[0] != "Tcp:" {
			continue
		}
		if names == nil {
			names = fields
			continue
		}
		for i := 1; i < min(len(names), len(fields)); i++ {
			counter, ok := map[string]string{"OutSegs": link.TCPSent, "RetransSegs": link.TCPSentAgain,
				"InCsumErrors": link.BadChecksums}[names[i]]
			if count, err := strconv.ParseInt(fields[i], 10, 64); ok && err == nil && count >= 0 {
				into[counter+" this machine"] = count
			}
		}
		return
	}
}
