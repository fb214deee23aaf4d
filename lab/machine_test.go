package lab

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// disk is a virtual drive of the machine. Its data is nothing but zeros, and its
// speed what the emulator holds it to.
type disk struct {
	// name of its throttle group: "limit-" and this.
	name string
	// devices are the emulator's, the last of which the drive is.
	devices []string
	// bad is a sector that cannot be read, or 0.
	bad int64
}

// disks are what is on the bench. Sizes and serials tell them apart.
var disks = []disk{
	{name: "wide", devices: []string{"pcie-root-port,id=slot1,bus=pcie.0,chassis=1,slot=1,x-speed=8,x-width=4",
		"nvme,id=wide,bus=slot1,serial=TW-WIDE,drive=node-wide"}},
	{name: "narrow", devices: []string{"pcie-root-port,id=slot2,bus=pcie.0,chassis=2,slot=2,x-speed=2_5,x-width=1",
		"nvme,id=narrow,bus=slot2,serial=TW-NARROW,drive=node-narrow"}},
	{name: "queued", devices: []string{"usb-uas,id=queued,bus=xhci.0",
		"scsi-hd,bus=queued.0,scsi-id=0,lun=0,serial=TW-QUEUED,drive=node-queued"}},
	{name: "single", devices: []string{"usb-storage,id=single,bus=xhci.0,serial=TW-SINGLE,drive=node-single"}},
	{name: "sata", devices: []string{"ide-hd,id=sata,bus=ide.0,serial=TW-SATA,drive=node-sata"}},
	{name: "worn", devices: []string{"pcie-root-port,id=slot3,bus=pcie.0,chassis=3,slot=3,x-speed=2_5,x-width=1",
		"nvme,id=worn,bus=slot3,serial=TW-WORN,drive=node-worn"}, bad: badSector},
}

const (
	diskSize = "2147483648" // 2 GiB
	// badSector is 20 MiB and 12 KiB behind the beginning of its disk.
	badSector = (20<<20 + 12<<10) / 512
)

// machine is a running virtual machine.
type machine struct {
	t        *testing.T
	emulator *exec.Cmd
	console  string
	line     net.Conn
	answers  *bufio.Reader
	monitor  net.Conn
	replies  *bufio.Reader
}

// boot starts the machine with the bench's disks and waits until its guest is ready.
func boot(t *testing.T, kernel, initramfs string) *machine {
	t.Helper()
	var devices []string
	for _, d := range disks {
		devices = append(devices, "-object", "throttle-group,id=limit-"+d.name,
			"-blockdev", "driver=null-co,node-name=zeros-"+d.name+",read-zeroes=on,size="+diskSize)
		below := "zeros-" + d.name
		if d.bad > 0 {
			devices = append(devices, "-blockdev", fmt.Sprintf("driver=blkdebug,node-name=bad-%s,image=%s,"+
				"inject-error.0.event=none,inject-error.0.iotype=read,inject-error.0.sector=%d,inject-error.0.errno=5,"+
				"inject-error.0.once=off", d.name, below, d.bad))
			below = "bad-" + d.name
		}
		devices = append(devices,
			"-blockdev", "driver=throttle,node-name=node-"+d.name+",throttle-group=limit-"+d.name+",file="+below)
		for _, device := range d.devices {
			devices = append(devices, "-device", device)
		}
	}
	for i, name := range []string{"from", "to"} { // file systems to copy between, on vda and vdb
		devices = append(devices, "-drive", fmt.Sprintf("if=none,id=%s,format=raw,file=%s", name, formatted(t)),
			"-device", fmt.Sprintf("virtio-blk-pci,drive=%s,serial=COPY-%d", name, i))
	}
	return bootWith(t, kernel, initramfs, devices)
}

// formatted is an image with an empty file system.
func formatted(t *testing.T) string {
	t.Helper()
	image := filepath.Join(t.TempDir(), "image")
	if err := errors.Join(os.WriteFile(image, nil, 0o600), os.Truncate(image, 192<<20)); err != nil {
		t.Fatal(err)
	}
	const whole = "lazy_itable_init=0,lazy_journal_init=0"
	out, err := exec.Command("mkfs.ext4", "-q", "-F", "-E", whole, image).CombinedOutput()
	if err != nil {
		t.Skipf("no file system can be made here: %v: %s", err, out)
	}
	return image
}

// accelerator is the emulator's own processor, unless somebody says that this machine's can be
// used: where it cannot, the emulator hangs.
func accelerator() string {
	if named := os.Getenv("OPENGAUGE_LAB_ACCELERATOR"); named != "" {
		return named
	}
	return "tcg,thread=multi"
}

