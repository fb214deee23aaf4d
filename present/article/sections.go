package article

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"opengauge/core/judge/move"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// tested says what was tested, and how it was connected: a card a chain.
func tested(r Report) Section {
	return Section{
		ID: "tested", Short: "Tested", Title: "What was tested, and how it was connected",
		Blocks: []Block{{Cards: chainsOf(r)}},
	}
}

// chain is what was measured through the same hops.
type chain struct {
	card  Card
	facts []Point
	strip *figure.ChainStrip
}

// chainsOf groups the sessions by what was measured through which hops. The strip
// of a group shows its fastest pass.
func chainsOf(r Report) []Card {
	var chains []*chain
	index := map[string]*chain{}
	for _, s := range r.Sessions {
		key := s.Target.Address
		for _, hop := range s.Chain.Hops {
			key += "\n" + hop.Name + "\n" + hop.Standard
		}
		c := index[key]
		if c == nil {
			c = &chain{card: Card{Title: titleOf(s), Simulated: s.Simulated}}
			index[key] = c
			chains = append(chains, c)
		}
		c.facts = append(c.facts, Point{s.DisplayName(), facts(s)})
		strip, ok := figure.ChainStripOf(s, r.Notation)
		if ok && (c.strip == nil || strip.Flow != nil && strip.Flow.Value > c.strip.FlowValue()) {
			c.strip = &strip
		}
	}
	cards := make([]Card, len(chains))
	for i, c := range chains {
		cards[i] = c.made()
	}
	return cards
}

func (c *chain) made() Card {
	if c.strip != nil {
		kind, _ := figure.FormOf("chain-strip")
		caption := "The chain, from host to storage"
		if c.strip.Flow != nil {
			caption += "; fastest by " + c.strip.Flow.Label
		}
		c.card.Blocks = append(c.card.Blocks, shown(kind, *c.strip, caption)...)
	}
	c.card.Blocks = append(c.card.Blocks, Block{Points: c.facts})
	return c.card
}

// titleOf names what a session measured by its parts, or by its address.
func titleOf(s *session.Session) string {
	var names []string
	for _, part := range s.Parts {
		names = append(names, part.Name)
	}
	if len(names) == 0 {
		return s.Target.Address
	}
	return strings.Join(names, ", ")
}

// facts writes what was on the bench in a line.
func facts(s *session.Session) string {
	var texts []string
	for _, part := range s.Parts {
		text := string(part.Kind) + " " + part.Name
		if part.Capacity > 0 {
			text += " of " + part.Capacity.Decimal()
		}
		if part.Firmware != "" {
			text += ", firmware " + part.Firmware
		}
		texts = append(texts, text)
	}
	for _, key := range slices.Sorted(maps.Keys(s.Conditions)) {
		if key != "enclosure" { // said as a part
			texts = append(texts, key+" "+s.Conditions[key])
		}
	}
	texts = append(texts, "plan "+s.Plan.Name, s.Started.Local().Format("2006-01-02"))
	return strings.Join(texts, " · ")
}

func verdict(r Report) Section {
	return Section{ID: "verdict", Short: "Verdict", Title: "Verdict", Blocks: []Block{{Verdicts: verdicts(r)}}}
}

// notes are what people wrote about the sessions.
func notes(r Report) Section {
	section := Section{ID: "notes", Short: "Notes", Title: "Notes from the bench"}
	for _, s := range r.Sessions {
		for i := range s.Notes {
			lead, text := s.Notes[i].Line()
			section.Blocks = append(section.Blocks, Block{Points: []Point{{s.DisplayName() + ", " + lead, text}}})
			if photo := s.Notes[i].Photo; photo != nil {
				section.Blocks = append(section.Blocks, Block{Photo: photo})
			}
		}
	}
	return section
}

// comparison sets the sessions side by side: by rates and times, by amounts where
// throughput goes through levels, and by what else became of them.
func comparison(r Report) Section {
	section := Section{ID: "comparison", Short: "Side by side", Title: "Side by side"}
	if r.Comparison == nil {
		return section
	}
	c := *r.Comparison
	kind, _ := figure.FormOf("comparison")
	for _, f := range kind.Of(r.Subject) {
		section.Blocks = append(section.Blocks, shown(kind, f, "")...)
	}
	section.Blocks = append(section.Blocks, tabled("comparison", "Each load by session, against the baseline",
		table.Comparison(c, r.Notation))...)
	for i, each := range c.Amounts {
		section.Blocks = append(section.Blocks, Block{Heading: "By amounts: " + each.Load.String()})
		section.Blocks = append(section.Blocks, tabled(fmt.Sprintf("amounts-%d", i+1), "Levels and times by session of "+
			each.Load.String(), table.Amounts(c, each, r.Notation))...)
	}
	if besides := tabled("besides-speed", "What became of the sessions besides their speed",
		table.Quantities(c)); len(besides) > 0 {
		section.Blocks = append(append(section.Blocks, Block{Heading: "Besides speed"}), besides...)
	}
	section.Blocks = append(section.Blocks, Block{Heading: "What differs between them"})
	differences := tabled("differences", "Circumstances that differ", table.Differences(c))
	if len(differences) == 0 {
		differences = []Block{{Text: "Nothing that is known."}}
	}
	section.Blocks = append(append(section.Blocks, differences...), noted(c.Findings)...)
	return section
}

