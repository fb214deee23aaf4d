package windows

import (
	"errors"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Here is this machine.
func Here() System { return machine{} }

type machine struct{}

var (
	configuration     = windows.NewLazySystemDLL("cfgmgr32.dll")
	locateNode        = configuration.NewProc("CM_Locate_DevNodeW")
	nodeProperty      = configuration.NewProc("CM_Get_DevNode_PropertyW")
	interfaceProperty = configuration.NewProc("CM_Get_Device_Interface_PropertyW")
)

// code is the number of an error of this machine. Results of the configuration manager are
// not asked for theirs: the call that would say is not on every machine.
func code(err error) error {
	switch result, ok := err.(windows.CONFIGRET); {
	case !ok:
	case result == windows.CR_ACCESS_DENIED:
		return CodeDenied
	case result == windows.CR_CALL_NOT_IMPLEMENTED:
		return CodeNotSupported
	default:
		return CodeNotFound
	}
	var number syscall.Errno
	if errors.As(err, &number) {
		return Code(number)
	}
	return err
}

// Query opens a device with no more rights than it takes to ask it, and if that is
// refused, with the right to read.
func (machine) Query(path string, control uint32, input []byte, most int) ([]byte, error) {
	out, err := ask(path, 0, control, input, most)
	if Denied(err) {
		if again, err := ask(path, windows.GENERIC_READ, control, input, most); err == nil {
			return again, nil
		}
	}
	return out, err
}

func ask(path string, access, control uint32, input []byte, most int) ([]byte, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return nil, err
	}
	const share = windows.FILE_SHARE_READ | windows.FILE_SHARE_WRITE
	device, err := windows.CreateFile(name, access, share, nil, windows.OPEN_EXISTING, 0, 0)
	if err != nil {
		return nil, code(err)
	}
	defer windows.CloseHandle(device)
	out, moved := make([]byte, most), uint32(0)
	err = windows.DeviceIoControl(device, control, unsafe.SliceData(input), uint32(len(input)), &out[0], uint32(most),
		&moved, nil)
	// What did not fit was cut off, and what was asked for is there.
	if err != nil && !errors.Is(err, windows.ERROR_MORE_DATA) {
		return nil, code(err)
	}
	return out[:min(int(moved), most)], nil
}

// propertyKey is DEVPROPKEY.
type propertyKey struct {
	category windows.GUID
	number   uint32
}

func (k Key) native() (*propertyKey, error) {
	category, err := windows.GUIDFromString(k.Category)
	return &propertyKey{category, k.Number}, err
}

// The results of the configuration manager (cfgmgr32.h).
const (
	configured = 0
)

// largestProperty is far above any that is asked for.
const largestProperty = 8 << 10

func (machine) Property(instance string, key Key) ([]byte, error) {
	if nodeProperty.Find() != nil || locateNode.Find() != nil {
		return nil, CodeNotSupported
	}
	name, err := windows.UTF16PtrFromString(instance)
	if err != nil {
		return nil, err
	}
	native, err := key.native()
	if err != nil {
		return nil, err
	}
	var node uint32
	if result, _, _ := locateNode.Call(uintptr(unsafe.Pointer(&node)), uintptr(unsafe.Pointer(name)), 0); result !=
		configured {
		return nil, CodeNotFound
	}
	out, size, kind := make([]byte, largestProperty), uint32(largestProperty), uint32(0)
	result, _, _ := nodeProperty.Call(uintptr(node), uintptr(unsafe.Pointer(native)), uintptr(unsafe.Pointer(&kind)),
		uintptr(unsafe.Pointer(&out[0])), uintptr(unsafe.Pointer(&size)), 0)
	if result != configured || size > largestProperty {
		return nil, CodeNotFound
	}
	return out[:size], nil
}

