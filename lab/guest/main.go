//go:build linux

// Guest is the first process of the lab's virtual machine: it sets the machine
// up, then runs the program as it is told over the second serial port, and hands
// back what it printed.
package main

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// request is a line that the host sends; answer is the line that it gets.
type request struct {
	Run []string `json:"run"`
	// Write puts a file into place first.
	Write map[string]string `json:"write"`
	// Mount puts file systems of devices at places before that.
	Mount []mount `json:"mount"`
	// Stable are files that are written and flushed, and Loose such that are not.
	Stable map[string]string `json:"stable"`
	Loose  map[string]string `json:"loose"`
	// Stream sends each line that the program says of how far it is, as a line of its own.
	Stream bool `json:"stream"`
	// Inside is a folder that a whole system is in, and Script what its shell is told there
	// instead of the program being run.
	Inside string `json:"inside"`
	Script string `json:"script"`
	// Limit is what the kernel lets the program do to devices: a device's path, and limits
	// as in io.max (Documentation/admin-guide/cgroup-v2.rst).
	Limit []limit `json:"limit"`
}

type mount struct {
	Device string `json:"device"`
	Place  string `json:"place"`
}

type limit struct {
	Device string `json:"device"`
	Most   string `json:"most"`
}

type answer struct {
	Code   int    `json:"code"`
	Stdout string `json:"stdout"`
	Stderr string `json:"stderr"`
	// Counted is what the kernel counted of the devices with a limit, as in io.stat.
	Counted string `json:"counted,omitempty"`
}

const port = "/dev/ttyS1"

func main() {
	if err := serve(); err != nil {
		fmt.Fprintln(os.Stderr, "lab guest:", err)
	}
	_ = unix.Reboot(unix.LINUX_REBOOT_CMD_POWER_OFF)
}

func serve() error {
	if err := mountAll(); err != nil {
		return err
	}
	if err := loadModules(); err != nil {
		return err
	}
	settle()
	line, err := openPort()
	if err != nil {
		return err
	}
	defer line.Close()
	fmt.Fprintln(line, "ready")
	for lines := bufio.NewScanner(line); lines.Scan(); {
		var asked request
		if err := json.Unmarshal(lines.Bytes(), &asked); err != nil {
			return err
		}
		if len(asked.Run) == 0 && asked.Script == "" {
			return nil
		}
		if err := send(line, carryOut(asked, line)); err != nil {
			return err
		}
	}
	return errors.New("the host hung up")
}

// send writes a line.
func send(line io.Writer, content any) error {
	text, err := json.Marshal(content)
	if err != nil {
		return err
	}
	_, err = line.Write(append(text, '\n'))
	return err
}

// said is a line of what the program says while it runs.
type said struct {
	Said string `json:"said"`
}

// teller sends on what is said, a line at a time.
type teller struct {
	line io.Writer
	rest []byte
}

func (t *teller) Write(text []byte) (int, error) {
	t.rest = append(t.rest, text...)
	for {
		line, rest, whole := bytes.Cut(t.rest, []byte("\n"))
		if !whole {
			return len(text), nil
		}
		t.rest = bytes.Clone(rest)
		if err := send(t.line, said{string(line)}); err != nil {
			return 0, err
		}
	}
}

func mountAll() error {
	for _, each := range []struct{ kind, place string }{
		{"devtmpfs", "/dev"}, {"proc", "/proc"}, {"sysfs", "/sys"}, {"debugfs", "/sys/kernel/debug"}, {"tmpfs", "/tmp"},
		{"cgroup2", groups},
	} {
		if err := os.MkdirAll(each.place, 0o755); err != nil {
			return err
		}
		if err := unix.Mount(each.kind, each.place, each.kind, 0, ""); err != nil && err != unix.EBUSY {
			return fmt.Errorf("mounting %s: %w", each.place, err)
		}
	}
	return nil
}

// loadModules loads the kernel's modules in the order of their list.
func loadModules() error {
	list, err := os.ReadFile("/modules/order")
	if err != nil {
		return err
	}
	for _, name := range strings.Fields(string(list)) {
		file, err := os.Open("/modules/" + name)
		if err != nil {
			return err
		}
		err = unix.FinitModule(int(file.Fd()), "", 0)
		_ = file.Close()
		if err != nil && err != unix.EEXIST {
			return fmt.Errorf("loading %s: %w", name, err)
		}
	}
	return nil
}

// settle waits until no more disks appear.
func settle() {
	before, same := -1, 0
	for range 100 {
		time.Sleep(200 * time.Millisecond)
		disks, _ := os.ReadDir("/sys/block")
		if same++; len(disks) != before {
			before, same = len(disks), 0
		}
		if same >= 10 && before > 0 {
			return
		}
	}
}

// openPort opens the serial port as a plain line of bytes.
func openPort() (*os.File, error) {
	line, err := os.OpenFile(port, os.O_RDWR|unix.O_NOCTTY, 0)
	if err != nil {
		return nil, err
	}
	settings, err := unix.IoctlGetTermios(int(line.Fd()), unix.TCGETS)
	if err != nil {
		return nil, err
	}
	settings.Iflag, settings.Oflag, settings.Lflag = 0, 0, 0
	settings.Cflag = unix.CS8 | unix.CREAD | unix.CLOCAL | unix.B115200
	return line, unix.IoctlSetTermios(int(line.Fd()), unix.TCSETS, settings)
}

