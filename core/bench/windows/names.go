package windows

// Named is a number that the Windows headers have a name for.
type Named struct {
	Name  string
	Value uint32
}

// numbers are all of them, for the test that compares them with headers.
var numbers []Named

// number is a number by its name in the headers.
func number(name string, value uint32) uint32 {
	numbers = append(numbers, Named{name, value})
	return value
}

// Control codes that disks, volumes and hubs answer.
var (
	getDeviceNumber     = number("IOCTL_STORAGE_GET_DEVICE_NUMBER", 0x2d1080)
	queryProperty       = number("IOCTL_STORAGE_QUERY_PROPERTY", 0x2d1400)
	getGeometry         = number("IOCTL_DISK_GET_DRIVE_GEOMETRY_EX", 0x700a0)
	getLayout           = number("IOCTL_DISK_GET_DRIVE_LAYOUT_EX", 0x70050)
	getPerformance      = number("IOCTL_DISK_PERFORMANCE", 0x70020)
	getLength           = number("IOCTL_DISK_GET_LENGTH_INFO", 0x7405c)
	getExtents          = number("IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS", 0x560000)
	getConnection       = number("IOCTL_USB_GET_NODE_CONNECTION_INFORMATION_EX", 0x220448)
	getConnectionSpeeds = number("IOCTL_USB_GET_NODE_CONNECTION_INFORMATION_EX_V2", 0x22045c)
	getDescriptor       = number("IOCTL_USB_GET_DESCRIPTOR_FROM_NODE_CONNECTION", 0x220410)
)

// What a disk is asked for (STORAGE_PROPERTY_ID), and what its protocol is.
var (
	deviceProperty      = number("StorageDeviceProperty", 0)
	alignmentProperty   = number("StorageAccessAlignmentProperty", 6)
	seekProperty        = number("StorageDeviceSeekPenaltyProperty", 7)
	protocolProperty    = number("StorageDeviceProtocolSpecificProperty", 50)
	temperatureProperty = number("StorageDeviceTemperatureProperty", 52)
	protocolATA         = number("ProtocolTypeAta", 2)
	protocolNVMe        = number("ProtocolTypeNvme", 3)
	nvmeIdentify        = number("NVMeDataTypeIdentify", 1)
	nvmeLogPage         = number("NVMeDataTypeLogPage", 2)
	ataIdentify         = number("AtaDataTypeIdentify", 1)
	nvmeHealth          = number("NVME_LOG_PAGE_HEALTH_INFO", 2)
	nvmeController      = number("NVME_IDENTIFY_CNS_CONTROLLER", 1)
)

// Bus is what a disk says it is attached by (STORAGE_BUS_TYPE).
type Bus uint32

// The buses that hops are known of.
var (
	BusATA     = Bus(number("BusTypeAta", 3))
	BusUSB     = Bus(number("BusTypeUsb", 7))
	BusSAS     = Bus(number("BusTypeSas", 10))
	BusSATA    = Bus(number("BusTypeSata", 11))
	BusSD      = Bus(number("BusTypeSd", 12))
	BusMMC     = Bus(number("BusTypeMmc", 13))
	BusVirtual = Bus(number("BusTypeVirtual", 14))
	BusFile    = Bus(number("BusTypeFileBackedVirtual", 15))
	BusSpaces  = Bus(number("BusTypeSpaces", 16))
	BusNVMe    = Bus(number("BusTypeNvme", 17))
	BusUFS     = Bus(number("BusTypeUfs", 19))
)

// Bits and speeds of USB connections.
var (
	connected      = number("DeviceConnected", 1)
	storeType      = number("USB_BOS_DESCRIPTOR_TYPE", 15)
	superSpeed     = number("UsbSuperSpeed", 3)
	highSpeed      = number("UsbHighSpeed", 2)
	fullSpeed      = number("UsbFullSpeed", 1)
	speedsAtSuper  = uint32(1 << 0) // DeviceIsOperatingAtSuperSpeedOrHigher
	speedsAtPlus   = uint32(1 << 2) // DeviceIsOperatingAtSuperSpeedPlusOrHigher
	protocolsSuper = uint32(1 << 2) // Usb300
)

// NamedKey is a property by its name in the headers.
type NamedKey struct {
	Name string
	Key
}

// keys are all properties that are asked for, for the test that compares them with headers.
var keys []NamedKey

func key(name, category string, number uint32) Key {
	k := Key{category, number}
	keys = append(keys, NamedKey{name, k})
	return k
}

// Categories of properties.
const (
	categoryDevice    = "{a45c254e-df1c-4efd-8020-67d146a850e0}"
	categoryRelations = "{4340a6c5-93fa-4706-972c-7b648008a5a7}"
	categoryReported  = "{540b947e-8b40-45bc-a8a2-6a0b894cbda2}"
	categoryContainer = "{8c7ed206-3f8a-4827-b3ab-ae9e1faefc6c}"
	categoryPCI       = "{3ab22e31-8264-4b4e-9af5-a8d2d8e33e62}"
)

// KeyInstance is the name of a device in the tree; a machine has it of interfaces too.
var KeyInstance = key("DEVPKEY_Device_InstanceId", "{78c34fc8-104a-4aca-9ea4-524d52996e57}", 256)

// Properties of devices.
var (
	keyParent      = key("DEVPKEY_Device_Parent", categoryRelations, 8)
	keyService     = key("DEVPKEY_Device_Service", categoryDevice, 6)
	keyDescription = key("DEVPKEY_Device_DeviceDesc", categoryDevice, 2)
	keyAddress     = key("DEVPKEY_Device_Address", categoryDevice, 30)
	keyReported    = key("DEVPKEY_Device_BusReportedDeviceDesc", categoryReported, 4)
	keyInMachine   = key("DEVPKEY_Device_InLocalMachineContainer", categoryContainer, 4)
	keySpeed       = key("DEVPKEY_PciDevice_CurrentLinkSpeed", categoryPCI, 9)
	keyWidth       = key("DEVPKEY_PciDevice_CurrentLinkWidth", categoryPCI, 10)
	keyMostSpeed   = key("DEVPKEY_PciDevice_MaxLinkSpeed", categoryPCI, 11)
	keyMostWidth   = key("DEVPKEY_PciDevice_MaxLinkWidth", categoryPCI, 12)
)

// Classes of devices, by their GUIDs.
const (
	classDisk = "{53f56307-b6bf-11d0-94f2-00a0c91efb8b}" // GUID_DEVINTERFACE_DISK
	classHub  = "{f18a0e88-c30c-11d0-8815-00a0c906bed8}" // GUID_DEVINTERFACE_USB_HUB
)
