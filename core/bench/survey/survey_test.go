package survey

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"opengauge/core/bench/kernel"
	"opengauge/core/bench/link"
)

// A bench machine, as its kernel tells of it. A content that begins with "->" is
// a link.
const (
	rootPort  = "sys/devices/pci0000:00/0000:00:01.0"
	nvmeCard  = rootPort + "/0000:01:00.0"
	nvmeDrive = nvmeCard + "/nvme/nvme0/nvme0n1"
	xhci      = "sys/devices/pci0000:00/0000:00:14.0"
	usbDevice = xhci + "/usb2/2-1"
	usbDrive  = usbDevice + "/2-1:1.0/host0/target0:0:0/0:0:0:0/block/sda"
	ahci      = "sys/devices/pci0000:00/0000:00:17.0"
	sataDrive = ahci + "/ata1/host1/target1:0:0/1:0:0:0/block/sdb"
	tunnel    = "sys/devices/pci0000:00/0000:00:07.0"
	farDrive  = tunnel + "/0000:20:00.0/0000:21:01.0/0000:22:00.0/nvme/nvme1/nvme1n1"
	cardDrive = "sys/devices/platform/sdhci/mmc_host/mmc0/mmc0:aaaa/block/mmcblk0"
	virtual   = "sys/devices/virtual/block/"
)

