package macos

import (
	"bytes"
	"errors"
	"fmt"
	"sync"
	"unsafe"

	"github.com/ebitengine/purego"
	"golang.org/x/sys/unix"
	"howett.net/plist"
)

// The frameworks of the system, by their documented paths.
const (
	pathIOKit      = "/System/Library/Frameworks/IOKit.framework/IOKit"
	pathFoundation = "/System/Library/Frameworks/CoreFoundation.framework/CoreFoundation"
)

// kit has the calls of the frameworks that are used (IOKitLib.h, CFPropertyList.h).
type kit struct {
	rootEntry  func(port uint32) uint32
	children   func(entry uint32, plane string, iterator *uint32) int32
	next       func(iterator uint32) uint32
	release    func(object uint32) int32
	nameOf     func(entry uint32, name *byte) int32
	classOf    func(entry uint32, name *byte) int32
	properties func(entry uint32, properties *uintptr, allocator uintptr, options uint32) int32
	packed     func(allocator, list uintptr, format int, options uint, problem *uintptr) uintptr
	bytesOf    func(data uintptr) *byte
	lengthOf   func(data uintptr) int
	let        func(object uintptr)
}

// loaded loads them once.
var loaded = sync.OnceValues(func() (*kit, error) {
	io, err := purego.Dlopen(pathIOKit, purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, fmt.Errorf("loading IOKit: %w", err)
	}
	foundation, err := purego.Dlopen(pathFoundation, purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, fmt.Errorf("loading CoreFoundation: %w", err)
	}
	k := &kit{}
	for name, call := range map[string]any{
		"IORegistryGetRootEntry": &k.rootEntry, "IORegistryEntryGetChildIterator": &k.children,
		"IOIteratorNext": &k.next, "IOObjectRelease": &k.release, "IORegistryEntryGetName": &k.nameOf,
		"IOObjectGetClass": &k.classOf, "IORegistryEntryCreateCFProperties": &k.properties,
	} {
		purego.RegisterLibFunc(call, io, name)
	}
	for name, call := range map[string]any{
		"CFPropertyListCreateData": &k.packed, "CFDataGetBytePtr": &k.bytesOf, "CFDataGetLength": &k.lengthOf,
		"CFRelease": &k.let,
	} {
		purego.RegisterLibFunc(call, foundation, name)
	}
	return k, nil
})

// Here reads this machine: its registry's plane of services, and its mounts.
func Here() (*Machine, error) {
	k, err := loaded()
	if err != nil {
		return nil, err
	}
	root := k.rootEntry(0)
	if root == 0 {
		return nil, errors.New("the I/O registry does not answer")
	}
	defer k.release(root)
	left := mostEntries
	m := &Machine{Root: k.node(root, nil, &left, 0)}
	m.Mounts, err = mounts()
	return m, err
}

// nameLength is io_name_t.
const nameLength = 128

// node reads an entry and what is below it.
func (k *kit) node(entry uint32, parent *Node, left *int, depth int) *Node {
	*left--
	var name, class [nameLength]byte
	k.nameOf(entry, &name[0])
	k.classOf(entry, &class[0])
	n := &Node{Name: text(name[:]), Class: text(class[:]), Parent: parent, Properties: k.propertiesOf(entry)}
	n.Properties[keyName], n.Properties[keyClass] = n.Name, n.Class
	if n.Class == "IONVMeController" || n.Class == "AppleNVMeController" {
		if page, ok := healthPage(entry); ok {
			n.Properties[KeyHealthPage] = page
		}
	}
	var iterator uint32
	if depth > deepest || *left < 0 || k.children(entry, "IOService", &iterator) != 0 {
		return n
	}
	defer k.release(iterator)
	for child := k.next(iterator); child != 0; child = k.next(iterator) {
		n.Children = append(n.Children, k.node(child, n, left, depth+1))
		k.release(child)
	}
	return n
}

// propertiesOf takes an entry's properties by way of a property list, which is what the
// system's own types and this program's have in common.
func (k *kit) propertiesOf(entry uint32) map[string]any {
	found := map[string]any{}
	var list uintptr
	if k.properties(entry, &list, 0, 0) != 0 || list == 0 {
		return found
	}
	defer k.let(list)
	const asXML = 100 // kCFPropertyListXMLFormat_v1_0
	data := k.packed(0, list, asXML, 0, nil)
	if data == 0 {
		return found
	}
	defer k.let(data)
	raw := bytes.Clone(unsafe.Slice(k.bytesOf(data), k.lengthOf(data)))
	_, _ = plist.Unmarshal(raw, &found) // what cannot be read is unknown
	return found
}

func text(raw []byte) string {
	if end := bytes.IndexByte(raw, 0); end >= 0 {
		raw = raw[:end]
	}
	return string(raw)
}

// mounts is the system's table of mounts (getfsstat(2)).
func mounts() ([]Mount, error) {
	count, err := unix.Getfsstat(nil, unix.MNT_NOWAIT)
	if err != nil {
		return nil, fmt.Errorf("reading what is mounted: %w", err)
	}
	table := make([]unix.Statfs_t, count)
	if count, err = unix.Getfsstat(table, unix.MNT_NOWAIT); err != nil {
		return nil, fmt.Errorf("reading what is mounted: %w", err)
	}
	var found []Mount
	for _, each := range table[:min(count, len(table))] {
		mount := Mount{Source: text(each.Mntfromname[:]), At: text(each.Mntonname[:]),
			FileSystem: text(each.Fstypename[:])}
		if each.Flags&unix.MNT_RDONLY != 0 {
			mount.Options = "ro"
		}
		found = append(found, mount)
	}
	return found, nil
}

// SourceOf is the device that a path is on, by the system's table: "/dev/disk3s1".
func SourceOf(path string) (Mount, error) {
	var status unix.Statfs_t
	if err := unix.Statfs(path, &status); err != nil {
		return Mount{}, err
	}
	return Mount{Source: text(status.Mntfromname[:]), At: text(status.Mntonname[:]),
		FileSystem: text(status.Fstypename[:])}, nil
}
