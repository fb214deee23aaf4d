// Package book holds the bench book: the parts on the bench that no machine
// reports, what their makers rate them at, what they cost, and the chains that
// they make.
package book

import (
	"fmt"
	"os"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/unit"
)

// Kind is what a part is, in the order in which a chain has them.
type Kind string

// The kinds of parts.
const (
	Host      Kind = "host"
	Cable     Kind = "cable"
	Enclosure Kind = "enclosure"
	Drive     Kind = "drive"
	Volume    Kind = "volume"
)

var kindOrder = []Kind{Host, Cable, Enclosure, Drive, Volume}

// Part is one thing on the bench.
type Part struct {
	Kind  Kind   `json:"kind"`
	Name  string `json:"name"`
	About string `json:"about,omitempty"`
	// Link is what the part connects by, towards the host. A host has ports
	// instead.
	Link link.Standard `json:"-"`
	// Standard is the name of Link.
	Standard string `json:"standard,omitempty"`
	// Ports of a host, by name.
	Ports []Port `json:"-"`
	// Inside is what an enclosure connects its drive by.
	Inside   link.Standard `json:"-"`
	Bridge   string        `json:"bridge,omitempty"`
	Firmware string        `json:"firmware,omitempty"`
	Cooling  string        `json:"cooling,omitempty"`
	Serial   string        `json:"serial,omitempty"`
	Capacity unit.Bytes    `json:"capacity_bytes,omitempty"`
	// Price is in whatever currency the book uses throughout.
	Price   float64 `json:"price,omitempty"`
	Notes   string  `json:"notes,omitempty"`
	Ratings Ratings `json:"ratings,omitzero"`
	// PriceMonth is what a volume costs a month.
	PriceMonth float64 `json:"price_month,omitempty"`
	// Limits are a volume's own, and Instance those of the machine that it is
	// attached to.
	Limits   Limits `json:"limits,omitzero"`
	Instance Limits `json:"instance_limits,omitzero"`
}

// Limits are what is provisioned of a volume or an instance; zero where nothing is.
type Limits struct {
	IOPS       float64             `json:"iops,omitempty"`
	Throughput unit.BytesPerSecond `json:"bytes_per_second,omitempty"`
	// The burst's limits hold while there are credits, each for one operation.
	BurstIOPS       float64             `json:"burst_iops,omitempty"`
	BurstThroughput unit.BytesPerSecond `json:"burst_bytes_per_second,omitempty"`
	Credits         float64             `json:"credits,omitempty"`
}

// Most is the most bytes a second that the limits ever let through, or 0.
func (l Limits) Most() unit.BytesPerSecond { return max(l.Throughput, l.BurstThroughput) }

// Port is one of a host's ports.
type Port struct {
	Name string
	Link link.Standard
}

// Ratings are what a maker states; zero where it states nothing.
type Ratings struct {
	SequentialRead  unit.BytesPerSecond `json:"sequential_read_bytes_per_second,omitempty"`
	SequentialWrite unit.BytesPerSecond `json:"sequential_write_bytes_per_second,omitempty"`
	RandomReadIOPS  float64             `json:"random_read_iops,omitempty"`
	RandomWriteIOPS float64             `json:"random_write_iops,omitempty"`
	Endurance       unit.Bytes          `json:"endurance_bytes,omitempty"`
}

// Book is a bench book.
type Book struct {
	Parts []Part
	// Chains are lists of names of parts.
	Chains []NamedChain
}

// NamedChain is a chain that the book gives a name.
type NamedChain struct {
	Name  string
	Parts []string
	place document.Node
}

// Load reads a bench book from a file.
func Load(file string) (Book, error) {
	source, err := os.ReadFile(file)
	if err != nil {
		return Book{}, fmt.Errorf("could not read the bench book: %w", err)
	}
	return Parse(file, source)
}

// Parse reads a bench book written in YAML. Errors name file, line and column.
func Parse(file string, source []byte) (Book, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return Book{}, err
	}
	fields, err := root.Fields("hosts", "cables", "enclosures", "drives", "volumes", "chains")
	if err != nil {
		return Book{}, err
	}
	book := Book{}
	for at, section := range []string{"hosts", "cables", "enclosures", "drives", "volumes"} {
		if err := book.addParts(fields, section, kindOrder[at]); err != nil {
			return Book{}, err
		}
	}
	if err := book.addChains(fields); err != nil {
		return Book{}, err
	}
	return book, nil
}

func (b *Book) addParts(fields map[string]document.Node, section string, kind Kind) error {
	entries, err := document.Section(fields, section)
	if err != nil {
		return err
	}
	for _, entry := range entries {
		if _, taken := b.Part(entry.Key); taken || strings.ContainsAny(entry.Key, ".,> ") {
			return entry.KeyNode.Errorf("the name %q is taken, or holds a space, a dot, a comma or >; every part needs one of its own", entry.Key)
		}
		part, err := parsePart(kind, entry)
		if err != nil {
			return err
		}
		b.Parts = append(b.Parts, part)
	}
	return nil
}

// Part gives the part of that name.
func (b Book) Part(name string) (Part, bool) {
	for _, part := range b.Parts {
		if part.Name == name {
			return part, true
		}
	}
	return Part{}, false
}

// keysOf are the keys that a part of a kind may have.
func keysOf(kind Kind) []string {
	common := []string{"about", "price", "notes"}
	switch kind {
	case Host:
		return append(common, "ports")
	case Cable:
		return append(common, "link")
	case Enclosure:
		return append(common, "link", "inside", "bridge", "firmware", "cooling")
	case Volume:
		return append(common, "network", "capacity", "iops", "throughput", "burst", "instance", "price-month")
	default:
		return append(common, "link", "serial", "firmware", "capacity", "ratings")
	}
}