func benchMachine() map[string]string {
	files := map[string]string{
		"sys/module/pcie_aspm/parameters/policy": "default [powersave] performance",

		nvmeCard + "/class": "0x010802", nvmeCard + "/power_state": "D0",
		nvmeDrive + "/size": "1953525168", nvmeDrive + "/dev": "259:0", nvmeDrive + "/queue/rotational": "0",
		nvmeDrive + "/device": "-> ../../nvme0", nvmeCard + "/nvme/nvme0/model": "Sandpiper   1TB ",
		nvmeCard + "/nvme/nvme0/serial":       "TW-0001",
		nvmeCard + "/nvme/nvme0/firmware_rev": "1.2", nvmeCard + "/nvme/nvme0/hwmon1/temp1_input": "41850",
		nvmeCard + "/nvme/nvme0/hwmon1/temp2_input": "44850",
		nvmeCard + "/nvme/nvme0/hwmon1/temp2_label": "Sensor 1", nvmeCard + "/nvme/nvme0/hwmon1/temp3_input": "-273150",

		xhci + "/class": "0x0c0330", xhci + "/usb1/speed": "480", xhci + "/usb2/speed": "10000",
		xhci + "/usb2/bDeviceClass": "09",
		usbDevice + "/bDeviceClass": "00", usbDevice + "/speed": "5000", usbDevice + "/rx_lanes": "1",
		usbDevice + "/product": "Limpet", usbDevice + "/serial": "TW-0002",
		usbDevice + "/power/control": "auto", usbDevice + "/2-1:1.0/bInterfaceClass": "08",
		usbDevice + "/2-1:1.0/driver": "-> ../../../../../../bus/usb/drivers/uas",
		// A SuperSpeed capability, and a SuperSpeedPlus one of 10 Gbit/s.
		usbDevice + "/bos_descriptors": "\x05\x0f\x22\x00\x02" + "\x0a\x10\x03\x00\x0e\x00\x03\x00\x00\x00" +
			"\x14\x10\x0a\x00\x01\x00\x00\x00\x00\x11\x00\x00" + "\x30\x40\x0a\x00" + "\xb0\x40\x0a\x00",
		usbDrive + "/size": "1953525168", usbDrive + "/dev": "8:0", usbDrive + "/queue/rotational": "0",
		usbDrive + "/removable": "1",

		ahci + "/class": "0x010601", ahci + "/ata1/ata_port/ata1/port_no": "1",
		ahci + "/ata1/link1/ata_link/link1/sata_spd":          "3.0 Gbps",
		ahci + "/ata1/link1/ata_link/link1/hw_sata_spd_limit": "6.0 Gbps",
		ahci + "/ata1/link1/dev1.0/ata_device/dev1.0/id":      strings.Repeat("0000 ", 76) + "000e 0086",
		sataDrive + "/size": "976773168", sataDrive + "/dev": "8:16", sataDrive + "/queue/rotational": "1",
		sataDrive + "/device":                             "-> ../../../1:0:0:0",
		ahci + "/ata1/host1/target1:0:0/1:0:0:0/model":    "Curlew 500",
		ahci + "/ata1/host1/target1:0:0/1:0:0:0/vendor":   "ATA",
		ahci + "/ata1/host1/target1:0:0/1:0:0:0/vpd_pg80": "\x00\x80\x00\x07TW-0003",
		sataDrive + "/sdb1/partition":                     "1", sataDrive + "/sdb1/size": "976771120",
		sataDrive + "/sdb1/dev": "8:17",

		tunnel + "/class": "0x060400", tunnel + "/removable": "fixed", tunnel + "/0000:20:00.0/class": "0x060400",
		tunnel + "/0000:20:00.0/removable":                       "removable",
		tunnel + "/0000:20:00.0/0000:21:01.0/class":              "0x060400",
		tunnel + "/0000:20:00.0/0000:21:01.0/0000:22:00.0/class": "0x010802",
		"sys/bus/thunderbolt/devices/0-0/device_name":            "Cabin Desk",
		"sys/bus/thunderbolt/devices/0-1/device_name":            "Barnacle",
		"sys/bus/thunderbolt/devices/0-1/rx_speed":               "20.0 Gb/s",
		"sys/bus/thunderbolt/devices/0-1/rx_lanes":               "2",
		"sys/bus/thunderbolt/devices/0-1/generation":             "4",
		farDrive + "/size":                                       "3907029168",
		farDrive + "/dev":                                        "259:1", farDrive + "/queue/rotational": "0",

		cardDrive + "/size": "62333952", cardDrive + "/dev": "179:0",
		"sys/kernel/debug/mmc0/ios": "clock:\t\t208000000 Hz\ntiming spec:\t6 (sd uhs SDR104)\n",

		virtual + "loop0/size": "131072", virtual + "loop0/dev": "7:0",
		virtual + "loop0/loop/backing_file": "/media/curlew/a disk.img",
		virtual + "dm-0/size":               "131072", virtual + "dm-0/dev": "253:0", virtual + "dm-0/dm/name": "vault",
		virtual + "dm-0/slaves/loop0": "-> ../../loop0",
		virtual + "zram0/size":        "2048", virtual + "zram0/dev": "252:0", virtual + "nbd0/size": "2048",
		virtual + "nbd0/dev": "43:0", virtual + "ram0/size": "0",

		"proc/self/mountinfo": `22 1 8:1 / / rw,relatime - ext4 /dev/gone rw
31 22 8:17 / /media/curlew rw,nosuid - ext4 /dev/sdb1 rw,errors=remount-ro
32 22 259:0 / /media/sand\040piper rw - xfs /dev/nvme0n1 rw
not a mount`,
	}
	link := func(folder, speed, width, most, widest string) {
		files[folder+"/current_link_speed"], files[folder+"/current_link_width"] = speed, width
		files[folder+"/max_link_speed"], files[folder+"/max_link_width"] = most, widest
	}
	files[rootPort+"/class"] = "0x060400"
	link(rootPort, "8.0 GT/s PCIe", "2", "16.0 GT/s PCIe", "4")
	link(nvmeCard, "8.0 GT/s PCIe", "2", "8.0 GT/s PCIe", "4")
	link(tunnel, "2.5 GT/s PCIe", "1", "2.5 GT/s PCIe", "1")
	link(tunnel+"/0000:20:00.0", "2.5 GT/s PCIe", "4", "2.5 GT/s PCIe", "4")
	link(tunnel+"/0000:20:00.0/0000:21:01.0", "8.0 GT/s PCIe", "4", "8.0 GT/s PCIe", "4")
	link(tunnel+"/0000:20:00.0/0000:21:01.0/0000:22:00.0", "8.0 GT/s PCIe", "4", "16.0 GT/s PCIe", "4")
	link(xhci, "Unknown", "0", "Unknown", "255")
	for name, folder := range map[string]string{
		"nvme0n1": nvmeDrive, "sda": usbDrive, "sdb": sataDrive, "nvme1n1": farDrive, "mmcblk0": cardDrive,
		"loop0": virtual + "loop0", "dm-0": virtual + "dm-0", "zram0": virtual + "zram0", "nbd0": virtual + "nbd0",
		"ram0": virtual + "ram0",
	} {
		files["sys/block/"+name] = "-> ../" + strings.TrimPrefix(folder, "sys/")
		files["sys/class/block/"+name] = "-> ../../" + strings.TrimPrefix(folder, "sys/")
		if number := files[folder+"/dev"]; number != "" {
			files["sys/dev/block/"+number] = "-> ../../" + strings.TrimPrefix(folder, "sys/")
		}
	}
	files["sys/dev/block/8:17"] = "-> ../../" + strings.TrimPrefix(sataDrive, "sys/") + "/sdb1"
	return files
}

