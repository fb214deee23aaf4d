// Package book holds the bench book: the parts on the bench that no machine reports, their makers' ratings,
// their prices, and the chains that they make.
//
// A book is only read once it was parsed, and may be shared by goroutines.
package book

import (
	"fmt"
	"strconv"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/document"
	"opengauge/core/input"
	"opengauge/core/unit"
)

// Role is the kind of a part, in the order in which a chain has them.
type Role string

// The kinds of parts.
const (
	Host      Role = "host"
	Cable     Role = "cable"
	Enclosure Role = "enclosure"
	Drive     Role = "drive"
	Volume    Role = "volume"
)

var kindOrder = []Role{Host, Cable, Enclosure, Drive, Volume}

// Part is one thing on the bench.
type Part struct {
	Kind  Role   `json:"kind"`
	Name  string `json:"name"`
	About string `json:"about,omitempty"`
	// Link is the standard by which the part connects, towards the host. A host has ports instead.
	Link link.Standard `json:"-"`
	// Standard is the name of Link.
	Standard string `json:"standard,omitempty"`
	// Ports of a host, by name.
	Ports []Port `json:"-"`
	// Inside is the standard by which an enclosure connects its drive.
	Inside   link.Standard `json:"-"`
	Bridge   string        `json:"bridge,omitempty"`
	Firmware string        `json:"firmware,omitempty"`
	Cooling  string        `json:"cooling,omitempty"`
	// NotWith are parts that it cannot be together with.
	NotWith  []string   `json:"not_with,omitempty"`
	Serial   string     `json:"serial,omitempty"`
	Capacity unit.Bytes `json:"capacity_bytes,omitempty"`
	// Price is in the currency that the book uses throughout. PriceDate is its date, and PriceKind its kind:
	// list, street, used.
	Price     float64 `json:"price,omitempty"`
	PriceDate string  `json:"price_date,omitempty"`
	PriceKind string  `json:"price_kind,omitempty"`
	// Extras are further things that one has to buy with it.
	Extras  []Extra `json:"extras,omitempty"`
	Notes   string  `json:"notes,omitempty"`
	Ratings Ratings `json:"ratings,omitzero"`
	// PriceMonth is the price of a volume per month.
	PriceMonth float64 `json:"price_month,omitempty"`
	// Limits are a volume's own, and Instance the limits of the machine that it is attached to.
	Limits   Limits `json:"limits,omitzero"`
	Instance Limits `json:"instance_limits,omitzero"`
}

// Limits are the provisioned limits of a volume or an instance; zero where nothing is.
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

// Ratings are a maker's statements; zero where it states nothing.
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
	// Currency is the currency of all prices, or empty.
	Currency string
	// Quoted are figures of parts that others published.
	Quoted []Quote
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
	source, err := input.ReadFile(file, input.Text)
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
	book := Book{}
	var keys []document.Key
	for i, section := range []string{"hosts", "cables", "enclosures", "drives", "volumes"} {
		keys = append(keys, document.Entries(section, func(entry document.Entry) error {
			return book.addPart(kindOrder[i], entry)
		}))
	}
	keys = append(keys, document.Entries("chains", book.addChain),
		document.Into("currency", &book.Currency, parseCurrency),
		document.Each("quoted", book.addQuote))
	_, err = root.Read(keys...)
	return book, err
}

func (b *Book) addPart(kind Role, entry document.Entry) error {
	if _, taken := b.Part(entry.Key); taken || strings.ContainsAny(entry.Key, ".,> ") {
		return entry.KeyNode.Errorf("the name %q is taken, or holds a space, a dot, a comma or >; "+
			"every part needs one of its own", entry.Key)
	}
	part, err := parsePart(kind, entry)
	if err != nil {
		return err
	}
	b.Parts = append(b.Parts, part)
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

// keys are those that a part of the kind may have.
func (p *Part) keys() []document.Key {
	common := []document.Key{
		document.Text("about", &p.About), document.Into("price", &p.Price, parsePrice),
		document.Into("price-date", &p.PriceDate, ParseDate), document.Into("price-kind", &p.PriceKind, parsePriceKind),
		document.Entries("extras", p.addExtra), document.Text("notes", &p.Notes),
		document.Texts("not-with", &p.NotWith),
	}
	connects := document.With("link", p.parseLink).Needed(
		fmt.Sprintf("the %s %s needs a \"link\": what it connects by; opengauge link lists them", p.Kind, p.Name))
	firmware := document.Text("firmware", &p.Firmware)
	capacity := document.Into("capacity", &p.Capacity, unit.ParseBytes)
	switch p.Kind {
	case Host:
		return append(common, document.Entries("ports", p.addPort).Needed(
			fmt.Sprintf("the host %s needs \"ports\", each with what it connects by", p.Name)))
	case Cable:
		return append(common, connects)
	case Enclosure:
		return append(common, connects, document.Into("inside", &p.Inside, link.Find),
			document.Text("bridge", &p.Bridge), firmware, document.Text("cooling", &p.Cooling))
	case Volume:
		return append(common, document.With("network", p.parseLink).Needed(
			fmt.Sprintf("the volume %s needs a \"network\": the link that it is reached over", p.Name)),
			capacity,
			document.Into("iops", &p.Limits.IOPS, parseIOPS),
			document.Into("throughput", &p.Limits.Throughput, unit.ParseRate),
			document.Nested("burst",
				document.Into("iops", &p.Limits.BurstIOPS, parseIOPS),
				document.Into("throughput", &p.Limits.BurstThroughput, unit.ParseRate),
				document.Into("credits", &p.Limits.Credits, parseIOPS)),
			document.Nested("instance",
				document.Into("iops", &p.Instance.IOPS, parseIOPS),
				document.Into("throughput", &p.Instance.Throughput, unit.ParseRate)),
			document.Into("price-month", &p.PriceMonth, parsePrice))
	default:
		return append(common, connects, document.Text("serial", &p.Serial), firmware, capacity,
			document.Nested("ratings", p.Ratings.keys()...))
	}
}

func (r *Ratings) keys() []document.Key {
	return []document.Key{
		document.Into("sequential-read", &r.SequentialRead, unit.ParseRate),
		document.Into("sequential-write", &r.SequentialWrite, unit.ParseRate),
		document.Into("random-read", &r.RandomReadIOPS, parseIOPS),
		document.Into("random-write", &r.RandomWriteIOPS, parseIOPS),
		document.Into("endurance", &r.Endurance, unit.ParseBytes),
	}
}

func parsePart(kind Role, entry document.Entry) (Part, error) {
	part := Part{Kind: kind, Name: entry.Key}
	_, err := entry.Read(part.keys()...)
	if err == nil && kind == Host && len(part.Ports) == 0 {
		err = entry.KeyNode.Errorf("the host %s needs \"ports\", each with what it connects by", part.Name)
	}
	return part, err
}

// parseLink reads the standard by which the part connects.
func (p *Part) parseLink(n document.Node) (err error) {
	p.Link, err = document.Value(n, link.Find)
	p.Standard = p.Link.Name
	return err
}

func (p *Part) addPort(entry document.Entry) error {
	standard, err := document.Value(entry.Value, link.Find)
	p.Ports = append(p.Ports, Port{Name: entry.Key, Link: standard})
	return err
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

func (b *Book) addChain(entry document.Entry) error {
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
