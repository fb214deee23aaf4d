package survey

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"encoding/json"
	"io"
	"io/fs"
	"os"
	"reflect"
	"strings"
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/bench/kernel"
	"opengauge/core/bench/link"
	"opengauge/core/bench/macos"
	"opengauge/core/bench/windows"
	"opengauge/core/unit"
	"opengauge/lab/night"
)

// The made-up machine of testdata/machine, which its own encoders wrote as Linux, Windows
// and macOS would tell of it.
const machines = "testdata/machine/"

var systems = []string{"linux", "windows", "macos"}

// One machine is the same in the captures of all systems: the devices, the hops and their
// rates. What a system does not tell is empty, and never another rate.
func TestOneMachineOnThreeSystems(t *testing.T) {
	type told struct{ linux, windows, macos string }
	all := func(text string) told { return told{text, text, text} }
	for _, c := range []struct {
		serial, model string
		kind          Class
		capacity      unit.Bytes
		removable     bool
		hops          told // rates
		capable       told // of the last hop
		healthy       told
	}{
		{"TW-0001", "Sandpiper 1TB", SolidState, 1000204886016, false, all("pcie 3.0 x2"), all("pcie 3.0 x4"),
			told{"", "42 °C, 3.0 % used", "42 °C, 3.0 % used"}},
		// No system but Linux tells what a USB port can do beyond 5 Gbit/s.
		{"TW-0002", "Limpet Case", SolidState, 1000204886016, true, all("usb 3.2 gen 1 queued"),
			told{"usb 3.2 gen 2 queued", "", ""}, told{}},
		// Windows does not tell what a SATA port can do, macOS nothing of it.
		{"TW-0003", "Curlew 500", HardDisk, 500107862016, false, told{"sata 2", "sata 2", "?"}, told{"sata 3", "", ""},
			told{}},
		// Windows does not tell how fast a tunnel is.
		{"TW-0004", "Turnstone 2TB", SolidState, 2000398934016, false,
			told{"usb4 40g > pcie 3.0 x4", "? > pcie 3.0 x4", "usb4 40g > pcie 3.0 x4"}, all("pcie 3.0 x4"), told{}},
		// Linux alone tells how a card's bus runs.
		{"TW-0005", "Pebble", Card, 31914983424, true, told{"sd uhs-i", "?", "?"}, told{}, told{}},
	} {
		for i, name := range systems {
			pick := func(of told) string { return []string{of.linux, of.windows, of.macos}[i] }
			d := deviceOf(t, name, c.serial)
			if d.Model != c.model || d.Kind != c.kind || d.Capacity != c.capacity || d.Removable != c.removable {
				t.Errorf("%s: %s is %q, %s, %d bytes, removable %v", name, c.serial, d.Model, d.Kind, d.Capacity, d.Removable)
			}
			var rates []string
			for _, hop := range d.Hops {
				rate := hop.Standard
				if !hop.Known() {
					rate = "?"
				}
				rates = append(rates, rate)
			}
			if got := strings.Join(rates, " > "); got != pick(c.hops) {
				t.Errorf("%s: the hops of %s are %q, want %q", name, c.serial, got, pick(c.hops))
			}
			capable := ""
			if last := d.Hops[len(d.Hops)-1]; last.Capable != nil {
				capable = last.Capable.Standard
			}
			if capable != pick(c.capable) {
				t.Errorf("%s: the last hop of %s could be %q, want %q", name, c.serial, capable, pick(c.capable))
			}
			if got := healthText(d.Health); got != pick(c.healthy) {
				t.Errorf("%s: the health of %s is %q, want %q", name, c.serial, got, pick(c.healthy))
			}
		}
	}
}

func healthText(h *Health) string {
	if h == nil {
		return ""
	}
	return h.TemperatureCelsius.String() + ", " + unit.Percent(h.UsedShare) + " used"
}