func writeMachine(t testing.TB, files map[string]string) string {
	t.Helper()
	root := t.TempDir()
	for name, content := range files {
		place := filepath.Join(root, name)
		if err := os.MkdirAll(filepath.Dir(place), 0o755); err != nil {
			t.Fatal(err)
		}
		var err error
		if target, ok := strings.CutPrefix(content, "-> "); ok {
			err = os.Symlink(target, place)
		} else {
			err = os.WriteFile(place, []byte(content), 0o644)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	return root
}

// inMemory is the same machine without a disk.
func inMemory(files map[string]string) *Machine {
	captured := tree{"": {folder: true}}
	for name, content := range files {
		if target, ok := strings.CutPrefix(content, "-> "); ok {
			captured.put(name, &entry{target: target})
		} else {
			captured.put(name, &entry{content: []byte(content)})
		}
	}
	return &Machine{Tree: kernel.Of(captured)}
}

func under(t testing.TB, place string) *Machine {
	t.Helper()
	machine, err := Under(place)
	if err != nil {
		t.Fatal(err)
	}
	return machine
}

// hopTexts writes hops as "standard" or "standard of capable".
func hopTexts(d Device) string {
	var texts []string
	for _, hop := range d.Hops {
		text := hop.Standard
		if hop.Capable != nil && hop.Capable.Standard != hop.Standard {
			text += " of " + hop.Capable.Standard
		}
		texts = append(texts, text)
	}
	return strings.Join(texts, " > ")
}

func TestDevicesAndTheirHops(t *testing.T) {
	devices := under(t, writeMachine(t, benchMachine())).Devices()
	want := map[string]struct {
		kind          Class
		model, serial string
		hops          string
	}{
		"nvme0n1": {SolidState, "Sandpiper 1TB", "TW-0001", "pcie 3.0 x2 of pcie 3.0 x4"},
		"sda":     {SolidState, "", "TW-0002", "usb 3.2 gen 1 queued of usb 3.2 gen 2 queued"},
		"sdb":     {HardDisk, "Curlew 500", "TW-0003", "sata 2 of sata 3"},
		"nvme1n1": {SolidState, "", "", "thunderbolt 4 > pcie 3.0 x4"},
		"mmcblk0": {Card, "", "", "sd uhs-i"},
		"loop0":   {Loop, "", "", "sata 2 of sata 3 > loop over /media/curlew/a disk.img"},
		"dm-0": {Mapped, "vault", "", "sata 2 of sata 3 > loop over /media/curlew/a disk.img > device mapper " +
			"over loop0"},
		"zram0": {Memory, "", "", "memory"},
		"nbd0":  {Network, "", "", "network block device"},
	}
	if len(devices) != len(want) {
		t.Errorf("%d devices, want %d", len(devices), len(want))
	}
	for _, d := range devices {
		w := want[d.Name]
		hops := hopTexts(d)
		if d.Kind != w.kind || d.Model != w.model || d.Serial != w.serial || hops != w.hops {
			t.Errorf("%s is a %s %q %q over %q, want %+v", d.Name, d.Kind, d.Model, d.Serial, hops, w)
		}
	}
}

func TestWhatIsKnownOfADevice(t *testing.T) {
	devices := under(t, writeMachine(t, benchMachine())).Devices()
	named := map[string]Device{}
	for _, d := range devices {
		named[d.Name] = d
	}
	nvme := named["nvme0n1"]
	if nvme.Capacity != 1000204886016 || len(nvme.Mounts) != 1 || nvme.Mounts[0].At != "/media/sand piper" ||
		nvme.Firmware != "1.2" {
		t.Errorf("capacity %d, mounts %+v, firmware %q", nvme.Capacity, nvme.Mounts, nvme.Firmware)
	}
	// A sensor at absolute zero is one that is not there.
	if len(nvme.TemperaturesCelsius) != 2 || nvme.TemperaturesCelsius["drive"] != 41.85 ||
		nvme.TemperaturesCelsius["sensor 1"] != 44.85 {
		t.Errorf("temperatures are %v", nvme.TemperaturesCelsius)
	}
	if !nvme.Hops[0].Degraded() || nvme.Power["pcie_link_power_policy"] != "powersave" ||
		nvme.Power["pcie_power_state_0000:01:00.0"] != "D0" {
		t.Errorf("hop %+v, power %v", nvme.Hops[0], nvme.Power)
	}
	if usb := named["sda"]; !usb.Removable || usb.Power["usb_autosuspend_2-1"] != "auto" ||
		usb.Hops[0].Name != "Limpet" {
		t.Errorf("removable %v, power %v, hop %q", usb.Removable, usb.Power, usb.Hops[0].Name)
	}
	disk := named["sdb"]
	if len(disk.Partitions) != 1 || disk.Partitions[0].Mounts[0].Options != "rw,nosuid,rw,errors=remount-ro" {
		t.Errorf("partitions are %+v", disk.Partitions)
	}
	if loop := named["loop0"]; !reflect.DeepEqual(loop.StandsOn, []string{"sdb"}) {
		t.Errorf("the loop stands on %v", loop.StandsOn)
	}
}

// What is not there is unknown, and not guessed.
func TestMissingEntriesAreUnknown(t *testing.T) {
	whole := benchMachine()
	for name := range whole {
		files := benchMachine()
		delete(files, name)
		for _, d := range inMemory(files).Devices() {
			for _, hop := range d.Hops {
				if hop.Known() && (hop.Usable.Low <= 0 || hop.Standard == "") || hop.Capable != nil &&
					!hop.Capable.Known() {
					t.Errorf("without %s, %s has the hop %+v", name, d.Name, hop)
				}
			}
		}
	}
	files := benchMachine()
	delete(files, usbDevice+"/bos_descriptors")
	files[nvmeCard+"/current_link_width"] = "sixteen"
	for _, d := range under(t, writeMachine(t, files)).Devices() {
		if d.Name == "sda" && d.Hops[0].Capable != nil {
			t.Errorf("what the USB device can do is guessed: %+v", d.Hops[0].Capable)
		}
		if d.Name == "nvme0n1" && d.Hops[0].Known() {
			t.Errorf("a width that is no number gives %+v", d.Hops[0])
		}
	}
	if two := benchMachine(); true {
		two["sys/bus/thunderbolt/devices/0-3/device_name"] = "Other"
		for _, d := range under(t, writeMachine(t, two)).Devices() {
			if d.Name == "nvme1n1" && d.Hops[0].Known() {
				t.Error("one of two attached devices is chosen")
			}
		}
	}
}

func TestCaptureIsTheMachine(t *testing.T) {
	machine := under(t, writeMachine(t, benchMachine()))
	var packed bytes.Buffer
	seen, err := machine.Capture(&packed, false)
	if err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "bench.tar.gz")
	if err := os.WriteFile(name, packed.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	if elsewhere := under(t, name).Devices(); !reflect.DeepEqual(elsewhere, seen) || len(seen) != 9 {
		for i := range min(len(elsewhere), len(seen)) {
			if !reflect.DeepEqual(elsewhere[i], seen[i]) {
				t.Errorf("elsewhere %s is\n%+v, here\n%+v", seen[i].Name, elsewhere[i], seen[i])
			}
		}
		t.Errorf("%d devices elsewhere, %d here", len(elsewhere), len(seen))
	}

	packed.Reset()
	if _, err := machine.Capture(&packed, true); err != nil {
		t.Fatal(err)
	}
	captured, err := readCapture(&packed)
	if err != nil {
		t.Fatal(err)
	}
	for file, e := range captured {
		if strings.Contains(string(e.content), "TW-000") {
			t.Errorf("%s still holds a serial number", file)
		}
	}
	masks := map[string]bool{}
	for _, d := range Anonymous(seen) {
		if d.Serial != "" {
			masks[d.Serial] = true
		}
		if strings.Contains(d.Serial, "TW-") {
			t.Errorf("serial %q is not masked", d.Serial)
		}
	}
	if len(masks) != 3 {
		t.Errorf("three serials are masked as %v", masks)
	}
}

func archiveOf(t testing.TB, headers ...*tar.Header) []byte {
	t.Helper()
	var packed bytes.Buffer
	zipped := gzip.NewWriter(&packed)
	archive := tar.NewWriter(zipped)
	for _, header := range headers {
		if err := archive.WriteHeader(header); err != nil {
			t.Fatal(err)
		}
		if _, err := archive.Write(make([]byte, header.Size)); err != nil {
			t.Fatal(err)
		}
	}
	_ = archive.Close()
	_ = zipped.Close()
	return packed.Bytes()
}

func TestCapturesThatAreNone(t *testing.T) {
	folder := &tar.Header{Name: "sys/", Typeflag: tar.TypeDir}
	file := func(name string, size int64) *tar.Header {
		return &tar.Header{Name: name, Typeflag: tar.TypeReg, Size: size}
	}
	var many []*tar.Header
	for i := range 300 {
		many = append(many, file(fmt.Sprintf("sys/f%d", i), kernel.LargestFile))
	}
	cases := []struct {
		name, want string
		content    []byte
	}{
		{"no archive", "not a capture", []byte("no archive at all")},
		{"nothing", "not a capture", nil},
		{"no sys", "neither a folder", archiveOf(t, file("etc/hosts", 1))},
		{"outside", "outside", archiveOf(t, folder, file("../../etc/passwd", 1))},
		{"absolute", "outside", archiveOf(t, folder, file("/etc/passwd", 1))},
		{"large file", "larger than", archiveOf(t, folder, file("sys/big", kernel.LargestFile+1))},
		{"absurd size", "larger than", archiveOf(t, many...)},
		{"device node", "neither a file", archiveOf(t, folder, &tar.Header{Name: "sys/null", Typeflag: tar.TypeChar})},
		{"cut short", "not a capture", archiveOf(t, folder, file("sys/a", 5000))[:60]},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			name := filepath.Join(t.TempDir(), "x.tar.gz")
			if err := os.WriteFile(name, c.content, 0o600); err != nil {
				t.Fatal(err)
			}
			if _, err := Under(name); err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("error is %v, want %q in it", err, c.want)
			}
		})
	}
	if _, err := Under(t.TempDir()); err == nil {
		t.Error("an empty folder is a machine")
	}
}

