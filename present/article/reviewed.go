package article

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// answered is the answer of a review, in the figure of its first verdict.
func answered(r Report) Lead {
	a, rv := r.Review.Answer, r.Review.Review
	lead := Lead{Tested: testedIn(r)}
	for i := range a.Verdicts {
		v := &a.Verdicts[i]
		words := Named(rv, v, r.Notation)
		if i > 0 {
			lead.Besides = append(lead.Besides, words+" "+HowSure(rv, v))
			continue
		}
		lead.Answer = words
		if says := HowSure(rv, v); says != "" {
			lead.Besides = append(lead.Besides, says)
		}
	}
	if why := inShort(a.Reasons); why != "" {
		lead.Besides = append(lead.Besides, why)
	}
	if len(a.Verdicts) == 0 {
		lead.Answer = "No answer: there is nothing to choose between."
	}
	if len(a.Verdicts) == 1 && a.Verdicts[0].Turns != "" {
		lead.Besides = append(lead.Besides, "What would turn it: "+a.Verdicts[0].Turns+".")
	}
	for i := range a.Verdicts {
		if bars, ok := figure.Options(rv, r.Review.State, &a.Verdicts[i], shownAs(rv, &a.Verdicts[i]), r.Notation); ok {
			lead.Figure = &Shown{Figure: bars, Kind: "options"}
			break
		}
	}
	return lead
}

func where(v *answer.Verdict) string {
	if len(v.Given) == 0 {
		return ""
	}
	return "At " + review.Text(v.Given) + ": "
}

// shownAs is the message of a verdict's figure.
func shownAs(r *review.Review, v *answer.Verdict) string {
	what := r.Decide.Figure.Name
	if r.Decide.Amount > 0 {
		what = fmt.Sprintf("the %s for %s", what, r.Decide.Amount.Decimal())
	}
	switch {
	case v.Named == "":
		return where(v) + "No option is ahead yet: " + what
	case v.Ahead != nil && v.Settled && v.Ahead.Share > 0:
		return fmt.Sprintf("%s%s is %s ahead of the next by %s", where(v), v.Named, unit.Percent(v.Ahead.Share), what)
	case v.Settled:
		return fmt.Sprintf("%s%s, by %s", where(v), v.Named, what)
	}
	return fmt.Sprintf("%s%s leads by %s, and it is not sure yet", where(v), v.Named, what)
}

// unalike is from which spread on, as a share, a mean over pairs is told with its ends.
const unalike = 0.15

// inShort is what single factors do, in a line.
func inShort(reasons []answer.Reason) string {
	var known, none []string
	for _, reason := range reasons {
		switch {
		case reason.None:
			if !slices.Contains(none, reason.Factor) {
				none = append(none, reason.Factor)
			}
		case reason.Known:
			text := fmt.Sprintf("%s %s instead of %s %s", reason.Factor, reason.To, reason.From, unit.Signed(reason.Share))
			if least, most := reason.Between(); most-least > unalike {
				text += fmt.Sprintf(" on average (%s to %s, depending on the rest)", unit.Signed(least), unit.Signed(most))
			}
			known = append(known, text)
		}
	}
	texts := known
	if len(none) > 0 {
		texts = append(texts, listed(none, mostListed)+": no difference that matters")
	}
	if len(texts) == 0 {
		return ""
	}
	return "Why: " + strings.Join(texts, "; ") + "."
}

// Verdict is a verdict of a review in a sentence or two.
func Verdict(r *review.Review, v *answer.Verdict, notation unit.Notation) string {
	return strings.TrimSpace(Named(r, v, notation) + " " + HowSure(r, v))
}

// Named says where which option it is, and what it gives.
func Named(r *review.Review, v *answer.Verdict, notation unit.Notation) string {
	if v.Named == "" {
		return where(v) + "No answer: " + v.Why + "."
	}
	if !v.Settled {
		return fmt.Sprintf("%sNot sure yet; %s leads. %s.", where(v), v.Named, strings.ToUpper(v.Why[:1])+v.Why[1:])
	}
	text := where(v) + v.Named
	for _, o := range v.Options {
		if o.Name == v.Named && o.Figure > 0 {
			text += ": " + gives(r, o.Figure, notation)
		}
		if o.Name == v.Named && o.Price > 0 {
			text += ", for " + unit.Price(o.Price)
		}
	}
	return text + "."
}

// HowSure says of a settled verdict how sure it is, and by how much it is ahead.
func HowSure(r *review.Review, v *answer.Verdict) string {
	if v.Named == "" || !v.Settled {
		return ""
	}
	text := fmt.Sprintf("It is %s sure that nothing here is better by more than %s", unit.Sure(v.Sure),
		unit.Given(r.Decide.Matters))
	if v.Sure == 1 {
		text = "The others do not do what they must"
	}
	if v.Cheaper {
		text += "; it is taken because it costs less"
	}
	if ahead := v.Ahead; ahead != nil && !v.Cheaper && ahead.Share > 0 {
		text += fmt.Sprintf(". It is %s ahead of %s", unit.Percent(ahead.Share), v.RunnerUp)
		if ahead.Low != nil {
			text += fmt.Sprintf(" (%s to %s)", unit.Signed(*ahead.Low), unit.Signed(*ahead.High))
		}
	}
	return text + "."
}

