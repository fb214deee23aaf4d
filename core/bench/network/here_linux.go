package network

import (
	"errors"
	"net"
	"strconv"
	"strings"
	"time"

	"github.com/jsimonetti/rtnetlink/v2"
	"github.com/mdlayher/ethtool"
	"github.com/mdlayher/wifi"
	"golang.org/x/sys/unix"
)

// Here asks this machine, by netlink.
func Here() Asker { return kernelAsker{} }

// kernelAsker opens what it asks through anew each time: a family that is not there is
// not told, and no descriptor stays behind.
type kernelAsker struct{}

// askWithin is how long the kernel has for an answer.
const askWithin = 2 * time.Second

// Modes asks for the modes of an Ethernet (Documentation/networking/ethtool-netlink.rst,
// LINKMODES_GET).
func (kernelAsker) Modes(name string) (Modes, bool) {
	client, err := ethtool.New()
	if err != nil {
		return Modes{}, false
	}
	defer client.Close()
	answer, err := client.LinkMode(ethtool.Interface{Name: name})
	if err != nil {
		return Modes{}, false
	}
	return Modes{Ours: modesNamed(answer.Ours), Peers: modesNamed(answer.Peer)}, true
}

// modesNamed reads the modes among what an end offers: "1000baseT/Full".
func modesNamed(offered []ethtool.AdvertisedLinkMode) (modes []Mode) {
	for _, each := range offered {
		if mode, ok := modeNamed(each.Name); ok {
			modes = append(modes, mode)
		}
	}
	return modes
}

// modeNamed reads a name of a link mode: megabits, "base", the medium, and the duplex.
func modeNamed(name string) (Mode, bool) {
	const mega = 1e6
	rate, rest, ok := strings.Cut(name, "base")
	megabits, err := strconv.ParseFloat(rate, 64)
	if !ok || err != nil || !(megabits > 0) {
		return Mode{}, false
	}
	return Mode{BitsPerSecond: megabits * mega, HalfDuplex: strings.HasSuffix(rest, "/Half")}, true
}

// Radio asks how a wireless interface is connected (linux/nl80211.h, GET_STATION).
func (kernelAsker) Radio(name string) (Radio, bool) {
	client, err := wifi.New()
	if err != nil {
		return Radio{}, false
	}
	defer client.Close()
	_ = client.SetDeadline(time.Now().Add(askWithin))
	interfaces, err := client.Interfaces()
	if err != nil {
		return Radio{}, false
	}
	for _, each := range interfaces {
		if each.Name != name {
			continue
		}
		stations, err := client.StationInfo(each)
		if err != nil || len(stations) != 1 { // several are of an access point: which one is used is not known
			return Radio{}, false
		}
		return radioOf(each, stations[0]), true
	}
	return Radio{}, false
}

func radioOf(i *wifi.Interface, s *wifi.StationInfo) Radio {
	radio := Radio{
		Generation: generation(s.ReceiveRateInfo), Frequency: float64(i.Frequency), WidthMegahertz: width(i.ChannelWidth),
		Receive: float64(s.ReceiveBitrate), Send: float64(s.TransmitBitrate), Signal: float64(s.Signal),
		Retries: int64(s.TransmitRetries), Failed: int64(s.TransmitFailed), BeaconsLost: int64(s.BeaconLoss),
	}
	for _, way := range []struct {
		rate wifi.RateInfo
		bits float64
	}{{s.ReceiveRateInfo, radio.Receive}, {s.TransmitRateInfo, radio.Send}} {
		if way.rate.Modulation == nil {
			continue
		}
		if later := generation(way.rate); later > radio.Generation {
			radio.Generation = later
		}
		if possible := possibleRate(way.rate, way.bits); possible > radio.Possible {
			radio.Possible, radio.Streams = possible, way.rate.Modulation.GetNSS()
		}
	}
	return radio
}

// generation is the name of what a rate is of.
func generation(rate wifi.RateInfo) string {
	if rate.Modulation == nil {
		return "wi-fi"
	}
	switch rate.ModulationType {
	case wifi.RateModulationInfoTypeHT:
		return "wi-fi 4"
	case wifi.RateModulationInfoTypeVHT:
		return "wi-fi 5"
	case wifi.RateModulationInfoTypeHE:
		return "wi-fi 6"
	case wifi.RateModulationInfoTypeEHT:
		return "wi-fi 7"
	}
	return "wi-fi"
}

// width of a channel in megahertz.
func width(w wifi.ChannelWidth) float64 {
	return map[wifi.ChannelWidth]float64{wifi.ChannelWidth20NoHT: 20, wifi.ChannelWidth20: 20, wifi.ChannelWidth40: 40,
		wifi.ChannelWidth80: 80, wifi.ChannelWidth80P80: 160, wifi.ChannelWidth160: 160, wifi.ChannelWidth320: 320}[w]
}

// possibleRate is the rate of the same streams over the same channel at the densest
// modulation of the generation.
func possibleRate(rate wifi.RateInfo, bits float64) float64 {
	best, ok := map[wifi.RateModulationInfoType]int{wifi.RateModulationInfoTypeHT: 7, wifi.RateModulationInfoTypeVHT: 9,
		wifi.RateModulationInfoTypeHE: 11, wifi.RateModulationInfoTypeEHT: 13}[rate.ModulationType]
	if !ok {
		return 0
	}
	index := rate.Modulation.GetMCS()
	if rate.ModulationType == wifi.RateModulationInfoTypeHT {
		index %= 8 // what is above tells the streams
	}
	if index < 0 || index >= len(bitsOfModulation) {
		return 0
	}
	return bits * bitsOfModulation[best] / bitsOfModulation[index]
}

// Route asks which interface leads to a host.
func (kernelAsker) Route(host string) string {
	if _, zone, ok := strings.Cut(host, "%"); ok {
		return zone
	}
	address, err := resolved(host)
	if err != nil {
		return ""
	}
	name, err := routeByNetlink(address)
	if err != nil {
		return routeByDial(address)
	}
	return name
}

// routeByNetlink asks the kernel's table of routes (rtnetlink(7), RTM_GETROUTE).
func routeByNetlink(address net.IP) (string, error) {
	connection, err := rtnetlink.Dial(nil)
	if err != nil {
		return "", err
	}
	defer connection.Close()
	family, length := uint8(unix.AF_INET6), uint8(8*net.IPv6len)
	if four := address.To4(); four != nil {
		address, family, length = four, unix.AF_INET, 8*net.IPv4len
	}
	routes, err := connection.Route.Get(&rtnetlink.RouteMessage{Family: family, DstLength: length,
		Attributes: rtnetlink.RouteAttributes{Dst: address}})
	if err != nil {
		return "", err
	}
	for _, route := range routes {
		if found, err := net.InterfaceByIndex(int(route.Attributes.OutIface)); err == nil {
			return found.Name, nil
		}
	}
	return "", errors.New("no route names an interface")
}
