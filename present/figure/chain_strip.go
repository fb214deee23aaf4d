package figure

import (
	"fmt"
	"strconv"

	"opengauge/core/bench/link"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/table"
)

var chainStripForm = Form{
	Name: "chain-strip", Section: "chains", Title: "Chains", Fold: "The hops as a table", Within: true,
	Missing: "knows no hop of its chain, so there is no strip to draw",
	Of:      each(func(s *session.Session, subject Subject) []Figure { return one(ChainStripOf(s, subject.Notation)) }),
}

// Head is what stands over the strip.
func (c ChainStrip) Head() Head {
	return Head{ID: c.ID, Title: c.Title, Subtitle: c.Subtitle, Message: c.message()}
}

// Table is the hops behind the strip.
func (c ChainStrip) Table() table.Table { return c.hops }

// ChainStrip is the hops of a chain in order, each as tall as its ceiling, with
// the measured flow drawn through them, so that the narrowest is seen at once.
type ChainStrip struct {
	ID       string `json:"id"`
	Title    string `json:"title"`
	Subtitle string `json:"subtitle"`
	// Unit is that of every figure: "MB/s".
	Unit string     `json:"unit"`
	Hops []StripHop `json:"hops"`
	Flow *Flow      `json:"flow,omitempty"`
	// Top is the top of the axis, which begins at zero.
	Top float64 `json:"top"`

	hops table.Table
}

// StripHop is one hop of the strip. Figures are zero where they are not known.
type StripHop struct {
	Name     string `json:"name"`
	Standard string `json:"standard"`
	// Low and High are the usable range.
	Low  float64 `json:"low"`
	High float64 `json:"high"`
	// Capable is what the hop could carry if it had trained as well as both of
	// its ends can, where that is more.
	Capable float64 `json:"capable"`
	// Text is the usable range as people read it, without its unit.
	Text string `json:"text"`
	// Mark says in a word what is to be seen at once: "narrowest", or nothing.
	Mark string `json:"mark"`
}

// Flow is what was measured through the chain.
type Flow struct {
	Value float64 `json:"value"`
	Label string  `json:"label"`
	Text  string  `json:"text"`
	// Writes says that it went towards the storage.
	Writes bool `json:"writes"`
}

// Colour is that of the flow.
func (f Flow) Colour() string {
	if f.Writes {
		return Writes
	}
	return Throughput
}

// Marks of a hop.
const (
	MarkNarrowest = "narrowest"
	MarkRival     = "as narrow"
	MarkDegraded  = "trained low"
	MarkUnknown   = "not known"
)

// NewChainStrip makes the strip of a chain without a measurement.
func NewChainStrip(chain link.Chain, notation unit.Notation) ChainStrip {
	strip := ChainStrip{Title: "The chain, from host to storage", Unit: notation.Unit()}
	rivals := map[string]bool{}
	for _, rival := range chain.Rivals() {
		rivals[rival.Name] = true
	}
	most := 0.0
	for i, hop := range chain.Hops {
		made := StripHop{Name: hop.Name, Standard: hop.Standard, Mark: MarkUnknown, Text: "?"}
		if hop.Known() {
			made.Low, made.High = notation.Value(hop.Usable.Low), notation.Value(hop.Usable.High)
			made.Text, made.Mark = notation.Between(hop.Usable.Low, hop.Usable.High), ""
		}
		switch {
		case hop.Degraded():
			made.Capable = notation.Value(hop.Capable.Usable.High)
			made.Mark = MarkDegraded
		case i == chain.BindingHop:
			made.Mark = MarkNarrowest
		case rivals[hop.Name]:
			made.Mark = MarkRival
		}
		if hop.Degraded() && i == chain.BindingHop {
			made.Mark = MarkNarrowest + ", " + MarkDegraded
		}
		most = max(most, made.High, made.Capable)
		strip.Hops = append(strip.Hops, made)
	}
	strip.Top = Top(most)
	strip.hops = strip.tableOf(chain, notation)
	return strip
}

// tableOf is the table of a chain's hops with their three ceilings.
func (c ChainStrip) tableOf(chain link.Chain, notation unit.Notation) table.Table {
	t := table.Table{Columns: []table.Column{
		table.Text("hop"), table.Text("standard").Kept(), table.Number("lanes").Spared(4),
		table.Number("line " + notation.Unit()).Spared(3), table.Number("payload").Spared(2), table.Number("usable").Kept(),
		table.Text("could be").Spared(1), table.Text("").Kept(),
	}}
	for i, hop := range chain.Hops {
		row := []string{hop.Name, hop.Standard, "", "", "", "", "", c.Hops[i].Mark}
		if hop.Known() {
			row[2], row[3], row[4], row[5] = strconv.Itoa(hop.Lanes), notation.Number(hop.Line),
				notation.Number(hop.Payload), c.Hops[i].Text
		}
		if hop.Capable != nil && hop.Capable.Standard != hop.Standard {
			row[6] = hop.Capable.Standard
		}
		t.Rows = append(t.Rows, row)
	}
	t.Notes = append(t.Notes, chain.Contradictions...)
	return t
}

// ChainStripOf makes the strip of a session, with its fastest pass as the flow;
// false where the session knows no hop.
func ChainStripOf(s *session.Session, notation unit.Notation) (ChainStrip, bool) {
	if len(s.Chain.Hops) == 0 {
		return ChainStrip{}, false
	}
	strip := NewChainStrip(s.Chain, notation)
	strip.ID, strip.Title, strip.Subtitle = "strip-"+s.ID, s.DisplayName()+": the chain, from host to storage",
		subtitle(s)
	var fastest *session.Pass
	for i := range s.Passes {
		if pass := &s.Passes[i]; fastest == nil || pass.BytesPerSecond > fastest.BytesPerSecond {
			fastest = pass
		}
	}
	if fastest != nil && fastest.BytesPerSecond > 0 {
		strip.Flow = &Flow{
			Value: notation.Value(fastest.BytesPerSecond), Label: fastest.Label(),
			Text:   notation.Rate(fastest.BytesPerSecond),
			Writes: fastest.Operation.Writes(),
		}
		strip.Top = Top(max(strip.Top, strip.Flow.Value))
	}
	return strip, true
}

// FlowValue is what was measured through the chain, or 0.
func (c ChainStrip) FlowValue() float64 {
	if c.Flow == nil {
		return 0
	}
	return c.Flow.Value
}

// Summary says in words what the strip shows.
func (c ChainStrip) Summary() string {
	text := "Chain from host to storage, usable " + c.Unit + ": "
	for i, hop := range c.Hops {
		if i > 0 {
			text += ", then "
		}
		text += fmt.Sprintf("%s %s %s", hop.Name, hop.Standard, hop.Text)
		if hop.Mark != "" {
			text += " (" + hop.Mark + ")"
		}
	}
	if c.Flow != nil {
		text += fmt.Sprintf("; measured %s by %s", c.Flow.Text, c.Flow.Label)
	}
	return text + "."
}
