package survey

import (
	"cmp"
	"errors"
	"io/fs"
	"path"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
)

// sataHop gives the link between a SATA port and its drive. The port says how
// fast it may be at the most, the drive in the words 76 and 77 of its identity
// (ATA8-ACS, 7.12).
func (m *Machine) sataHop(here, device string) (link.Hop, bool) {
	port := path.Base(here)
	number := strings.TrimPrefix(port, "ata")
	place := path.Join(here, "link"+number, "ata_link", "link"+number)
	negotiated := serialState("SATA", m.Text(place, "sata_spd"))
	name := port
	if above := path.Base(path.Dir(here)); isPCIAddress(above) {
		name = above + " " + port
	}
	if !negotiated.Known() { // IDE behind the same library, or not linked
		return link.Trained(name, link.State{Standard: "ata"}, link.State{}), true
	}
	capable := serialState("SATA", m.Text(place, "hw_sata_spd_limit"))
	drive := m.sataDrive(here, number)
	if !capable.Known() || drive.Known() && drive.Below(capable) {
		capable = drive
	}
	return link.Trained(name, negotiated, capable), true
}

// sataDrive is the fastest that the drive says it can do.
func (m *Machine) sataDrive(here, number string) link.State {
	identity := strings.Fields(m.Text(here, "link"+number, "dev"+number+".0", "ata_device", "dev"+number+".0", "id"))
	const capabilities = 76
	if len(identity) <= capabilities {
		return link.State{}
	}
	word, err := strconv.ParseUint(identity[capabilities], 16, 16)
	if err != nil || word == 0xffff {
		return link.State{}
	}
	for _, generation := range []struct {
		bit      int
		gigabits float64
	}{{3, 6}, {2, 3}, {1, 1.5}} {
		if word>>generation.bit&1 == 1 {
			standard, _ := link.Serial("SATA", generation.gigabits)
			return standard.State()
		}
	}
	return link.State{}
}

// serialState reads "6.0 Gbps" or "12.0 Gbit".
func serialState(family, text string) link.State {
	number, _, _ := strings.Cut(text, " ")
	gigabits, err := strconv.ParseFloat(number, 64)
	if err != nil {
		return link.State{}
	}
	standard, ok := link.Serial(family, gigabits)
	if !ok {
		return link.State{}
	}
	return standard.State()
}

// sasHop gives the link to a SAS end device: the first lane of its port, times
// none, as a drive has one path to each port.
func (m *Machine) sasHop(here string) (link.Hop, bool) {
	for _, name := range m.Names(here) {
		if !strings.HasPrefix(name, "phy-") {
			continue
		}
		lane := path.Join("sys/class/sas_phy", name)
		return link.Trained(path.Base(here), serialState("SAS", m.Text(lane, "negotiated_linkrate")),
			serialState("SAS", m.Text(lane, "maximum_linkrate"))), true
	}
	return link.Hop{}, false
}

// cardTimings are the kernel's names of bus timings (drivers/mmc/core/debugfs.c).
var cardTimings = map[string]string{
	"sd high-speed": "sd high speed", "sd uhs SDR104": "sd uhs-i", "mmc HS200": "emmc hs200",
	"mmc HS400": "emmc hs400", "mmc HS400 enhanced strobe": "emmc hs400",
	"sd uhs SDR50": "sd uhs-i sdr50", "sd uhs DDR50": "sd uhs-i ddr50", "mmc high-speed": "emmc hs52",
	"mmc DDR52": "emmc ddr52",
}

// cardHop gives the bus of a memory card, where the kernel's debugging files
// tell its timing.
func (m *Machine) cardHop(here string) (link.Hop, bool) {
	controller, _, _ := strings.Cut(path.Base(here), ":")
	if _, err := m.Read("sys/kernel/debug", controller, "ios"); errors.Is(err, fs.ErrPermission) {
		m.keep([]string{"how the buses of memory cards run, which the kernel tells only root; run it as root"})
	}
	for _, line := range strings.Split(m.Text("sys/kernel/debug", controller, "ios"), "\n") {
		key, value, _ := strings.Cut(line, ":")
		_, inside, _ := strings.Cut(value, "(")
		timing, _, closed := strings.Cut(inside, ")")
		if strings.TrimSpace(key) != "timing spec" || !closed {
			continue
		}
		if standard, err := link.Find(cardTimings[timing]); err == nil {
			return link.Trained(controller, standard.State(), link.State{}), true
		}
	}
	return link.Trained(controller, link.State{Standard: cmp.Or(strings.ToLower(m.Text(here, "type")), "card") +
		" bus"}, link.State{}), true
}
