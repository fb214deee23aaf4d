package windows

import (
	"slices"
	"strings"
)

// Step is a device on the way from the root of the machine to a disk.
type Step struct {
	Instance string
	// Service is the driver's: "stornvme", "UASPStor".
	Service string
	// Name is what the device calls itself, or else what the system calls it.
	Name string
	PCI  *PCI
	USB  *USB
	// Outside says that the device is not in the machine's own case.
	Outside bool
}

// PCI is how the link of a PCI Express device runs, and could run: generations count from
// 1, and lanes. What is not told is 0.
type PCI struct {
	Generation, Lanes         int
	MostGeneration, MostLanes int
}

// USB is how a USB device is connected. What is not told is 0, or empty.
type USB struct {
	Megabits float64
	// PortSuper says that its port can do SuperSpeed.
	PortSuper bool
	// Store is the device's binary object store, which says what it could do.
	Store []byte
}

// deepestWay is the most devices that stand on each other.
const deepestWay = 32

// way climbs the tree of devices from a disk to the root, and gives it from there.
func (a *asker) way(instance string, hubs map[string]string) []Step {
	var steps []Step
	for range deepestWay {
		step := Step{Instance: instance, Service: a.word(instance, keyService), Name: a.word(instance, keyReported)}
		if step.Name == "" {
			step.Name = a.word(instance, keyDescription)
		}
		if inside, err := a.Property(instance, keyInMachine); err == nil && len(inside) > 0 {
			step.Outside = inside[0] == 0
		}
		parent := a.word(instance, keyParent)
		switch enumerator, _, _ := strings.Cut(strings.ToUpper(instance), `\`); enumerator {
		case "PCI":
			step.PCI = a.pci(instance)
		case "USB":
			if hub, ok := hubs[strings.ToUpper(parent)]; ok {
				step.USB = a.usb(hub, instance)
			}
		}
		steps = append(steps, step)
		if parent == "" || slices.ContainsFunc(steps, func(s Step) bool { return s.Instance == parent }) {
			break
		}
		instance = parent
	}
	slices.Reverse(steps)
	return steps
}

// word is a property that is text.
func (a *asker) word(instance string, k Key) string {
	raw, err := a.Property(instance, k)
	if err != nil {
		return ""
	}
	return wide(raw)
}

// count is a property that is a number, or 0.
func (a *asker) count(instance string, k Key) int {
	raw, err := a.Property(instance, k)
	if err != nil || len(raw) != 4 {
		return 0
	}
	return int(int32(answer(raw).number(Field{Size: 4})))
}

// pci is a device's link; nil for one without.
func (a *asker) pci(instance string) *PCI {
	p := PCI{Generation: a.count(instance, keySpeed), Lanes: a.count(instance, keyWidth),
		MostGeneration: a.count(instance, keyMostSpeed), MostLanes: a.count(instance, keyMostWidth)}
	if p == (PCI{}) {
		return nil
	}
	return &p
}

// hubs gives the paths of USB hubs by the names of their instances, in capitals.
func (a *asker) hubs() map[string]string {
	found := map[string]string{}
	for _, path := range a.list(Interfaces, classHub) {
		if instance := a.list(Instance, path); len(instance) > 0 {
			found[strings.ToUpper(instance[0])] = path
		}
	}
	return found
}

// Fields of what hubs answer of a port, which is counted from 1.
var (
	connectionPort  = field("USB_NODE_CONNECTION_INFORMATION_EX", "ConnectionIndex", 0, 4)
	connectionSpeed = field("USB_NODE_CONNECTION_INFORMATION_EX", "Speed", 23, 1)
	connectionState = field("USB_NODE_CONNECTION_INFORMATION_EX", "ConnectionStatus", 31, 4)

	speedsPort      = field("USB_NODE_CONNECTION_INFORMATION_EX_V2", "ConnectionIndex", 0, 4)
	speedsLength    = field("USB_NODE_CONNECTION_INFORMATION_EX_V2", "Length", 4, 4)
	speedsProtocols = field("USB_NODE_CONNECTION_INFORMATION_EX_V2", "SupportedUsbProtocols", 8, 4)
	speedsFlags     = field("USB_NODE_CONNECTION_INFORMATION_EX_V2", "Flags", 12, 4)

	requestPort   = field("USB_DESCRIPTOR_REQUEST", "ConnectionIndex", 0, 4)
	requestKind   = field("USB_DESCRIPTOR_REQUEST", "SetupPacket.bmRequest", 4, 1)
	requestCode   = field("USB_DESCRIPTOR_REQUEST", "SetupPacket.bRequest", 5, 1)
	requestValue  = field("USB_DESCRIPTOR_REQUEST", "SetupPacket.wValue", 6, 2)
	requestLength = field("USB_DESCRIPTOR_REQUEST", "SetupPacket.wLength", 10, 2)
)

// Of a request for a descriptor (USB 3.2 Specification, 9.4.3).
const (
	fromDevice    = 0x80
	getADescripor = 6
	longestStore  = 1024
)

// usb asks a hub how a device is connected; nil where it does not say.
func (a *asker) usb(hub, instance string) *USB {
	port := a.count(instance, keyAddress)
	if port < 1 || port > 255 {
		return nil
	}
	const connectionLength, speedsSize = 35, 16
	question := make(answer, connectionLength)
	question.put(connectionPort, uint32(port))
	told, err := a.query(hub, getConnection, question, smallAnswer)
	if err != nil || len(told) < connectionLength || told.number(connectionState) != uint64(connected) {
		return nil
	}
	u := &USB{Megabits: megabits(uint32(told.number(connectionSpeed)))}
	question = make(answer, speedsSize)
	question.put(speedsPort, uint32(port))
	question.put(speedsLength, speedsSize)
	question.put(speedsProtocols, protocolsSuper)
	if told, err := a.query(hub, getConnectionSpeeds, question, smallAnswer); err == nil && len(told) >= speedsSize {
		u.PortSuper = told.number(speedsProtocols)&uint64(protocolsSuper) != 0
		switch flags := uint32(told.number(speedsFlags)); {
		case flags&speedsAtPlus != 0:
			u.Megabits = 10000
		case flags&speedsAtSuper != 0:
			u.Megabits = 5000
		}
	}
	u.Store = a.store(hub, port)
	return u
}

func megabits(speed uint32) float64 {
	switch speed {
	case fullSpeed:
		return 12
	case highSpeed:
		return 480
	case superSpeed:
		return 5000
	}
	return 0
}

// store asks for a device's binary object store.
func (a *asker) store(hub string, port int) []byte {
	header := requestLength.Offset + requestLength.Size
	question := make(answer, header+longestStore)
	question.put(requestPort, uint32(port))
	question.put(requestKind, fromDevice)
	question.put(requestCode, getADescripor)
	question.put(requestValue, storeType<<8)
	question.put(requestLength, longestStore)
	told, err := a.query(hub, getDescriptor, question, len(question))
	if err != nil || len(told) <= header {
		return nil
	}
	return told[header:]
}