func parsePart(kind Kind, entry document.Entry) (Part, error) {
	part := Part{Kind: kind, Name: entry.Key}
	fields, err := entry.Value.Fields(keysOf(kind)...)
	if err != nil {
		return part, err
	}
	texts := map[string]*string{
		"about": &part.About, "notes": &part.Notes, "bridge": &part.Bridge, "firmware": &part.Firmware, "cooling": &part.Cooling, "serial": &part.Serial,
	}
	for key, node := range fields {
		switch key {
		case "link", "network":
			part.Link, err = document.Value(node, link.Find)
			part.Standard = part.Link.Name
		case "inside":
			part.Inside, err = document.Value(node, link.Find)
		case "capacity":
			part.Capacity, err = document.Value(node, unit.ParseBytes)
		case "price":
			part.Price, err = document.Value(node, parsePrice)
		case "ports":
			part.Ports, err = parsePorts(node)
		case "ratings":
			part.Ratings, err = parseRatings(node)
		case "price-month":
			part.PriceMonth, err = document.Value(node, parsePrice)
		case "iops":
			part.Limits.IOPS, err = document.Value(node, parseIOPS)
		case "throughput":
			part.Limits.Throughput, err = document.Value(node, unit.ParseRate)
		case "burst":
			err = parseBurst(node, &part.Limits)
		case "instance":
			part.Instance, err = parseInstance(node)
		default:
			*texts[key], err = node.Text()
		}
		if err != nil {
			return part, err
		}
	}
	_, linked := fields["link"]
	if _, networked := fields["network"]; kind == Volume && !networked {
		return part, entry.KeyNode.Errorf("the volume %s needs a \"network\": the link that it is reached over", part.Name)
	}
	if kind != Host && kind != Volume && !linked {
		return part, entry.KeyNode.Errorf("the %s %s needs a \"link\": what it connects by; opengauge link lists them", kind, part.Name)
	}
	if kind == Host && len(part.Ports) == 0 {
		return part, entry.KeyNode.Errorf("the host %s needs \"ports\", each with what it connects by", part.Name)
	}
	return part, nil
}

func parseBurst(node document.Node, limits *Limits) error {
	fields, err := node.Fields("iops", "throughput", "credits")
	if err != nil {
		return err
	}
	for key, value := range fields {
		switch key {
		case "iops":
			limits.BurstIOPS, err = document.Value(value, parseIOPS)
		case "throughput":
			limits.BurstThroughput, err = document.Value(value, unit.ParseRate)
		default:
			limits.Credits, err = document.Value(value, parseIOPS)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func parseInstance(node document.Node) (Limits, error) {
	var limits Limits
	fields, err := node.Fields("iops", "throughput")
	if err != nil {
		return limits, err
	}
	for key, value := range fields {
		if key == "iops" {
			limits.IOPS, err = document.Value(value, parseIOPS)
		} else {
			limits.Throughput, err = document.Value(value, unit.ParseRate)
		}
		if err != nil {
			return limits, err
		}
	}
	return limits, nil
}

func parsePorts(node document.Node) ([]Port, error) {
	entries, err := node.Entries()
	if err != nil {
		return nil, err
	}
	var ports []Port
	for _, entry := range entries {
		port := Port{Name: entry.Key}
		if port.Link, err = document.Value(entry.Value, link.Find); err != nil {
			return nil, err
		}
		ports = append(ports, port)
	}
	return ports, nil
}

func parseRatings(node document.Node) (Ratings, error) {
	var r Ratings
	fields, err := node.Fields("sequential-read", "sequential-write", "random-read", "random-write", "endurance")
	if err != nil {
		return r, err
	}
	for key, value := range fields {
		switch key {
		case "sequential-read":
			r.SequentialRead, err = document.Value(value, unit.ParseRate)
		case "sequential-write":
			r.SequentialWrite, err = document.Value(value, unit.ParseRate)
		case "random-read":
			r.RandomReadIOPS, err = document.Value(value, parseIOPS)
		case "random-write":
			r.RandomWriteIOPS, err = document.Value(value, parseIOPS)
		case "endurance":
			r.Endurance, err = document.Value(value, unit.ParseBytes)
		}
		if err != nil {
			return r, err
		}
	}
	return r, nil
}

func parsePrice(text string) (float64, error) {
	price, err := strconv.ParseFloat(text, 64)
	if err != nil || !(price >= 0 && price < 1e9) {
		return 0, fmt.Errorf("%q is not a price; write a number, in one currency throughout the book", text)
	}
	return price, nil
}

func parseIOPS(text string) (float64, error) {
	iops, err := strconv.ParseFloat(text, 64)
	if err != nil || !(iops > 0 && iops < 1e9) {
		return 0, fmt.Errorf("%q is not a number of operations a second", text)
	}
	return iops, nil
}

func (b *Book) addChains(fields map[string]document.Node) error {
	entries, err := document.Section(fields, "chains")
	if err != nil {
		return err
	}
	for _, entry := range entries {
		chain := NamedChain{Name: entry.Key, place: entry.Value}
		for _, element := range entry.Value.List() {
			name, err := element.Text()
			if err != nil {
				return err
			}
			chain.Parts = append(chain.Parts, name)
		}
		if _, err := b.resolve(chain.Parts); err != nil {
			return entry.Value.Errorf("%s", err)
		}
		b.Chains = append(b.Chains, chain)
	}
	return nil
}

// Names gives the names of the book's chains and of its parts.
func (b Book) Names() []string {
	var names []string
	for _, chain := range b.Chains {
		names = append(names, chain.Name)
	}
	for _, part := range b.Parts {
		names = append(names, part.Name)
	}
	return names
}