func deviceOf(t *testing.T, system, serial string) Device {
	t.Helper()
	devices := under(t, machines+system+".tar.gz").Devices()
	if len(devices) != 5 {
		t.Fatalf("%s has %d devices, want 5", system, len(devices))
	}
	for _, d := range devices {
		if d.Serial == serial {
			return d
		}
	}
	t.Fatalf("%s has no device %s", system, serial)
	return Device{}
}

// What holds and what counts is told on the other systems too.
func TestWhatOtherSystemsTellBesides(t *testing.T) {
	w := deviceOf(t, "windows", "TW-0001")
	if p := w.Partitions; len(p) != 1 || p[0].Name != "1" || len(p[0].Mounts) != 1 || p[0].Mounts[0].At != `C:\` ||
		p[0].Mounts[0].FileSystem != "NTFS" || p[0].Size != 1000204886016-2<<20 {
		t.Errorf("partitions of Windows are %+v", w.Partitions)
	}
	m := deviceOf(t, "macos", "TW-0001")
	if p := m.Partitions; len(p) != 1 || p[0].Name != "disk0s2" || len(p[0].Mounts) != 1 || p[0].Mounts[0].At != "/" {
		t.Errorf("partitions of macOS, whose system is a snapshot on a container, are %+v", m.Partitions)
	}
	for _, d := range []Device{w, m} {
		if d.TemperaturesCelsius["drive"] != 42 || d.TemperaturesCelsius["sensor 1"] != 45 || d.Health.WarningCelsius != 80 ||
			d.Health.CriticalCelsius != 85 || d.Health.MediaErrors != 1 || d.Health.Written != 200*512000 ||
			d.Health.AboveWarningSeconds != 120 {
			t.Errorf("temperatures are %v, health %+v", d.TemperaturesCelsius, d.Health)
		}
	}
	for system, places := range map[string]map[string]string{
		"windows": {`C:\Users\me`: "TW-0001", `e:\`: "TW-0002", `E:`: "TW-0002", `\\.\D:`: "TW-0003", `F:\`: "",
			`\\.\PhysicalDrive3`: "TW-0004", `\\server\share`: ""},
		"macos": {"/Users/me": "TW-0001", "/Volumes/limpet/a": "TW-0002", "/Volumes/limpets": "TW-0001",
			"/dev/disk5s1": "TW-0001", "/dev/rdisk2": "TW-0003", "/dev/disk99": ""},
	} {
		machine := under(t, machines+system+".tar.gz")
		for place, serial := range places {
			d, _, ok := machine.other.holding(machine.Devices(), place)
			if d.Serial != serial || ok != (serial != "") {
				t.Errorf("%s is on %q (%v), want %q", place, d.Serial, ok, serial)
			}
		}
	}
}

// Everything that is mounted on the made-up machine is on a device, and what is not is told.
func TestPlacesWithoutADevice(t *testing.T) {
	for _, name := range systems {
		if places := under(t, machines+name+".tar.gz").Unplaced(); len(places) > 0 {
			t.Errorf("%s: %q are on no device", name, places)
		}
	}
	registry := string(contentOf(t, machines+"macos.tar.gz", macosFile))
	registry = strings.ReplaceAll(registry, "/dev/disk1s1", "/dev/disk9s1")
	machine, err := machineOf(tree{macosFile: {content: []byte(registry)}})
	if err != nil {
		t.Fatal(err)
	}
	if places := machine.Unplaced(); len(places) != 1 || places[0] != "/Volumes/limpet" {
		t.Errorf("on no device are %q", places)
	}
}

// Links, counters and thermometers that are watched while a pass runs come from the same.
func TestOtherSystemsAreWatched(t *testing.T) {
	for _, name := range []string{"windows", "macos"} {
		machine := under(t, machines+name+".tar.gz")
		d := deviceOf(t, name, "TW-0001")
		reading := machine.Watch(d).Reading()
		if len(reading.States) != 1 || reading.Counters["nvme_media_errors "+d.Name] != 1 {
			t.Errorf("%s: reading is %+v", name, reading)
		}
		sources := machine.Sensors(d)
		got, err := sources[0].Read(t.Context())
		if err != nil || got.Temperatures["drive"] != 42 {
			t.Errorf("%s: sensors say %+v, %v", name, got, err)
		}
	}
	d := deviceOf(t, "macos", "TW-0003")
	want := macos.Traffic{Read: 1000000, Written: 2000000, Errors: 1, Again: 2, Waited: 7e6, TrafficIsKnown: true}
	if d.traffic != want {
		t.Errorf("traffic is %+v", d.traffic)
	}
}

// Of what differs little from the made-up machine, what differs is told.
func TestOtherMachinesOfOtherSystems(t *testing.T) {
	registry := string(contentOf(t, machines+"macos.tar.gz", macosFile))
	for _, c := range []struct{ from, to, serial, hops string }{
		{"IOUSBMassStorageUASDriver", "IOUSBMassStorageDriver", "TW-0002", "usb 3.2 gen 1 bulk-only"},
		{"IOUSBMassStorageUASDriver", "SomethingElse", "TW-0002", "usb 3.2 gen 1"},
		{"UsbLinkSpeed", "NoSpeed", "TW-0002", "usb 3.2 gen 1 queued"}, // by the number of its speed
		{"<integer>5000000000</integer>", "<integer>20000000000</integer>", "TW-0002", "usb 3.2 gen 2x2 queued"},
		{"<true/>", "<integer>1</integer>", "TW-0004", "usb4 40g > pcie 3.0 x4"},
		{"<integer>32</integer>", "<integer>16</integer>", "TW-0004", "thunderbolt 3 > pcie 3.0 x4"},
		{"Upstream Port Number", "No Number", "TW-0004", "usb4 or thunderbolt > pcie 3.0 x4"},
		{"<key>Depth</key>", "<key>Deep</key>", "TW-0004", "usb4 or thunderbolt > pcie 3.0 x4"},
		{"IOPCITunnelled", "Tunnelled", "TW-0004", "pcie 1.0 x4 of pcie 1.0 x1 > pcie 3.0 x4"},
	} {
		machine, err := machineOf(tree{macosFile: {content: []byte(strings.ReplaceAll(registry, c.from, c.to))}})
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range machine.Devices() {
			if got := hopTexts(d); d.Serial == c.serial && got != c.hops {
				t.Errorf("with %s the hops of %s are %q, want %q", c.to, c.serial, got, c.hops)
			}
		}
	}
	whole := answersOf(t)
	for i := range whole.Answers { // a drive that runs at a speed that there is not, and a disk without partitions
		if a := &whole.Answers[i]; len(a.Bytes) > 512 && strings.Contains(a.Query, "curlew") {
			a.Bytes[len(a.Bytes)-512+2*77] = 7 << 1
		} else if a.Bytes != nil && strings.Contains(a.Query, "limpet") && len(a.Bytes) >= 144 {
			a.Bytes[4] = 0
		}
	}
	for _, d := range windowsOf(t, whole).Devices() {
		if d.Serial == "TW-0003" && hopTexts(d) != "ata" {
			t.Errorf("a speed that there is not is %q", hopTexts(d))
		}
		if d.Serial == "TW-0002" && (len(d.Partitions) > 0 || len(d.Mounts) != 1 || d.Mounts[0].At != `E:\`) {
			t.Errorf("a disk without partitions has %+v, mounted at %+v", d.Partitions, d.Mounts)
		}
		if d.Serial == "TW-0001" && len(d.Mounts) > 0 {
			t.Errorf("a disk with partitions is mounted at %+v", d.Mounts)
		}
	}
}

// A device of another system that goes and comes is told of, once each.
func TestDevicesThatGoAndCome(t *testing.T) {
	whole := answersOf(t)
	there, gone := windowsMachine{whole}, windowsMachine{&windows.Capture{Format: whole.Format}}
	machine := &Machine{Tree: kernel.Of(tree{}), other: there}
	watch := machine.Watch(deviceOf(t, "windows", "TW-0004"))
	var told []string
	tell := func(kind, _ string) { told = append(told, kind) }
	for _, now := range []windowsMachine{there, gone, gone, there, there} {
		machine.other = now
		watch.presence(tell)
	}
	if !reflect.DeepEqual(told, []string{event.Removed, event.Added}) {
		t.Errorf("told is %q", told)
	}
	linux := inMemory(benchMachine())
	if watch := linux.Watch(linux.Devices()[0]); watch != nil {
		watch.presence(func(kind, detail string) { t.Errorf("of Linux it tells %s: %s", kind, detail) })
	}
}

// refusing is a machine some of whose files are for others.
type refusing struct {
	tree
	name string
}

func (r refusing) Read(name string) ([]byte, error) {
	if name == r.name {
		return nil, fs.ErrPermission
	}
	return r.tree.Read(name)
}

// On Linux too, what is for root is said once, and the card is there.
func TestRefusalsOfLinux(t *testing.T) {
	files := tree{"": {folder: true}}
	for name, content := range benchMachine() {
		if target, ok := strings.CutPrefix(content, "-> "); ok {
			files.put(name, &entry{target: target})
		} else {
			files.put(name, &entry{content: []byte(content)})
		}
	}
	machine := &Machine{Tree: kernel.Of(refusing{files, "sys/kernel/debug/mmc0/ios"})}
	for range 2 {
		for _, d := range machine.Devices() {
			if d.Name == "mmcblk0" && hopTexts(d) != "card bus" {
				t.Errorf("the card is on %q", hopTexts(d))
			}
		}
	}
	if _, err := machine.Capture(io.Discard, true); err != nil {
		t.Error(err)
	}
	if untold := machine.Untold(); len(untold) != 1 || !strings.Contains(untold[0], "root") {
		t.Errorf("said is %q", untold)
	}
}

// What is refused to this user is said once, with how to get it, and the rest is there.
func TestRefusalsAreSaidOnce(t *testing.T) {
	machine := under(t, machines+"windows.tar.gz")
	for range 2 {
		_ = machine.Devices()
	}
	if untold := machine.Untold(); len(untold) != 1 || !strings.Contains(untold[0], "administrator") ||
		!strings.Contains(untold[0], "health of drives") {
		t.Errorf("said is %q", untold)
	}
	captured := under(t, machines+"windows.tar.gz")
	if _, err := captured.Capture(io.Discard, false); err != nil || len(captured.Untold()) != 1 {
		t.Errorf("beside a capture said is %q, %v", captured.Untold(), err)
	}
	everything := answersOf(t)
	for i := range everything.Answers {
		everything.Answers[i].Error, everything.Answers[i].Bytes = windows.CodeDenied, nil
	}
	refused := windowsOf(t, everything)
	if devices := refused.Devices(); len(devices) != 0 {
		t.Errorf("%d devices, and all was refused", len(devices))
	}
	if untold := refused.Untold(); len(untold) < 2 {
		t.Errorf("said is %q", untold)
	}
}

func answersOf(t testing.TB) *windows.Capture {
	t.Helper()
	data := contentOf(t, machines+"windows.tar.gz", windowsFile)
	c, err := windows.ReadCapture(data)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func windowsOf(t testing.TB, c *windows.Capture) *Machine {
	t.Helper()
	data, err := json.Marshal(c)
	if err != nil {
		t.Fatal(err)
	}
	again, err := windows.ReadCapture(data)
	if err != nil {
		t.Fatal(err)
	}
	return &Machine{Tree: kernel.Of(tree{}), other: windowsMachine{again}}
}

func contentOf(t testing.TB, name, file string) []byte {
	t.Helper()
	opened, err := os.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	packed, err := gzip.NewReader(opened)
	if err != nil {
		t.Fatal(err)
	}
	for archive := tar.NewReader(packed); ; {
		header, err := archive.Next()
		if err != nil {
			t.Fatal(err)
		}
		if header.Name == file {
			content, err := io.ReadAll(archive)
			if err != nil {
				t.Fatal(err)
			}
			return content
		}
	}
}

// A device may vanish between two questions: without any one of the answers the others are
// what they are, and nothing is another rate than it was.
func TestDevicesMayVanishBetweenQuestions(t *testing.T) {
	whole := answersOf(t)
	truth := map[string]Device{}
	for _, d := range windowsOf(t, whole).Devices() {
		truth[d.Name] = d
	}
	for i := range whole.Answers {
		if !night.IsOn() && i%7 > 0 {
			continue
		}
		less := &windows.Capture{Format: whole.Format}
		less.Answers = append(append(less.Answers, whole.Answers[:i]...), whole.Answers[i+1:]...)
		for _, d := range windowsOf(t, less).Devices() {
			checkNoOther(t, truth[d.Name], d)
		}
	}
}

// checkNoOther holds what is told of a device against the truth: less, or the same.
func checkNoOther(t *testing.T, truth, d Device) {
	t.Helper()
	known := map[string]bool{}
	for _, hop := range truth.Hops {
		known[hop.Standard] = true
	}
	for _, hop := range d.Hops {
		if hop.Known() && !known[hop.Standard] && !strings.HasPrefix(hop.Standard, "usb 3.2 gen 1") &&
			!strings.HasPrefix(hop.Standard, "pcie 1.0") {
			t.Errorf("%s runs at %s all of a sudden", d.Name, hop.Standard)
		}
	}
	if d.Capacity != 0 && d.Capacity != truth.Capacity || d.Serial != "" && d.Serial != truth.Serial {
		t.Errorf("%s holds %d, serial %q", d.Name, d.Capacity, d.Serial)
	}
}

// Answers that are cut short, or say sizes that are not theirs, are read as far as they go.
func TestAnswersThatLie(t *testing.T) {
	whole := answersOf(t)
	for i, a := range whole.Answers {
		if !night.IsOn() && i%7 > 0 {
			continue
		}
		for _, bad := range [][]byte{nil, a.Bytes[:min(len(a.Bytes), 7)], a.Bytes[:len(a.Bytes)/2],
			bytes.Repeat([]byte{0xff}, len(a.Bytes)), append(bytes.Clone(a.Bytes), bytes.Repeat([]byte{0xff}, 100<<10)...)} {
			lying := &windows.Capture{Format: whole.Format, Answers: append([]windows.Answer{}, whole.Answers...)}
			lying.Answers[i].Bytes = bad
			for _, d := range windowsOf(t, lying).Devices() {
				if d.Capacity < 0 || len(d.Model) > 1000 || len(d.Partitions) > 128 {
					t.Errorf("answer %d as %x: %+v", i, bad[:min(len(bad), 20)], d)
				}
				for _, celsius := range d.TemperaturesCelsius {
					if !celsius.Believable() {
						t.Errorf("answer %d as %x: %v", i, bad[:min(len(bad), 20)], d.TemperaturesCelsius)
					}
				}
			}
		}
	}
}

// What a capture gives elsewhere is what the machine gave, and hides serials if asked to.
func TestCapturesOfOtherSystems(t *testing.T) {
	for _, name := range []string{"windows", "macos"} {
		machine := under(t, machines+name+".tar.gz")
		var packed bytes.Buffer
		seen, err := machine.Capture(&packed, false)
		if err != nil {
			t.Fatal(err)
		}
		again, err := readMachine(&packed)
		if err != nil {
			t.Fatal(err)
		}
		if elsewhere := again.Devices(); !reflect.DeepEqual(elsewhere, seen) || len(seen) != 5 {
			t.Errorf("%s: elsewhere it is\n%+v, here\n%+v", name, elsewhere, seen)
		}
		packed.Reset()
		if _, err := machine.Capture(&packed, true); err != nil {
			t.Fatal(err)
		}
		hidden, err := readMachine(bytes.NewReader(packed.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		devices := hidden.Devices()
		if len(devices) != 5 || len(devices[1].Hops) != 1 {
			t.Errorf("%s: hidden, %d devices are left: %+v", name, len(devices), devices)
		}
		plain, err := gzip.NewReader(bytes.NewReader(packed.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(plain)
		if err != nil {
			t.Fatal(err)
		}
		if found := secretsIn(string(text)); found != "" {
			t.Errorf("%s: the capture still holds %q", name, found)
		}
	}
}

// secretsIn finds a serial number in a text, in any of the forms that Windows has of one.
func secretsIn(text string) string {
	for _, field := range strings.Split(text, `"`) {
		if raw, err := base64.StdEncoding.DecodeString(field); err == nil && len(raw) > 0 {
			text += string(raw)
		}
	}
	for _, secret := range []string{"TW-000", "T\x00W\x00-\x000\x00", "WT0-"} {
		if strings.Contains(text, secret) {
			return secret
		}
	}
	return ""
}