// Links may lead anywhere; they are followed inside of the tree only.
func TestLinksStayInside(t *testing.T) {
	secret := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(secret, []byte("123456"), 0o600); err != nil {
		t.Fatal(err)
	}
	files := benchMachine()
	files[nvmeDrive+"/size"] = "-> " + secret
	files["sys/block/ring"] = "-> ring2"
	files["sys/block/ring2"] = "-> ring"
	files["sys/block/up"] = "-> ../../../../../../../../../../../../../../../.." + filepath.Dir(secret)
	for _, d := range under(t, writeMachine(t, files)).Devices() {
		if d.Name == "nvme0n1" || d.Name == "ring" || d.Name == "up" {
			t.Errorf("%s was read through a link that leads outside: %+v", d.Name, d)
		}
	}
}

func TestThousandsOfOddDevices(t *testing.T) {
	files := map[string]string{"proc/self/mountinfo": "\x00\xff - \n1 2 3 4 5 6 - 7"}
	for i := range 3000 {
		name := fmt.Sprintf("sd%d\x1b[31m;rm -rf", i)
		files["sys/block/"+name+"/size"] = fmt.Sprint(i)
		files["sys/block/"+name+"/device/model"] = strings.Repeat("x", 300) + "\xff"
	}
	devices := inMemory(files).Devices()
	if len(devices) != 2999 {
		t.Errorf("%d devices, want those 2999 with a size", len(devices))
	}
}

