package article

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"opengauge/core/judge/compare"
	"opengauge/core/judge/move"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// limits draws the chain through which least came and the one through which most did, with
// the fastest pass through each; the others are behind a fold.
func limits(shown map[string]bool) func(Report) Section {
	return func(r Report) Section {
		section := Section{ID: "chains", Short: "Chains", Title: "What can each chain carry, and what came through?"}
		var rest, hops []Block
		strips := chainsOf(r)
		for i, strip := range strips {
			drawn := Block{Figure: &Shown{Figure: strip, Kind: "chain-strip", Small: i == 0 || i == len(strips)-1}}
			switch {
			case shown[strip.ID]:
			case drawn.Figure.Small:
				section.Blocks = append(section.Blocks, drawn)
			default:
				rest = append(rest, drawn)
			}
			if t := strip.Table(); len(t.Rows) > 0 {
				hops = append(hops, Block{Table: &Tabled{t, "hops-" + strip.Title, "Hops of " + strip.Title, true}})
			}
		}
		if len(rest) > 0 {
			section.Blocks = append(section.Blocks, folded(unit.Count(len(rest), "further chain"), rest...))
		}
		if len(hops) > 0 {
			section.Blocks = append(section.Blocks, folded("The hops as tables", hops...))
		}
		return section
	}
}

// chainsOf are the strips of what was measured through the same hops, each with its fastest
// pass, those through which least came first.
func chainsOf(r Report) []figure.ChainStrip {
	var strips []figure.ChainStrip
	at := map[string]int{}
	for _, s := range r.Sessions {
		strip, ok := figure.ChainStripOf(s, r.Notation)
		if !ok {
			continue
		}
		key := ""
		for _, hop := range s.Chain.Hops {
			key += "\n" + hop.Name + "\n" + hop.Standard
		}
		i, seen := at[key]
		if !seen {
			at[key] = len(strips)
			strip.Title = titleOf(s)
			strips = append(strips, strip)
			continue
		}
		if strip.FlowValue() > strips[i].FlowValue() {
			strip.Title = strips[i].Title
			strips[i] = strip
		}
	}
	slices.SortStableFunc(strips, func(a, b figure.ChainStrip) int {
		if a.FlowValue() < b.FlowValue() {
			return -1
		}
		return 1
	})
	return strips
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
	if len(texts) == 0 {
		texts = append(texts, s.Target.Address)
	}
	for _, key := range slices.Sorted(maps.Keys(s.Conditions)) {
		if key != "enclosure" { // said as a part
			texts = append(texts, key+" "+s.Conditions[key])
		}
	}
	texts = append(texts, "plan "+s.Plan.Name, s.Started.Local().Format("2006-01-02"))
	return strings.Join(texts, " · ")
}

// Of what is compared, mostGroups loads and mostBars sessions are drawn, the loads in which
// sessions differ most first.
const mostGroups, mostBars = 4, 8

// comparison sets the sessions side by side: by rates and times, by amounts where
// throughput goes through levels, and by what else became of them.
func comparison(shown map[string]bool) func(Report) Section {
	return func(r Report) Section {
		section := Section{ID: "comparison", Short: "Side by side", Title: "Which is faster, and by how much?"}
		if r.Comparison == nil || r.Review != nil {
			return section
		}
		c := *r.Comparison
		bars := comparisonOf(r)
		again := shown[bars.ID] || shown[leadID] && len(bars.Groups) == 1
		if len(bars.Groups) > 0 && !again {
			section.Blocks = append(section.Blocks, Block{Figure: &Shown{Figure: bars, Kind: "comparison"}})
		}
		section.Blocks = append(section.Blocks, foldedTable("comparison", "Each load by session, against the baseline",
			table.Comparison(c, r.Notation))...)
		for i, each := range c.Amounts {
			section.Blocks = append(section.Blocks, foldedTable(fmt.Sprintf("amounts-%d", i+1),
				"Levels and times by session of "+each.Load.String(), table.Amounts(c, each, r.Notation))...)
		}
		section.Blocks = append(section.Blocks, foldedTable("besides-speed",
			"What became of the sessions besides their speed", table.Quantities(c))...)
		section.Blocks = append(section.Blocks, foldedTable("beside",
			"What the storage and another load take from each other", table.Beside(c.Pairs, r.Notation))...)
		section.Blocks = append(section.Blocks, foldedTable("differences", "What differs between them",
			table.Differences(c))...)
		return with(section, noted(c.Findings))
	}
}

func with(section Section, blocks []Block) Section {
	section.Blocks = append(section.Blocks, blocks...)
	return section
}

// comparisonOf draws the loads in which the sessions differ most.
func comparisonOf(r Report) figure.Bars {
	bars := figure.Comparison(drawnOf(*r.Comparison), r.Notation)
	if brief := r.Comparison.Brief(1); len(brief) > 0 {
		bars.Says = strings.TrimSuffix(brief[0], ".")
	}
	return bars
}