// groups is where the kernel's groups of processes are.
const groups = "/groups"

// limitedGroup is that of what may do so much to devices.
const limitedGroup = groups + "/limited"

// limited makes a group whose processes may do so much to devices.
func limited(limits []limit) (*os.File, error) {
	if err := os.WriteFile(groups+"/cgroup.subtree_control", []byte("+io"), 0); err != nil {
		return nil, fmt.Errorf("letting groups have limits: %w", err)
	}
	if err := os.MkdirAll(limitedGroup, 0o755); err != nil {
		return nil, err
	}
	for _, l := range limits {
		var status unix.Stat_t
		if err := unix.Stat(l.Device, &status); err != nil {
			return nil, err
		}
		most := fmt.Sprintf("%d:%d %s", unix.Major(status.Rdev), unix.Minor(status.Rdev), l.Most)
		if err := os.WriteFile(limitedGroup+"/io.max", []byte(most), 0); err != nil {
			return nil, fmt.Errorf("limiting %s: %w", most, err)
		}
	}
	return os.Open(limitedGroup)
}

// prepare mounts and writes what is asked for before the program runs.
func prepare(asked request) error {
	for _, each := range asked.Mount {
		if err := os.MkdirAll(each.Place, 0o755); err != nil {
			return err
		}
		if err := unix.Mount(each.Device, each.Place, "ext4", 0, ""); err != nil && err != unix.EBUSY {
			return fmt.Errorf("mounting %s: %w", each.Device, err)
		}
	}
	for name, content := range asked.Stable {
		file, err := os.Create(name)
		if err != nil {
			return err
		}
		_, err = file.WriteString(content)
		if err := errors.Join(err, file.Sync(), file.Close()); err != nil {
			return err
		}
	}
	for name, content := range asked.Loose {
		if err := os.WriteFile(name, []byte(content), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// furnish gives a system in a folder what the kernel tells, once.
func furnish(root string) error {
	for _, each := range []struct{ kind, place string }{{"proc", "/proc"}, {"sysfs", "/sys"}, {"devtmpfs", "/dev"},
		{"tmpfs", "/tmp"}, {"tmpfs", "/run"}} {
		var status unix.Statfs_t
		const procMagic, sysMagic, memoryMagic = 0x9fa0, 0x62656572, 0x01021994
		if unix.Statfs(root+each.place, &status) == nil && (status.Type == procMagic || status.Type == sysMagic ||
			status.Type == memoryMagic) {
			continue
		}
		if err := unix.Mount(each.kind, root+each.place, each.kind, 0, ""); err != nil {
			return fmt.Errorf("mounting %s in %s: %w", each.place, root, err)
		}
	}
	return nil
}

func carryOut(asked request, line io.Writer) answer {
	if err := prepare(asked); err != nil {
		return answer{Code: -1, Stderr: err.Error()}
	}
	if asked.Stream {
		if err := send(line, said{"ready to run"}); err != nil {
			return answer{Code: -1, Stderr: err.Error()}
		}
	}
	for name, content := range asked.Write {
		if err := os.WriteFile(name, []byte(content), 0o644); err != nil {
			return answer{Code: -1, Stderr: err.Error()}
		}
	}
	command := exec.Command("/opengauge", asked.Run...)
	if asked.Script != "" {
		if err := furnish(asked.Inside); err != nil {
			return answer{Code: -1, Stderr: err.Error()}
		}
		command = exec.Command("/bin/sh", "-c", asked.Script)
		command.Dir = "/"
		command.SysProcAttr = &syscall.SysProcAttr{Chroot: asked.Inside}
	}
	if len(asked.Limit) > 0 {
		group, err := limited(asked.Limit)
		if err != nil {
			return answer{Code: -1, Stderr: err.Error()}
		}
		defer func() { _ = errors.Join(group.Close(), os.Remove(group.Name())) }()
		command.SysProcAttr = &syscall.SysProcAttr{UseCgroupFD: true, CgroupFD: int(group.Fd())}
	}
	command.Env = []string{"HOME=/tmp", "OPENGAUGE_LOGBOOK=/tmp/logbook.db", "PATH=/usr/sbin:/usr/bin:/sbin:/bin"}
	var stdout, stderr bytes.Buffer
	command.Stdout, command.Stderr = &stdout, &stderr
	if asked.Stream {
		command.Stderr = io.MultiWriter(&stderr, &teller{line: line})
	}
	err := command.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		return answer{Code: -1, Stderr: err.Error()}
	}
	done := answer{Code: command.ProcessState.ExitCode(), Stdout: stdout.String(), Stderr: stderr.String()}
	if len(asked.Limit) > 0 {
		counted, err := os.ReadFile(limitedGroup + "/io.stat")
		if err != nil {
			return answer{Code: -1, Stderr: err.Error()}
		}
		done.Counted = string(counted)
	}
	return done
}
