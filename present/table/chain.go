package table

import (
	"strconv"

	"opengauge/core/bench/link"
	"opengauge/core/unit"
	"opengauge/present/figure"
)

// Chain is the table of a chain's hops with their three ceilings.
func Chain(chain link.Chain, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("hop"), text("standard"), number("lanes"), number("line " + notation.Unit()), number("payload"), number("usable"), text("could be"), text(""),
	}}
	strip := figure.NewChainStrip(chain, notation)
	for at, hop := range chain.Hops {
		row := []string{hop.Name, hop.Standard, "", "", "", "", "", strip.Hops[at].Mark}
		if hop.Known() {
			row[2], row[3], row[4], row[5] = strconv.Itoa(hop.Lanes), notation.Number(hop.Line), notation.Number(hop.Payload), strip.Hops[at].Text
		}
		if hop.Capable != nil && hop.Capable.Standard != hop.Standard {
			row[6] = hop.Capable.Standard
		}
		t.Rows = append(t.Rows, row)
	}
	t.Notes = append(t.Notes, chain.Contradictions...)
	return t
}

// Standards is the table of link standards with their three ceilings.
func Standards(standards []link.Standard, notation unit.Notation) Table {
	t := Table{Columns: []Column{
		text("standard"), number("lanes"), number("line " + notation.Unit()), number("payload"), number("usable"), text("about"),
	}}
	for _, standard := range standards {
		c := standard.Ceiling()
		t.Rows = append(t.Rows, []string{
			standard.Name, strconv.Itoa(standard.Lanes), notation.Number(c.Line), notation.Number(c.Payload),
			notation.Between(c.Usable.Low, c.Usable.High), standard.About,
		})
	}
	return t
}