func TestSensorsOfTheMachine(t *testing.T) {
	files := benchMachine()
	for name, content := range map[string]string{
		"sys/class/thermal/thermal_zone0/temp": "48000", "sys/class/thermal/thermal_zone0/type": "case",
		"sys/class/thermal/thermal_zone1/temp": "-273000",
		"sys/class/thermal/thermal_zone1/type": "none", "sys/class/hwmon/hwmon3/fan1_input": "1450",
		"sys/class/hwmon/hwmon3/power1_input":       "4200000",
		"sys/class/powercap/intel-rapl:0/energy_uj": "5000000",
	} {
		files[name] = content
	}
	machine := inMemory(files)
	sources := machine.Sensors(machine.Devices()[4])
	drive, err := sources[0].Read(context.Background())
	if err != nil || drive.Temperatures["drive"] != 41.85 {
		t.Errorf("the drive says %v, %v", drive.Temperatures, err)
	}
	_, _ = sources[1].Read(context.Background())
	files["sys/class/powercap/intel-rapl:0/energy_uj"] = "6000000"
	machine.Tree = inMemory(files).Tree
	rest, err := sources[1].Read(context.Background())
	if err != nil || len(rest.Temperatures) != 1 || rest.Temperatures["zone case"] != 48 {
		t.Errorf("the machine says %v, %v", rest.Temperatures, err)
	}
	if rest.Values["hwmon3_fan1_rpm"] != 1450 || rest.Values["hwmon3_power1_watts"] != 4.2 ||
		rest.Values["processor_watts"] <= 0 {
		t.Errorf("readings are %v", rest.Values)
	}
}