// gives is what an option does by the figure that is decided by.
func gives(r *review.Review, value float64, notation unit.Notation) string {
	words := reading.Words(r.Decide.Figure, value, notation)
	if r.Decide.Amount > 0 {
		return r.Decide.Amount.Decimal() + " in " + words
	}
	return "a " + r.Decide.Figure.Name + " of " + words
}

// testedIn says in a line what a review tested.
func testedIn(r Report) string {
	a, rv := r.Review.Answer, r.Review.Review
	days := map[string]bool{}
	for i := range r.Review.State.Visits {
		days[r.Review.State.Visits[i].Day] = true
	}
	cells := rv.Cells()
	text := fmt.Sprintf("%s to %s, on %s", unit.Count(a.Runs, "visit"), unit.Count(len(cells), "combination"),
		unit.Count(len(days), "day"))
	if a.Counted < a.Runs {
		text += fmt.Sprintf("; %d count", a.Counted)
	}
	for _, f := range rv.Factors {
		text += " · " + f.Key + " " + listed(f.Levels, mostListed)
	}
	if len(rv.With) > 0 {
		text += " · " + review.Text(rv.With)
	}
	return text
}

// reasons draws what single factors do.
func reasons(r Report) Section {
	section := Section{ID: "reasons", Short: "Why", Title: "Why? What single changes do"}
	for _, reason := range r.Review.Answer.Reasons {
		change, ok := figure.ChangeOf(r.Review.Review, reason, r.Notation)
		if ok {
			section.Blocks = append(section.Blocks, Block{Figure: &Shown{Figure: change, Kind: "change"}})
		} else {
			section.Blocks = append(section.Blocks, Block{Text: reason.Says})
		}
	}
	var mixed []string
	for _, m := range r.Review.Answer.Mixed {
		mixed = append(mixed, "Not told: "+m.Says+".")
	}
	if len(mixed) > 0 {
		section.Blocks = append(section.Blocks, Block{Verdicts: mixed})
	}
	return section
}

// optionTables are what is chosen between, a table a verdict, with prices and what each
// must do; figures of the verdicts that the lead does not show stand over them.
func optionTables(r Report) []Block {
	var blocks []Block
	for i := range r.Review.Answer.Verdicts {
		v := &r.Review.Answer.Verdicts[i]
		if i > 0 {
			if bars, ok := figure.Options(r.Review.Review, r.Review.State, v, shownAs(r.Review.Review, v), r.Notation); ok {
				blocks = append(blocks, Block{Figure: &Shown{Figure: bars, Kind: "options"}})
			}
		}
		label := "What each option costs and does"
		if len(v.Given) > 0 {
			label += " at " + review.Text(v.Given)
		}
		blocks = append(blocks, tabled(fmt.Sprintf("options-%d", i+1), label,
			table.Options(*r.Review.Review, *v, r.Notation))...)
		if out := outOf(v); len(out) > 0 {
			blocks = append(blocks, folded("Why the others are out", Block{Verdicts: out}))
		}
	}
	return blocks
}

// outOf says why options are no more in the race.
func outOf(v *answer.Verdict) []string {
	var lines []string
	for _, o := range v.Options {
		if o.Out != "" {
			lines = append(lines, o.Name+": "+o.Out+".")
		}
	}
	return lines
}

// reviewCautions are what a reader of a review has to know.
func reviewCautions(r Report) []Block {
	a := r.Review.Answer
	blocks := noted(a.Drifted)
	lines := slices.Clone(a.Notes)
	for i := range a.Verdicts {
		lines = append(lines, Unmet(&a.Verdicts[i])...)
	}
	if len(a.NotTested) > 0 {
		lines = append(lines, "Not tested: "+strings.Join(a.NotTested, "; ")+".")
	}
	if !a.Settled() && a.Next != nil {
		lines = append(lines, fmt.Sprintf("The run that would help most: %s: %s.", a.Next.Cell, a.Next.Why))
	}
	if len(lines) > 0 {
		blocks = append(blocks, Block{Verdicts: lines})
	}
	return blocks
}

// Unmet says of a verdict's options what they do not do, or what is not known of them.
func Unmet(v *answer.Verdict) []string {
	var lines []string
	for _, o := range v.Options {
		for _, m := range o.Musts {
			if m.Met == answer.NotKnown && o.Out == "" && o.Visits > 0 {
				lines = append(lines, fmt.Sprintf("It is not known whether %s can %s: %s.", o.Name, m.Must, m.Why))
			}
		}
	}
	return lines
}

// howReviewed says how a review is made.
func howReviewed(r Report) string {
	a := r.Review.Answer
	text := "Everything was put together anew at each visit, in an order drawn by chance within each day and host; " +
		"before each visit the storage had cooled and what it holds was as at the first. Combinations are compared " +
		"within a day. " +
		"How sure it is holds however often one looks."
	if a.Spread > 0 {
		text += fmt.Sprintf(" The same, put together anew, differs by %s.", unit.Percent(a.Spread))
	}
	return text + " It is said of these specimens."
}
