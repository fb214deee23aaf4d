package survey

import (
	"maps"
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
)

func TestWatchReadsStatesAndCounters(t *testing.T) {
	files := benchMachine()
	files[nvmeCard+"/aer_dev_correctable"] = "RxErr 3\nBadTLP 4\nTOTAL_ERR_COR 7\n"
	files[nvmeCard+"/aer_dev_fatal"] = "TOTAL_ERR_FATAL none\n"
	files[ahci+"/ata1/host1/target1:0:0/1:0:0:0/ioerr_cnt"] = "0x1f"
	machine := inMemory(files)
	readings := map[string]link.Reading{}
	for _, d := range machine.Devices() {
		readings[d.Name] = machine.Watch(d).Reading()
	}
	nvme := readings["nvme0n1"]
	if !maps.Equal(nvme.Counters, map[string]int64{"pcie_correctable_errors 0000:01:00.0": 7}) ||
		nvme.States["0000:00:01.0 to 0000:01:00.0"] != "pcie 3.0 x2" {
		t.Errorf("the NVMe drive says %+v", nvme)
	}
	if count := readings["sdb"].Counters["io_errors sdb"]; count != 31 {
		t.Errorf("the SATA drive counts %d errors, want 31", count)
	}
}

func TestWatchTellsOfARelink(t *testing.T) {
	files := benchMachine()
	machine := inMemory(files)
	var told []string
	for _, d := range machine.Devices() {
		if d.Name != "sda" {
			continue
		}
		w := machine.Watch(d)
		before := w.states()
		files[usbDevice+"/speed"] = "480"
		machine.Tree = inMemory(files).Tree
		w.compare(before, func(kind, detail string) { told = append(told, kind+": "+detail) })
	}
	if len(told) != 1 || told[0] != "relink: Limpet: usb 3.2 gen 1 queued before, usb 2.0 now" {
		t.Errorf("told %q", told)
	}
}

func TestJudgeTheKernelsWords(t *testing.T) {
	machine := inMemory(benchMachine())
	watches := map[string]*Watch{}
	for _, d := range machine.Devices() {
		watches[d.Name] = machine.Watch(d)
	}
	cases := []struct {
		device string
		message
		kind string
	}{
		{"nvme0n1", message{"nvme nvme0: I/O 12 QID 3 timeout, aborting", 4, ""}, event.Timeout},
		{"nvme0n1", message{"nvme nvme1: I/O 12 QID 3 timeout, aborting", 4, ""}, ""},
		{"nvme0n1", message{"pcieport 0000:00:01.0: AER: Corrected error received: 0000:01:00.0", 4, ""}, event.Kernel},
		{"sda", message{"usb 2-1: reset SuperSpeed USB device number 3 using xhci_hcd", 6, ""}, event.Reset},
		{"sda", message{"usb 2-10: reset SuperSpeed USB device number 3 using xhci_hcd", 6, ""}, ""},
		{"sdb", message{"ata1: limiting SATA link speed to 1.5 Gbps", 4, ""}, event.Relink},
		{"sdb", message{"ata1.00: exception Emask 0x0 SAct 0x0", 3, ""}, event.Kernel},
		{"sdb", message{"sd 1:0:0:0: [sdb] Attached SCSI disk", 5, ""}, ""},
		{"nvme0n1", message{"/devices/pci0000:00/0000:00:01.0/0000:01:00.0/nvme/nvme0/nvme0n1", 6, "remove"},
			event.Removed},
		{"nvme0n1", message{"/devices/pci0000:00/0000:00:01.0/0000:01:00.0/nvme/nvme0/nvme0n1", 6, "add"}, event.Added},
		{"nvme0n1", message{"/devices/pci0000:00/0000:00:01.0/0000:01:00.0", 6, "remove"}, ""},
		{"nvme0n1", message{"/devices/pci0000:00/0000:00:01.0/0000:01:00.0/nvme/nvme0/nvme0n1", 6, "change"}, ""},
	}
	for _, c := range cases {
		kind, ours := watches[c.device].judge(c.message)
		if !ours {
			kind = ""
		}
		if kind != c.kind {
			t.Errorf("%s: %q is %q, want %q", c.device, c.text, kind, c.kind)
		}
	}
}
