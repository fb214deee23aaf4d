package load

import (
	"fmt"

	"opengauge/core/unit"
)

// Dimension is one thing that a load may ask for besides operation, access,
// block and depth. Plans have it as a key, commands as a flag, tables as a text:
// all of them ask this registry, so that a new dimension is added here.
type Dimension struct {
	// Key is its name in plans and as a flag.
	Key string
	// Column is its name in documents and tables, with the unit.
	Column string
	// About is what the flag says of it.
	About string
	// Switch dimensions are on or off, and need no value as a flag.
	Switch bool
	// Single dimensions have one value in a sweep; the others are crossed.
	Single bool
	// Mixed dimensions belong to mixed operations, and those need them. They are
	// no flags.
	Mixed bool
	// Ask sets it from a text, in the form that plans and flags have it.
	Ask func(l *Load, text string) error
	// Value is what a load asks for, as documents have it: a number or a boolean.
	Value func(l Load) any
	// Text names it for people where a load asks for other than the usual.
	Text func(l Load) string
}

// Dimensions are all dimensions, in the order in which loads name them.
var Dimensions = []Dimension{
	dimension("workers", "workers", ParseWorkers, func(l *Load) *int { return &l.Workers }).
		about("drive this many queues at once, each on a thread of its own").
		text(func(l Load) string { return where(l.Workers > 1, "%d workers", l.Workers) }),
	dimension("write-share", "write_share", ParseShare, func(l *Load) *float64 { return &l.WriteShare }).
		about("the share of writes among mixed operations").single().mixed().
		text(func(l Load) string { return where(l.Operation == Mixed, "%.0f %% writes", l.WriteShare*100) }),
	dimension("compressible", "compressible_share", ParseShare, func(l *Load) *float64 { return &l.CompressibleShare }).
		about("share of the written data that can be compressed away (0% is none, 100% is zeros)").
		text(func(l Load) string {
			return where(l.CompressibleShare > 0, "%.0f %% compressible", l.CompressibleShare*100)
		}),
	dimension("rate", "rate_per_second", ParseRate, func(l *Load) *float64 { return &l.Rate }).
		about("let operations arrive on a schedule, this many a second").
		text(func(l Load) string { return where(l.Rate > 0, "%.0f a second", l.Rate) }),
	dimension("durable", "durable", ParseYesNo, func(l *Load) *bool { return &l.Durable }).
		about("count a write only when it is on stable media").single().onOff().
		text(func(l Load) string { return where(l.Durable, "durable") }),
	dimension("span", "span_bytes", ParseSpan, func(l *Load) *unit.Bytes { return &l.Span }).
		about("touch only this much of the target, from its start").single().
		text(func(l Load) string { return where(l.Span > 0, "within %s", l.Span) }),
}

// dimension makes one of a parser and of the place in a load that it sets.
func dimension[T any](key, column string, parse func(string) (T, error), place func(*Load) *T) Dimension {
	return Dimension{
		Key: key, Column: column,
		Ask: func(l *Load, text string) (err error) {
			*place(l), err = parse(text)
			return err
		},
		Value: func(l Load) any { return *place(&l) },
		Text:  func(Load) string { return "" },
	}
}

func (d Dimension) about(text string) Dimension         { d.About = text; return d }
func (d Dimension) text(of func(Load) string) Dimension { d.Text = of; return d }
func (d Dimension) single() Dimension                   { d.Single = true; return d }
func (d Dimension) mixed() Dimension                    { d.Mixed = true; return d }
func (d Dimension) onOff() Dimension                    { d.Switch = true; return d }

func where(unusual bool, format string, values ...any) string {
	if !unusual {
		return ""
	}
	return fmt.Sprintf(format, values...)
}
