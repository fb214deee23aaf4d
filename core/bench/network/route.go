package network

import (
	"context"
	"net"
	"time"
)

// bitsOfModulation is what a symbol of a carrier holds, by the index of the modulation and
// its coding (IEEE 802.11-2020, 19.5 and 21.5; 802.11ax, 27.5; 802.11be, 36.5): bits times
// the share that is data.
var bitsOfModulation = []float64{
	0.5, 1, 1.5, 2, 3, 4, 4.5, 5, 6, 20.0 / 3, 7.5, 25.0 / 3, 9, 10,
}

// resolveWithin is how long the name of a host may take to become an address.
const resolveWithin = 3 * time.Second

// resolved is the address of a host.
func resolved(host string) (net.IP, error) {
	if address := net.ParseIP(host); address != nil {
		return address, nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), resolveWithin)
	defer cancel()
	found, err := net.DefaultResolver.LookupIP(ctx, "ip", host)
	if err != nil {
		return nil, err
	}
	return found[0], nil
}

// routeByDial finds the interface that leads to an address by the address that this
// machine would speak from: nothing is sent.
func routeByDial(address net.IP) string {
	const anyPort = 9
	connection, err := net.DialUDP("udp", nil, &net.UDPAddr{IP: address, Port: anyPort})
	if err != nil {
		return ""
	}
	defer connection.Close()
	from, ok := connection.LocalAddr().(*net.UDPAddr)
	if !ok {
		return ""
	}
	interfaces, err := net.Interfaces()
	if err != nil {
		return ""
	}
	for _, each := range interfaces {
		addresses, err := each.Addrs()
		if err != nil {
			continue
		}
		for _, own := range addresses {
			if network, ok := own.(*net.IPNet); ok && network.IP.Equal(from.IP) {
				return each.Name
			}
		}
	}
	return ""
}