// drawnOf leaves of a comparison what there is room for.
func drawnOf(c compare.Comparison) compare.Comparison {
	if len(c.Sides) > mostBars {
		c.Sides = c.Sides[:mostBars]
	}
	rows := slices.Clone(c.Rows)
	apart := func(row compare.Row) float64 {
		most := 0.0
		for _, each := range row.Contrasts {
			if each != nil && each.Ratio > 0 && (each.Verdict == compare.Better || each.Verdict == compare.Worse) {
				most = max(most, math.Abs(math.Log(each.Ratio)))
			}
		}
		return most
	}
	slices.SortStableFunc(rows, func(a, b compare.Row) int {
		switch x, y := apart(a), apart(b); {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	c.Rows = nil
	for _, row := range rows {
		if row.Folded && !c.AllFolded() || row.ByAmount || len(c.Rows) == mostGroups {
			continue
		}
		if len(row.Figures) > mostBars {
			row.Figures, row.Contrasts = row.Figures[:mostBars], row.Contrasts[:mostBars]
		}
		c.Rows = append(c.Rows, row)
	}
	return c
}

// howLong says of each session how long amounts take, where there is no comparison to say
// it, or where amounts were asked for.
func howLong(r Report) []Block {
	var said []Point
	for _, s := range r.Sessions {
		for _, curve := range move.Told(move.Of(s)) {
			asked := curve.Asked(r.Amounts)
			if len(asked) > 0 || curve.Falls() && len(r.Sessions) == 1 {
				said = append(said, Point{s.DisplayName(), curve.Says(r.Notation, asked)})
			}
		}
	}
	const few = 6
	switch {
	case len(said) == 0:
		return nil
	case len(said) > few && len(r.Amounts) == 0:
		return []Block{folded("The same in words, a line a session", Block{Points: said})}
	}
	return []Block{{Points: said}}
}

// money says what the money buys.
func money(r Report) Section {
	section := Section{ID: "money", Short: "Money", Title: "What does the money buy?"}
	if r.Review != nil {
		section.Blocks = optionTables(r)
		return section
	}
	kind, _ := figure.FormOf("money")
	for _, f := range kind.Of(r.Subject) {
		var sentences []string
		for _, step := range r.Value.Steps {
			if len(step.Gains) > 0 {
				sentences = append(sentences, step.Verdict)
			}
		}
		if bars, is := f.(figure.Bars); is && len(sentences) > 0 {
			bars.Says = strings.TrimSuffix(sentences[0], ".")
			f, sentences = bars, sentences[1:]
		}
		section.Blocks = append(section.Blocks, Block{Figure: &Shown{Figure: f, Kind: kind.Name}})
		if len(sentences) > 0 {
			section.Blocks = append(section.Blocks, Block{Verdicts: sentences})
		}
		section.Blocks = append(section.Blocks,
			foldedTable("money", "What each offer costs and does", table.Offers(*r.Value, r.Notation))...)
	}
	return section
}

// watch is what a reader has to look out for: faults and cautions, each kind once.
func watch(r Report) Section {
	section := Section{ID: "watch", Short: "Watch out", Title: "What is there to look out for?"}
	if r.Review != nil {
		section.Blocks = append(section.Blocks, reviewCautions(r)...)
	}
	found := gravest(r)
	var rest []Block
	for i, each := range found {
		f := each.finding
		f.Summary = each.sentence()
		if i < mostFindings {
			section.Blocks = append(section.Blocks, Block{Finding: &f})
		} else {
			rest = append(rest, Block{Finding: &f})
		}
	}
	if len(rest) > 0 {
		section.Blocks = append(section.Blocks, folded(fmt.Sprintf("%d more kinds of findings", len(rest)), rest...))
	}
	if len(section.Blocks) == 0 {
		section.Blocks = []Block{{Text: "Nothing in these sessions looks wrong."}}
	}
	return section
}

// mostNotes stand in the open.
const mostNotes = 6

// notes are what people wrote about the sessions.
func notes(r Report) Section {
	section := Section{ID: "notes", Short: "Notes", Title: "What did people note?"}
	var rest []Block
	for _, s := range r.Sessions {
		for i := range s.Notes {
			lead, text := s.Notes[i].Line()
			blocks := []Block{{Points: []Point{{s.DisplayName() + ", " + lead, text}}}}
			if photo := s.Notes[i].Photo; photo != nil {
				blocks = append(blocks, Block{Photo: photo})
			}
			if len(section.Blocks) < mostNotes {
				section.Blocks = append(section.Blocks, blocks...)
			} else {
				rest = append(rest, blocks...)
			}
		}
	}
	if len(rest) > 0 {
		section.Blocks = append(section.Blocks, folded("More notes", rest...))
	}
	return section
}

// elsewhere are figures that others published.
func elsewhere(r Report) Section {
	section := Section{ID: "elsewhere", Short: "From elsewhere", Title: "What do others say of the same parts?"}
	section.Blocks = tabled("quoted", "Quoted figures beside what was measured", table.Quoted(r.Quoted, r.Notation))
	return section
}

// howMeasured is what holds for all figures.
const howMeasured = "Each pass ran for a moment before it counted. Reads counted in a window in which the queue " +
	"was full; writes counted from an empty queue to the end of a flush. Data written was incompressible unless a pass " +
	"says otherwise. Intervals are 95 % intervals: within a pass from batch means, between repeats and between sessions " +
	"from Student's and Welch's."

// tested says how it was tested, a line a session, so that another lab can do the same.
func tested(r Report) Section {
	section := Section{ID: "method", Short: "How it was tested", Title: "How was it tested?"}
	section.Blocks = append(section.Blocks, Block{Text: howMeasured})
	if r.Review != nil {
		section.Blocks = append(section.Blocks, Block{Text: howReviewed(r)})
	}
	var lines []Point
	for _, s := range r.Sessions {
		lines = append(lines, Point{s.DisplayName(), facts(s)})
	}
	const few = 8
	if len(lines) <= few {
		section.Blocks = append(section.Blocks, Block{Points: lines})
	} else {
		title := fmt.Sprintf("The %d sessions, a line each", len(lines))
		section.Blocks = append(section.Blocks, Block{Fold: &Fold{Title: title, Blocks: []Block{{Points: lines}},
			Matters: true}})
	}
	if r.Review != nil {
		section.Blocks = append(section.Blocks, foldedTable("cells", "Every combination, with its visits and notes",
			table.Grid(*r.Review.Review, r.Review.Standings, r.Notation))...)
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