// howLong says how long amounts take, over the figures of it: each session's own
// words where there is no comparison to say it, or where amounts were asked for.
func howLong(kind figure.Form) func(Report) Section {
	return func(r Report) Section {
		section := figuresOf(kind)(r)
		var said []Point
		for _, s := range r.Sessions {
			for _, curve := range move.Told(move.Of(s)) {
				asked := curve.Asked(r.Amounts)
				if len(asked) > 0 || curve.Falls() && len(r.Sessions) == 1 {
					said = append(said, Point{s.DisplayName(), curve.Says(r.Notation, asked)})
				}
			}
		}
		if len(said) > 0 {
			section.Blocks = slices.Insert(section.Blocks, 0, Block{Points: said})
		}
		return section
	}
}

// money says what the money buys.
func money(r Report) Section {
	section := Section{ID: "money", Short: "Money", Title: "Money"}
	kind, _ := figure.FormOf("money")
	for _, f := range kind.Of(r.Subject) {
		section.Blocks = append(section.Blocks, shown(kind, f, "")...)
		var sentences []string
		for _, step := range r.Value.Steps {
			sentences = append(sentences, step.Verdict)
		}
		if len(sentences) > 0 {
			section.Blocks = append(section.Blocks, Block{Verdicts: sentences})
		}
		section.Blocks = append(section.Blocks,
			tabled("money", "What each offer costs and does", table.Offers(*r.Value, r.Notation))...)
	}
	return section
}

// elsewhere are figures that others published.
func elsewhere(r Report) Section {
	section := Section{ID: "elsewhere", Short: "From elsewhere", Title: "Figures from elsewhere"}
	section.Blocks = tabled("quoted", "Quoted figures beside what was measured", table.Quoted(r.Quoted, r.Notation))
	return section
}

// howMeasured is what holds for all figures.
const howMeasured = "Each pass ran for a moment before it counted. Reads counted in a window in which the queue " +
	"was full; " +
	"writes counted from an empty queue to the end of a flush. Data written was incompressible unless a pass says " +
	"otherwise. " +
	"Intervals are 95 % intervals: within a pass from batch means, between repeats and between sessions from " +
	"Student's and Welch's."

// method says how each session was measured, so that another lab can do the same.
func method(r Report) Section {
	section := Section{
		ID: "method", Short: "Conditions and method", Title: "Conditions and method",
		Blocks: []Block{{Text: howMeasured}},
	}
	for _, s := range r.Sessions {
		name := s.DisplayName()
		section.Blocks = append(section.Blocks, Block{Heading: name})
		if s.Plan.About != "" {
			section.Blocks = append(section.Blocks, Block{Text: "Plan " + s.Plan.Name + ": " + s.Plan.About})
		}
		for _, each := range []struct {
			name, label string
			table       table.Table
		}{
			{"passes", "Passes of %s", table.Passes(s, r.Notation)},
			{"copies", "Copies of %s", copiesOf(s, r)},
			{"starts", "Starts of %s", table.Starts(s)},
			{"at-once", "Targets at once of %s", table.Contentions(s, r.Notation)},
			{"shares", "Shares over time of %s", table.Shares(s, r.Notation)},
			{"repeats", "Repeats of %s", table.Repeats(s, r.Notation)},
			{"circumstances", "Circumstances of %s", table.Circumstances(s)},
		} {
			section.Blocks = append(section.Blocks, tabled(each.name+"-"+name, fmt.Sprintf(each.label, name),
				each.table)...)
		}
		if steps := table.PlannedPasses(s.Plan.Passes(plan.DefaultHold)); len(steps.Rows) > 0 {
			section.Blocks = append(section.Blocks, Block{Table: &Tabled{
				steps, "plan-" + name, "Plan of " + name, "What the plan of " + name + " asks for", true,
			}})
		}
	}
	return section
}

// copiesOf is the table of a session's copies, without rows where it has none.
func copiesOf(s *session.Session, r Report) table.Table {
	if len(s.Copies) == 0 {
		return table.Table{}
	}
	return table.Copies(s, r.Notation)
}

// findings are all of every session.
func findings(r Report) Section {
	section := Section{ID: "findings", Short: "All findings", Title: "All findings"}
	for _, s := range r.Sessions {
		section.Blocks = append(section.Blocks, Block{Heading: s.DisplayName()})
		blocks := noted(r.Findings[s.ID])
		if len(blocks) == 0 {
			blocks = []Block{{Text: "None: nothing in this session looks wrong or in need of a word."}}
		}
		section.Blocks = append(section.Blocks, blocks...)
	}
	return section
}

func noted(found []session.Finding) []Block {
	var blocks []Block
	for i := range found {
		blocks = append(blocks, Block{Finding: &found[i]})
	}
	return blocks
}
