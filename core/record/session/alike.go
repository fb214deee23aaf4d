package session

import (
	"fmt"

	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/unit"
)

// Key says which figures stand beside each other: a load at a fill level, or copies of a file set. Keys
// compare with ==.
type Key struct {
	Load load.Load
	// Fill is the share of the storage that is filled besides.
	Fill float64
	// Amount is how much was asked to be moved, where that alone ends a pass.
	Amount unit.Bytes
	// Copy is the key of copies; it is the zero value for a load.
	Copy CopyKey
}

// CopyKey says which copies are alike: the same work with the same files, the same
// way, so many at once.
type CopyKey struct {
	Work, Set string
	Seed      uint64
	Bytes     unit.Bytes
	Files     int
	Parallel  int
	// From and To are addresses, where the way is a part of it.
	From, To string
}

// Key is the request of the pass, whatever step and plan it came from. Whether a load is sustained follows
// from the request; only where the record does not say (older programs, and from elsewhere) from how long it
// lasted.
func (p *Pass) Key() Key {
	asked := p.Load.Identity()
	if p.AskedSeconds == 0 && p.Step != plan.StepStart {
		asked.Sustained = asked.Sustained || p.Step == "sustain" || load.Lasts(unit.Duration(p.ElapsedSeconds))
	}
	key := Key{Load: asked, Fill: p.FillShare, Amount: p.AskedBytes}
	if p.Step == plan.StepStart && key.Amount == 0 { // in records of older programs
		key.Amount = p.Bytes
	}
	return key
}

// Key is the key by which copies are alike. Between more than two ends, or where it is not from the first to
// the second, the way is a part of it.
func (c *Copy) Key(s *Session) Key {
	key := CopyKey{
		Work: c.Work, Set: c.Set, Seed: c.Seed, Bytes: c.Spread.Bytes, Files: c.Spread.Files,
		Parallel: max(c.Parallel, 1),
	}
	if len(s.Ends) > 2 || c.From == 1 || c.To == 0 {
		key.From = s.address(c.From)
		key.To = s.address(c.To)
	}
	return Key{Copy: key}
}

// address is the address of an end, or empty where there is none of that number.
func (s *Session) address(end int) string {
	if end < 0 || end >= len(s.Ends) {
		return ""
	}
	return s.Ends[end].Address
}

// IsCopy reports whether the key is of copies.
func (k Key) IsCopy() bool { return k.Copy != CopyKey{} }

// IsWholeCopy reports whether the key is of copies from end to end, and not of the work of one end alone.
func (k Key) IsWholeCopy() bool { return k.Copy.Work == CopyWhole }

// Timed reports whether measurements under the key are over once an amount is moved, so that their figure is
// how long that takes.
func (k Key) Timed() bool { return k.IsCopy() || k.Amount > 0 }

// Writes reports whether measurements under the key change the storage.
func (k Key) Writes() bool {
	if k.IsCopy() {
		return k.Copy.Work != CopySource
	}
	return k.Load.Writes()
}

// String names the key for people: "write sequential 1 MiB, depth 8, sustained",
// "copy, mixed-folder of 10 GB in 812 files".
func (k Key) String() string {
	if k.IsCopy() {
		return k.Copy.String()
	}
	text := k.Load.Long() + load.Full(k.Fill)
	if k.Amount > 0 {
		text += ", until " + k.Amount.Decimal() + " are moved"
	}
	return text
}

func (k CopyKey) String() string {
	text := fmt.Sprintf("%s, %s of %s in %s", k.Work, k.Set, k.Bytes.Decimal(), files(k.Files))
	if k.Seed > 0 {
		text += fmt.Sprintf(", seed %d", k.Seed)
	}
	if k.From != "" {
		text += ", from " + k.From
	}
	if k.To != "" {
		text += ", to " + k.To
	}
	if k.Parallel > 1 {
		text += fmt.Sprintf(", %d at once", k.Parallel)
	}
	return text
}

// Counts reports whether a pass gives a figure of its load: it came to its end, and
// it moved something. Operations that failed are in no figure, and do not keep those
// that did not out of one.
func (p *Pass) Counts() bool { return !p.CutShort && p.BytesPerSecond > 0 }

// Counts reports whether a copy gives a figure: it came to its end.
func (c *Copy) Counts() bool { return !c.CutShort && c.BytesPerSecond > 0 }

// Group is the passes of a session that are alike, in the order in which they ran.
type Group struct {
	Key    Key
	Passes []*Pass
}

// Groups are groups being made, in the order in which their first were added. The
// zero value has none.
type Groups struct {
	List []Group
	// index is of many; few are found as quickly by looking at each.
	index map[Key]int
}

// few is up to how many groups are looked at one after the other.
const few = 24

// Add puts a pass into the group of its key.
func (g *Groups) Add(key Key, p *Pass) {
	i := g.find(&key)
	if i < 0 {
		i = len(g.List)
		g.List = append(g.List, Group{Key: key})
		if g.index != nil {
			g.index[key] = i
		}
	}
	g.List[i].Passes = append(g.List[i].Passes, p)
}

func (g *Groups) find(key *Key) int {
	if len(g.List) > few && g.index == nil {
		g.index = map[Key]int{}
		for i := range g.List {
			g.index[g.List[i].Key] = i
		}
	}
	if g.index != nil {
		if i, ok := g.index[*key]; ok {
			return i
		}
		return -1
	}
	for i := range g.List {
		if g.List[i].Key == *key {
			return i
		}
	}
	return -1
}

// Alike groups the passes that count by their keys, in the order of their first. The function apart removes
// parts of a key in which the passes of a group may differ; it may be nil.
func (s *Session) Alike(apart func(*Key)) []Group {
	groups := Groups{List: make([]Group, 0, min(len(s.Passes), few))}
	for i := range s.Passes {
		pass := &s.Passes[i]
		if !pass.Counts() {
			continue
		}
		key := pass.Key()
		if apart != nil {
			apart(&key)
		}
		groups.Add(key, pass)
	}
	return groups.List
}

// Label names the pass for people: "read random 4 KiB, depth 32, 50 % full".
func (p *Pass) Label() string { return p.Load.String() + load.Full(p.FillShare) }

// Besides names the dimensions of the pass besides the usual four of its load.
func (p *Pass) Besides() string {
	return (plan.Pass{Load: p.Load, Place: plan.Place{Fill: p.FillShare}}).Besides()
}

func files(count int) string {
	if count == 1 {
		return "1 file"
	}
	return fmt.Sprintf("%d files", count)
}