func (m machine) List(what Listing, of string) ([]string, error) {
	switch what {
	case Interfaces:
		class, err := windows.GUIDFromString(of)
		if err != nil {
			return nil, err
		}
		const present = 0 // CM_GET_DEVICE_INTERFACE_LIST_PRESENT
		paths, err := windows.CM_Get_Device_Interface_List("", &class, present)
		return paths, code(err)
	case Instance:
		name, err := instanceOf(of)
		return []string{name}, err
	case Volumes:
		return volumes()
	case Places:
		return places(of)
	case FileSystem:
		name, err := fileSystem(of)
		return []string{name}, err
	case SystemFolder:
		folder, err := windows.GetSystemWindowsDirectory()
		return []string{folder}, code(err)
	}
	return nil, CodeNotSupported
}

// instanceOf asks for DEVPKEY_Device_InstanceId of an interface.
func instanceOf(path string) (string, error) {
	if interfaceProperty.Find() != nil {
		return "", CodeNotSupported
	}
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return "", err
	}
	native, err := KeyInstance.native()
	if err != nil {
		return "", err
	}
	out, size, kind := make([]byte, largestProperty), uint32(largestProperty), uint32(0)
	result, _, _ := interfaceProperty.Call(uintptr(unsafe.Pointer(name)), uintptr(unsafe.Pointer(native)),
		uintptr(unsafe.Pointer(&kind)), uintptr(unsafe.Pointer(&out[0])), uintptr(unsafe.Pointer(&size)), 0)
	if result != configured || size > largestProperty {
		return "", CodeNotFound
	}
	return wide(out[:size]), nil
}

// longestName is the most letters of a path.
const longestName = 32 << 10

func volumes() ([]string, error) {
	buffer := make([]uint16, windows.MAX_PATH+1)
	search, err := windows.FindFirstVolume(&buffer[0], uint32(len(buffer)))
	if err != nil {
		return nil, code(err)
	}
	defer windows.FindVolumeClose(search)
	var found []string
	for {
		found = append(found, windows.UTF16ToString(buffer))
		if err := windows.FindNextVolume(search, &buffer[0], uint32(len(buffer))); err != nil {
			return found, nil
		}
	}
}

func places(volume string) ([]string, error) {
	name, err := windows.UTF16PtrFromString(volume)
	if err != nil {
		return nil, err
	}
	buffer, used := make([]uint16, longestName), uint32(0)
	err = windows.GetVolumePathNamesForVolumeName(name, &buffer[0], uint32(len(buffer)), &used)
	if err != nil {
		return nil, code(err)
	}
	var found []string
	for left := buffer[:min(int(used), len(buffer))]; len(left) > 0; {
		place := windows.UTF16ToString(left)
		if place == "" {
			break
		}
		found = append(found, place)
		left = left[min(len(windows.StringToUTF16(place)), len(left)):]
	}
	return found, nil
}

func fileSystem(volume string) (string, error) {
	name, err := windows.UTF16PtrFromString(volume)
	if err != nil {
		return "", err
	}
	buffer := make([]uint16, windows.MAX_PATH+1)
	err = windows.GetVolumeInformation(name, nil, 0, nil, nil, nil, &buffer[0], uint32(len(buffer)))
	if err != nil {
		return "", code(err)
	}
	return windows.UTF16ToString(buffer), nil
}

// VolumeOf gives the path of the volume that a file or a folder is on, and the path at
// which it is mounted there.
func VolumeOf(path string) (volume, place string, err error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return "", "", err
	}
	buffer := make([]uint16, longestName)
	if err := windows.GetVolumePathName(name, &buffer[0], uint32(len(buffer))); err != nil {
		return "", "", code(err)
	}
	place = windows.UTF16ToString(buffer)
	at, err := windows.UTF16PtrFromString(place)
	if err != nil {
		return "", "", err
	}
	if err := windows.GetVolumeNameForVolumeMountPoint(at, &buffer[0], uint32(len(buffer))); err != nil {
		return "", place, code(err)
	}
	return windows.UTF16ToString(buffer), place, nil
}

// FileSystemOf is the file system that a path is on: "NTFS".
func FileSystemOf(path string) (string, error) {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return "", err
	}
	buffer := make([]uint16, longestName)
	if err := windows.GetVolumePathName(name, &buffer[0], uint32(len(buffer))); err != nil {
		return "", code(err)
	}
	return fileSystem(windows.UTF16ToString(buffer))
}