func TestParseHealth(t *testing.T) {
	page, identity := make([]byte, healthPageLength), make([]byte, identityLength)
	page[1], page[2] = 0x3c, 0x01 // 316 K
	page[3], page[5] = 90, 7
	page[48] = 2 // 2 units of 512 000 bytes
	page[160], page[176] = 3, 4
	page[192], page[196] = 5, 6
	page[216], page[220], page[224], page[228] = 7, 8, 9, 10
	page[200], page[201] = 0x40, 0x01
	identity[266], identity[267], identity[268], identity[269] = 0x57, 0x01, 0x5c, 0x01
	h, sound := parseHealth(page, identity)
	if !sound || h.TemperatureCelsius != 43 || h.WarningCelsius != 70 || h.CriticalCelsius != 75 ||
		h.SensorsCelsius[0] != 47 ||
		h.UsedShare != 0.07 || h.SpareShare != 0.9 || h.Written != 1_024_000 || h.MediaErrors != 3 ||
		h.ErrorLogEntries != 4 ||
		h.AboveWarningSeconds != 300 || h.AboveCriticalSeconds != 360 || h.Slowdowns != [2]int64{7, 8} ||
		h.SlowSeconds != [2]float64{9, 10} {
		t.Errorf("health is %+v", h)
	}
	if _, sound := parseHealth(page[:100], nil); sound {
		t.Error("a short page is taken")
	}
}

func TestThisMachine(t *testing.T) {
	folder := t.TempDir()
	device, mount, there := Here().DeviceOf(folder)
	if !LinksAreRead || !there {
		t.Skip("the folder for temporary files is on no block device that this system tells of")
	}
	if device.Capacity <= 0 || device.Name == "" || mount.FileSystem == "" {
		t.Errorf("%s is on %+v, mounted as %+v", folder, device, mount)
	}
}

func FuzzReadCapture(f *testing.F) {
	f.Add(archiveOf(f, &tar.Header{Name: "sys/", Typeflag: tar.TypeDir},
		&tar.Header{Name: "sys/block/sda", Typeflag: tar.TypeSymlink, Linkname: "../x"}))
	f.Fuzz(func(t *testing.T, content []byte) {
		captured, err := readCapture(bytes.NewReader(content))
		if err != nil {
			return
		}
		for _, d := range (&Machine{Tree: kernel.Of(captured)}).Devices() {
			if d.Capacity <= 0 || d.BindingHop >= len(d.Hops) {
				t.Fatalf("device %+v", d)
			}
		}
	})
}

func FuzzDeviceMegabits(f *testing.F) {
	f.Add([]byte(benchMachine()[usbDevice+"/bos_descriptors"]))
	f.Fuzz(func(t *testing.T, store []byte) {
		if speed := deviceMegabits(store); speed != 0 {
			usbState(speed, 1, link.QueuedTransport)
		}
	})
}