// Bad captures are named for what they are.
func TestBadCapturesOfOtherSystems(t *testing.T) {
	deep := "<?xml version=\"1.0\"?><plist>" + strings.Repeat("<array>", 100_000) + strings.Repeat("</array>", 100_000) +
		"</plist>"
	for name, c := range map[string]struct{ file, content, wants string }{
		"another format": {windowsFile, `{"format": "opengauge.windows/2"}`, "this program reads"},
		"cut short":      {windowsFile, `{"format": "opengauge.windows/1", "answers": [{`, "cut short"},
		"no registry": {macosFile, `<?xml version="1.0"?><plist><dict><key>a</key><string>b</string></dict></plist>`,
			"no entries"},
		"a cut registry": {macosFile, `<?xml version="1.0"?><plist><dict><key>a</key>`, "cut short"},
		"another registry": {macosFile,
			`<?xml version="1.0"?><plist><dict><key>format</key><string>x/9</string></dict></plist>`, "this program reads"},
		"too deep": {macosFile, deep, "deep"},
		"neither":  {"sy", "", "neither"},
	} {
		files := tree{"": {folder: true}}
		files.put(c.file, &entry{content: []byte(c.content)})
		var packed bytes.Buffer
		if err := files.pack(&packed); err != nil {
			t.Fatal(err)
		}
		if _, err := readMachine(&packed); err == nil || !strings.Contains(err.Error(), c.wants) {
			t.Errorf("%s: error is %v", name, err)
		}
	}
	// A registry alone, as the system's own tools write it, is a machine without mounts.
	bare := strings.Replace(string(contentOf(t, machines+"macos.tar.gz", macosFile)), "opengauge.macos/1", "", 1)
	bare = bare[strings.Index(bare, "<key>registry</key>")+len("<key>registry</key>"):]
	bare = "<?xml version=\"1.0\"?><plist version=\"1.0\">" + bare[:strings.LastIndex(bare, "</dict>")] + "</plist>"
	machine, err := readMachine(strings.NewReader(bare))
	if err != nil {
		t.Fatal(err)
	}
	if devices := machine.Devices(); len(devices) != 5 || devices[3].Hops[0].Standard != "usb4 40g" {
		t.Errorf("a registry alone gives %+v", devices)
	}
}