// bootWith starts a machine with devices of one's own.
func bootWith(t *testing.T, kernel, initramfs string, devices []string) *machine {
	t.Helper()
	folder, err := os.MkdirTemp("", "opengauge-lab-") // short: names of sockets are bounded
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	in := func(name string) string { return filepath.Join(folder, name) }
	arguments := []string{
		"-machine", "q35", "-accel", accelerator(), "-cpu", "max", "-m", "1024", "-smp", "2", "-nodefaults",
		"-display", "none", "-no-reboot",
		"-kernel", kernel, "-initrd", initramfs, "-append", "console=ttyS0 quiet panic=-1",
		"-serial", "file:" + in("console"), "-chardev", "socket,id=line,path=" + in("line") + ",server=on,wait=off",
		"-serial", "chardev:line",
		"-qmp", "unix:" + in("monitor") + ",server=on,wait=off", "-device", "qemu-xhci,id=xhci",
	}
	arguments = append(arguments, devices...)
	m := &machine{t: t, console: in("console"), emulator: exec.Command("qemu-system-x86_64", arguments...)}
	var complaint strings.Builder
	m.emulator.Stderr = &complaint
	witness.Tie(m.emulator)
	if err := m.emulator.Start(); err != nil {
		t.Skip("the emulator cannot be started: ", err)
	}
	t.Cleanup(func() {
		_ = m.emulator.Process.Kill()
		_ = m.emulator.Wait()
	})
	m.line, m.answers = m.dial(in("line"), &complaint)
	m.monitor, m.replies = m.dial(in("monitor"), &complaint)
	m.order("qmp_capabilities", nil)
	if ready := m.listen(4 * time.Minute); ready != "ready" {
		t.Fatalf("the guest says %q", ready)
	}
	return m
}

func (m *machine) dial(socket string, complaint *strings.Builder) (net.Conn, *bufio.Reader) {
	m.t.Helper()
	for range 100 {
		if connection, err := net.Dial("unix", socket); err == nil {
			m.t.Cleanup(func() { _ = connection.Close() })
			return connection, bufio.NewReaderSize(connection, 1<<20)
		}
		time.Sleep(100 * time.Millisecond)
	}
	m.t.Fatalf("the emulator does not listen at %s: %s", socket, complaint)
	return nil, nil
}

// listen gives the guest's next line.
func (m *machine) listen(patience time.Duration) string {
	m.t.Helper()
	_ = m.line.SetReadDeadline(time.Now().Add(patience))
	text, err := m.answers.ReadString('\n')
	if err != nil {
		console, _ := os.ReadFile(m.console)
		m.t.Fatalf("the guest is silent: %v\n%s", err, console)
	}
	return strings.TrimRight(text, "\r\n")
}

// heard gives the guest's next line, or why there is none.
func (m *machine) heard(patience time.Duration) (string, error) {
	_ = m.line.SetReadDeadline(time.Now().Add(patience))
	text, err := m.answers.ReadString('\n')
	return strings.TrimRight(text, "\r\n"), err
}

// outcome is what a run of the program in the guest gave.
type outcome struct {
	Code   int
	Stdout string
	Stderr string
	// Counted is what the kernel counted of devices that it held to a rate.
	Counted string
}

// start has the program run in the guest; the returned function waits for it.
func (m *machine) start(write map[string]string, arguments ...string) func() outcome {
	m.t.Helper()
	return m.ask(map[string]any{"run": arguments, "write": write})
}

// throttled has the program run while the kernel lets it do so much to a device.
func (m *machine) throttled(device, most string, write map[string]string, arguments ...string) outcome {
	m.t.Helper()
	limit := []map[string]string{{"device": device, "most": most}}
	return m.ask(map[string]any{"run": arguments, "write": write, "limit": limit})()
}

func (m *machine) ask(request map[string]any) func() outcome {
	m.t.Helper()
	asked, err := json.Marshal(request)
	if err != nil {
		m.t.Fatal(err)
	}
	if _, err := m.line.Write(append(asked, '\n')); err != nil {
		m.t.Fatal(err)
	}
	return func() outcome {
		m.t.Helper()
		return m.outcome(m.listen(3 * time.Minute))
	}
}

func (m *machine) outcome(line string) (got outcome) {
	m.t.Helper()
	if err := json.Unmarshal([]byte(line), &got); err != nil {
		m.t.Fatal(err)
	}
	return got
}

func (m *machine) run(write map[string]string, arguments ...string) outcome {
	m.t.Helper()
	return m.start(write, arguments...)()
}

// order gives the emulator a command over its machine protocol (QMP).
func (m *machine) order(command string, arguments map[string]any) {
	m.t.Helper()
	message := map[string]any{"execute": command}
	if arguments != nil {
		message["arguments"] = arguments
	}
	encoded, _ := json.Marshal(message)
	if _, err := m.monitor.Write(append(encoded, '\n')); err != nil {
		m.t.Fatal(err)
	}
	_ = m.monitor.SetReadDeadline(time.Now().Add(10 * time.Second))
	for {
		text, err := m.replies.ReadString('\n')
		if err != nil {
			m.t.Fatalf("%s: %v", command, err)
		}
		var reply map[string]any
		if err := json.Unmarshal([]byte(text), &reply); err != nil {
			m.t.Fatal(err)
		}
		if failure, failed := reply["error"]; failed {
			m.t.Fatalf("%s: %v", command, failure)
		}
		if _, done := reply["return"]; done {
			return
		}
	}
}

// hold limits a drive to a rate in bytes a second, both ways together.
func (m *machine) hold(name string, bytesPerSecond float64) {
	m.t.Helper()
	m.order("qom-set", map[string]any{
		"path": "/objects/limit-" + name, "property": "limits",
		"value": map[string]any{"bps-total": int64(bytesPerSecond)},
	})
}

// pull takes a device out.
func (m *machine) pull(id string) {
	m.t.Helper()
	m.order("device_del", map[string]any{"id": id})
}

func plan(sweeps ...string) string {
	text := "plan: lab\nsteps:\n"
	for _, sweep := range sweeps {
		text += fmt.Sprintf("  - sweep: {%s}\n", sweep)
	}
	return text
}
