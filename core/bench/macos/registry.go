// Package macos is what macOS tells of its disks: the tree of its I/O registry, live or in
// a capture, and its table of mounts. One reader takes both.
//
// Names of classes and properties are those of the system (IOKit: IOMedia.h,
// IOStorageDeviceCharacteristics.h, IOBlockStorageDriver.h, IOPCIDevice.h, IOUSBHostFamily,
// and for links over Thunderbolt ports the fields of the USB4 Specification). A machine is
// only read once it was made, by several goroutines at once if they like.
package macos

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"howett.net/plist"
)

// Format is the first word of a capture, and its version.
const Format = "opengauge.macos/1"

// Node is an entry of the registry.
type Node struct {
	Name, Class string
	Properties  map[string]any
	Parent      *Node
	Children    []*Node
}

// Mount is a place where a file system is mounted.
type Mount struct {
	Source     string `plist:"source"` // "/dev/disk3s1"
	At         string `plist:"at"`
	FileSystem string `plist:"file_system"`
	Options    string `plist:"options,omitempty"`
}

// Machine is what a machine tells.
type Machine struct {
	Root   *Node
	Mounts []Mount
	// Denied is what was not told for want of rights, in words.
	Denied []string
}

// capture is a file of a machine.
type capture struct {
	Format   string         `plist:"format"`
	Registry map[string]any `plist:"registry"`
	Mounts   []Mount        `plist:"mounts"`
}

// Keys of an entry in a dump of the registry.
const (
	keyName     = "IORegistryEntryName"
	keyClass    = "IOObjectClass"
	keyChildren = "IORegistryEntryChildren"
)

// Bounds of a dump: far above those of machines.
const (
	deepest     = 512
	mostEntries = 200_000
)

// Read reads a capture, or a dump of the registry alone, as an XML property list.
func Read(data []byte) (*Machine, error) {
	if err := bounded(data); err != nil {
		return nil, err
	}
	var c capture
	if _, err := plist.Unmarshal(data, &c); err != nil {
		return nil, fmt.Errorf("it is cut short or damaged: %w", err)
	}
	switch {
	case c.Format == Format:
	case c.Format != "":
		return nil, fmt.Errorf("its format is %q, and this program reads %q", c.Format, Format)
	default:
		if _, err := plist.Unmarshal(data, &c.Registry); err != nil || c.Registry[keyChildren] == nil {
			return nil, errors.New("it is no dump of an I/O registry: it has no entries")
		}
	}
	m := &Machine{Mounts: c.Mounts}
	left := mostEntries
	m.Root = newNode(c.Registry, nil, &left)
	if left < 0 {
		return nil, fmt.Errorf("its registry has more than %d entries", mostEntries)
	}
	return m, nil
}

// bounded refuses what would take the reader too deep.
func bounded(data []byte) error {
	d := xml.NewDecoder(bytes.NewReader(data))
	d.Strict = false
	depth := 0
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("it is cut short or damaged: %w", err)
		}
		switch token.(type) {
		case xml.StartElement:
			depth++
		case xml.EndElement:
			depth--
		}
		if depth > deepest {
			return fmt.Errorf("its entries are more than %d deep", deepest)
		}
	}
	if depth != 0 {
		return errors.New("it is cut short")
	}
	return nil
}

// newNode takes an entry with what is below it; a name with a place is "name@place".
func newNode(entry map[string]any, parent *Node, left *int) *Node {
	*left--
	n := &Node{Parent: parent, Properties: map[string]any{}}
	for key, value := range entry {
		if key != keyChildren {
			n.Properties[key] = value
		}
	}
	n.Name, n.Class = n.Text(keyName), n.Text(keyClass)
	children, _ := entry[keyChildren].([]any)
	for _, each := range children {
		if child, ok := each.(map[string]any); ok && *left >= 0 {
			n.Children = append(n.Children, newNode(child, n, left))
		}
	}
	return n
}

// Write packs a machine for [Read] elsewhere. A mask changes every text.
func (m *Machine) Write(w io.Writer, mask func(string) string) error {
	c := capture{Format: Format, Registry: m.Root.entry(mask), Mounts: m.Mounts}
	e := plist.NewEncoderForFormat(w, plist.XMLFormat)
	e.Indent(" ")
	return e.Encode(c)
}

func (n *Node) entry(mask func(string) string) map[string]any {
	entry := map[string]any{}
	for key, value := range n.Properties {
		entry[key] = masked(value, mask)
	}
	children := make([]any, len(n.Children))
	for i, child := range n.Children {
		children[i] = child.entry(mask)
	}
	if len(children) > 0 {
		entry[keyChildren] = children
	}
	return entry
}

func masked(value any, mask func(string) string) any {
	switch v := value.(type) {
	case string:
		return mask(v)
	case map[string]any:
		out := map[string]any{}
		for key, each := range v {
			out[key] = masked(each, mask)
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i, each := range v {
			out[i] = masked(each, mask)
		}
		return out
	case []byte:
		return []byte(mask(string(v)))
	}
	return value
}

// Text is a property that is text, or empty.
func (n *Node) Text(key string) string { return textOf(n.Properties[key]) }

func textOf(value any) string {
	switch v := value.(type) {
	case string:
		return strings.Join(strings.Fields(v), " ")
	case []byte:
		return strings.Join(strings.Fields(strings.Trim(string(v), "\x00")), " ")
	}
	return ""
}

// Number is a property that is a whole number, and whether it is.
func (n *Node) Number(key string) (int64, bool) { return numberOf(n.Properties[key]) }

func numberOf(value any) (int64, bool) {
	switch v := value.(type) {
	case uint64:
		return int64(v), v < 1<<63
	case int64:
		return v, true
	case []byte: // little-endian, as device trees have them
		if len(v) == 0 || len(v) > 8 {
			return 0, false
		}
		sum := uint64(0)
		for i, b := range v {
			sum |= uint64(b) << (8 * i)
		}
		return int64(sum), sum < 1<<63
	}
	return 0, false
}

// Flag is a property that says yes.
func (n *Node) Flag(key string) bool {
	yes, isFlag := n.Properties[key].(bool)
	if isFlag {
		return yes
	}
	number, ok := n.Number(key)
	return ok && number != 0
}

// Part is a property that has properties of its own.
func (n *Node) Part(key string) map[string]any {
	part, _ := n.Properties[key].(map[string]any)
	return part
}

// above gives an entry and those that it is in.
func (n *Node) above(yield func(*Node) bool) {
	for ; n != nil && yield(n); n = n.Parent {
		continue
	}
}

// all gives an entry and what is below it.
func (n *Node) all(yield func(*Node) bool) { n.walk(yield) }

func (n *Node) walk(yield func(*Node) bool) bool {
	if n == nil {
		return true
	}
	if !yield(n) {
		return false
	}
	for _, child := range n.Children {
		if !child.walk(yield) {
			return false
		}
	}
	return true
}