// Boards: a slot whose generation is a setting runs below what both ends can do, and that
// is told; cards and eMMC run at what their timing says.
func TestBoards(t *testing.T) {
	root, drive := "sys/devices/platform/soc/a40000000.pcie/pci0000:00/0000:00:00.0", ""
	drive = root + "/0000:01:00.0"
	files := map[string]string{
		root + "/class": "0x060400", root + "/current_link_speed": "5.0 GT/s PCIe", root + "/current_link_width": "1",
		root + "/max_link_speed": "8.0 GT/s PCIe", root + "/max_link_width": "1",
		drive + "/class": "0x010802", drive + "/current_link_speed": "5.0 GT/s PCIe", drive + "/current_link_width": "1",
		drive + "/max_link_speed": "16.0 GT/s PCIe", drive + "/max_link_width": "4",
		drive + "/nvme/nvme0/nvme0n1/size": "1000", drive + "/nvme/nvme0/nvme0n1/dev": "259:0",
	}
	files["sys/block/nvme0n1"] = "-> ../" + strings.TrimPrefix(drive, "sys/") + "/nvme/nvme0/nvme0n1"
	for name, timing := range map[string]string{"mmc0": "10 (mmc HS400)", "mmc1": "6 (sd uhs SDR104)",
		"mmc2": "5 (sd uhs SDR50)", "mmc3": "7 (sd uhs DDR50)"} {
		folder := "sys/devices/platform/soc/" + name + "/mmc_host/" + name + "/" + name + ":0001/block/mmcblk" + name[3:]
		files[folder+"/size"], files[folder+"/dev"] = "1000", "179:"+name[3:]
		files["sys/block/mmcblk"+name[3:]] = "-> ../" + strings.TrimPrefix(folder, "sys/")
		files["sys/kernel/debug/"+name+"/ios"] = "clock:\t\t200000000 Hz\ntiming spec:\t" + timing + "\n"
	}
	want := map[string]string{"nvme0n1": "pcie 2.0 x1 of pcie 3.0 x1", "mmcblk0": "emmc hs400", "mmcblk1": "sd uhs-i",
		"mmcblk2": "sd uhs-i sdr50", "mmcblk3": "sd uhs-i ddr50"}
	for _, d := range inMemory(files).Devices() {
		if got := hopTexts(d); got != want[d.Name] {
			t.Errorf("%s runs at %q, want %q", d.Name, got, want[d.Name])
		}
		delete(want, d.Name)
		if d.Name == "nvme0n1" && !d.Hops[0].Degraded() {
			t.Error("a slot that is set below what both ends can do is not told")
		}
	}
	if len(want) > 0 {
		t.Errorf("not there: %v", want)
	}
}

