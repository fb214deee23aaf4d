package load

import (
	"math"
	"strconv"
	"strings"

	"opengauge/core/unit"
)

// Dimension describes one field of a load for whoever reads, writes, names or compares loads: plans have it
// as a key, commands as a flag, tables as a column and labels as a phrase. A new dimension is added here.
type Dimension struct {
	// Key is its name in plans and as a flag, or empty where it follows from other things.
	Key string
	// Column is its name in documents and tables, with the unit.
	Column string
	// About is the help of the flag, and the description of the column.
	About string
	// Always dimensions have a value in every load, which plans say and no flag changes.
	Always bool
	// Switch dimensions are on or off, and need no value as a flag.
	Switch bool
	// Single dimensions have one value in a sweep; the others are crossed.
	Single bool
	// Mixed dimensions belong to mixed operations, and those need them. They are no flags.
	Mixed bool
	// Ask sets it from a text, in the form of plans and flags.
	Ask func(l *Load, text string) error
	// Field returns a pointer to it: to a string, an int, an int64, a float64 or a bool by kind.
	Field func(l *Load) any
	// Value is the value itself, of the same kinds.
	Value func(l Load) any

	usual  func(l Load) bool
	phrase phrase
}

// phrase is how a label has a value: "2 workers", "within 2 GiB". A phrase without a format is the same
// whatever the value.
type phrase struct {
	before, after string
	format        func(l Load) string
}

// Dimensions are all dimensions, in the order in which labels name them.
var Dimensions = []Dimension{
	dimension("operation", "operation", ParseOperation, func(l *Load) *Operation { return &l.Operation }).
		about("read, write or mixed").always().
		says("", func(l Load) string { return string(l.Operation) }, ""),
	dimension("access", "access", ParseAccess, func(l *Load) *Access { return &l.Access }).
		about("sequential or random").always().
		says("", func(l Load) string { return string(l.Access) }, ""),
	dimension("block", "block_bytes", ParseBlock, func(l *Load) *unit.Bytes { return &l.Block }).
		about("size of an operation").always().
		says("", func(l Load) string { return l.Block.String() }, ""),
	dimension("depth", "depth", ParseDepth, func(l *Load) *int { return &l.Depth }).
		about("operations that each worker keeps under way").always().
		says("depth ", func(l Load) string { return strconv.Itoa(l.Depth) }, ""),
	dimension("workers", "workers", ParseWorkers, func(l *Load) *int { return &l.Workers }).
		about("drive this many queues at once, each on a thread of its own").
		unless(func(l Load) bool { return l.Workers <= 1 }).
		says("", func(l Load) string { return strconv.Itoa(l.Workers) }, " workers"),
	dimension("write-share", "write_share", ParseShare, func(l *Load) *float64 { return &l.WriteShare }).
		about("the share of writes among mixed operations").single().mixed().
		unless(func(l Load) bool { return l.Operation != Mixed }).
		says("", func(l Load) string { return percent(l.WriteShare) }, " writes"),
	dimension("compressible", "compressible_share", ParseShare, func(l *Load) *float64 { return &l.CompressibleShare }).
		about("share of the written data that can be compressed away (0% is none, 100% is zeros)").
		unless(func(l Load) bool { return l.CompressibleShare == 0 }).
		says("", func(l Load) string { return percent(l.CompressibleShare) }, " compressible"),
	dimension("rate", "rate_per_second", ParseRate, func(l *Load) *float64 { return &l.Rate }).
		about("let operations arrive on a schedule, this many a second").
		unless(func(l Load) bool { return l.Rate == 0 }).
		says("", func(l Load) string { return strconv.FormatFloat(l.Rate, 'f', -1, 64) }, " a second"),
	dimension("durable", "durable", ParseYesNo, func(l *Load) *bool { return &l.Durable }).
		about("count a write only when it is on stable media").single().onOff("durable"),
	dimension("span", "span_bytes", ParseSpan, func(l *Load) *unit.Bytes { return &l.Span }).
		about("touch only this much of the target, from its start").single().
		unless(func(l Load) bool { return l.Span == 0 }).
		says("within ", func(l Load) string { return l.Span.String() }, ""),
	dimension("", "sustained", ParseYesNo, func(l *Load) *bool { return &l.Sustained }).
		about("whether it was asked to last for 45 s or more").onOff("sustained"),
}

// Askable are the dimensions that plans and flags may ask for besides those that every load has.
func Askable() []Dimension {
	var some []Dimension
	for _, d := range Dimensions {
		if !d.Always && d.Key != "" {
			some = append(some, d)
		}
	}
	return some
}

// dimension makes one of a parser and of the field of a load that it sets.
func dimension[T any](key, column string, parse func(string) (T, error), field func(*Load) *T) Dimension {
	return Dimension{
		Key: key, Column: column,
		Ask: func(l *Load, text string) error {
			value, err := parse(text)
			if err == nil {
				*field(l) = value
			}
			return err
		},
		Field: func(l *Load) any { return field(l) },
		Value: func(l Load) any { return *field(&l) },
		usual: func(Load) bool { return false },
	}
}

func (d Dimension) about(text string) Dimension              { d.About = text; return d }
func (d Dimension) always() Dimension                        { d.Always = true; return d }
func (d Dimension) single() Dimension                        { d.Single = true; return d }
func (d Dimension) mixed() Dimension                         { d.Mixed = true; return d }
func (d Dimension) unless(usual func(l Load) bool) Dimension { d.usual = usual; return d }
func (d Dimension) says(before string, format func(l Load) string, after string) Dimension {
	d.phrase = phrase{before, after, format}
	return d
}

// onOff makes a switch of it, whose phrase is a word.
func (d Dimension) onOff(word string) Dimension {
	d.Switch = true
	d.usual = func(l Load) bool { return d.Value(l) == false }
	d.phrase = phrase{before: word}
	return d
}

// Text names the value for people, or is empty where the load asks for the usual.
func (d Dimension) Text(l Load) string {
	if d.usual(l) {
		return ""
	}
	if d.phrase.format == nil {
		return d.phrase.before
	}
	return d.phrase.before + d.phrase.format(l) + d.phrase.after
}

// read sets the value from the output of Text, and reports whether that is a phrase of the dimension.
func (d Dimension) read(l *Load, text string) (bool, error) {
	if d.phrase.format == nil {
		if text != d.phrase.before {
			return false, nil
		}
		return true, d.Ask(l, "yes")
	}
	value, before := strings.CutPrefix(text, d.phrase.before)
	value, after := strings.CutSuffix(value, d.phrase.after)
	if !before || !after {
		return false, nil
	}
	return true, d.Ask(l, strings.ReplaceAll(value, " ", ""))
}

// percent writes a share of [ParseShare] without loss: "30 %", "12.5 %".
func percent(share float64) string {
	return strconv.FormatFloat(math.Round(share*shareParts)/(shareParts/100), 'f', -1, 64) + " %"
}
