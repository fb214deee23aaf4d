package survey

import (
	"errors"
	"io/fs"
	"path"
	"strings"
	"unsafe"

	"golang.org/x/sys/unix"
)

// nvmeCommand is struct nvme_passthru_cmd of linux/nvme_ioctl.h.
type nvmeCommand struct {
	opcode, flags       uint8
	_                   uint16
	namespace           uint32
	word2, word3        uint32
	metadata, address   uint64
	metadataLength      uint32
	dataLength          uint32
	words               [6]uint32
	timeoutMilliseconds uint32
	result              uint32
}

const (
	nvmeAdminCommand  = 0xc0484e41 // _IOWR('N', 0x41, struct nvme_passthru_cmd)
	getLogPage        = 0x02
	identify          = 0x06
	healthPage        = 0x02
	identifyControler = 0x01
	allNamespaces     = 0xffffffff
	nvmeTimeout       = 2000
)

// health asks an NVMe drive of this machine how it is, by the kernel's admin
// pass-through. It only reads. It gives nil where there is no such drive, or no
// permission.
func (m *Machine) health(d *Device) *Health {
	if !m.live || !strings.HasPrefix(d.Name, "nvme") {
		return nil
	}
	controller := path.Base(path.Dir(d.folder))
	if !strings.HasPrefix(controller, "nvme") {
		controller, _, _ = strings.Cut(d.Name[len("nvme"):], "n")
		controller = "nvme" + controller
	}
	health, err := readHealth("/dev/" + controller)
	if errors.Is(err, fs.ErrPermission) {
		m.keep([]string{"the health of NVMe drives, which only root may ask for; run it as root, or give the program that " +
			"right: docs/platforms.md says how"})
	}
	return health
}

func readHealth(controller string) (*Health, error) {
	device, err := unix.Open(controller, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer unix.Close(device)
	page, err := nvmeAsk(device, getLogPage, allNamespaces, healthPage|(healthPageLength/4-1)<<16, healthPageLength)
	if err != nil {
		return nil, err
	}
	identity, _ := nvmeAsk(device, identify, 0, identifyControler, identityLength)
	health, _ := parseHealth(page, identity)
	return health, nil
}

// nvmeAsk sends an admin command that reads.
func nvmeAsk(device int, opcode uint8, namespace, word10 uint32, length int) ([]byte, error) {
	data := make([]byte, length)
	command := nvmeCommand{
		opcode: opcode, namespace: namespace, address: uint64(uintptr(unsafe.Pointer(&data[0]))),
		dataLength: uint32(length),
		words:      [6]uint32{word10}, timeoutMilliseconds: nvmeTimeout,
	}
	status, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(device), nvmeAdminCommand,
		uintptr(unsafe.Pointer(&command)))
	switch {
	case errno != 0:
		return nil, errno
	case status != 0:
		return nil, errors.New("the controller refused the command")
	}
	return data, nil
}