// Whatever a driver answers to one question, and whatever a file says it answered.
func FuzzWindowsCapture(f *testing.F) {
	whole := answersOf(f)
	for i, a := range whole.Answers {
		f.Add(uint16(i), a.Bytes[:min(len(a.Bytes), 200)])
	}
	f.Add(uint16(len(whole.Answers)), []byte(`{"format": "opengauge.windows/1", "answers": [{"list": "volumes"}]}`))
	f.Fuzz(func(t *testing.T, i uint16, data []byte) {
		if int(i) >= len(whole.Answers) {
			if c, err := windows.ReadCapture(data); err == nil {
				checkSane(t, windowsMachine{c})
			}
			return
		}
		kept := whole.Answers[i].Bytes
		whole.Answers[i].Bytes = data
		checkSane(t, windowsMachine{whole})
		whole.Answers[i].Bytes = kept
	})
}

// A registry of one drive behind a port, for a start.
const smallRegistry = `<?xml version="1.0"?><plist><dict><key>IOObjectClass</key><string>IOPCIDevice</string>` +
	`<key>IOPCIExpressLinkStatus</key><integer>67</integer><key>IORegistryEntryChildren</key><array><dict>` +
	`<key>BSD Name</key><string>disk0</string><key>Size</key><integer>4096</integer>` +
	`<key>Whole</key><true/></dict></array>` +
	`</dict></plist>`

func FuzzMacosRegistry(f *testing.F) {
	f.Add([]byte(smallRegistry))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := macos.Read(data)
		if err != nil {
			return
		}
		checkSane(t, macosMachine{func() (*macos.Machine, error) { return m, nil }})
	})
}

func checkSane(t *testing.T, of foreign) {
	t.Helper()
	devices, _ := of.devices()
	for _, d := range devices {
		for _, hop := range d.Hops {
			if hop.Known() && (!(hop.Usable.Low > 0) || hop.Usable.Low > hop.Usable.High) ||
				hop.Capable != nil && *hop.Capable == (link.State{}) {
				t.Errorf("%s has the hop %+v", d.Name, hop)
			}
		}
		for _, celsius := range d.TemperaturesCelsius {
			if !celsius.Believable() {
				t.Errorf("%s is at %v", d.Name, celsius)
			}
		}
	}
}
