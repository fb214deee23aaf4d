package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/table"
	"opengauge/present/term"
)

func newReviewAnswer(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "answer FILE",
		Short: "Say what a review answers by now: which, how sure, by how much, and why",
		Long: `Answer reads what was measured for a review from the logbook, and says which option
it is, how sure that is at the least, by how much it is ahead, what would turn it, and
what single factors do, as far as that was told apart. Where it is not sure enough it
says what is missing, and which run would help most. Looking at it, however often,
makes it no less true.`,
		Example: "  opengauge review answer review.yaml\n  opengauge review answer review.yaml --json",
		Args:    cobra.ExactArgs(1),
		RunE:    func(_ *cobra.Command, arguments []string) error { return env.reviewAnswer(arguments[0]) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the answer as JSON")
	env.addBenchFlag(cmd)
	return cmd
}

// answerRecord is what review answer --json prints.
type answerRecord struct {
	Format    string `json:"format"`
	Simulated bool   `json:"simulated"`
	Settled   bool   `json:"settled"`
	answer.Answer
}

func (e *environment) reviewAnswer(file string) error {
	r, st, a, err := e.answered(file)
	if err != nil {
		return err
	}
	return e.giveAnswer(&r, &a, anySimulated(st.Sessions()))
}

// giveAnswer prints an answer, as text or JSON.
func (e *environment) giveAnswer(r *reviewed, a *answer.Answer, simulated bool) error {
	notation, err := e.notation()
	switch {
	case err != nil:
		return err
	case e.json:
		return e.writeJSON(answerRecord{"opengauge.review-answer/1", simulated, a.Settled(), *a})
	}
	e.showAnswer(r, a, simulated, notation)
	return nil
}

func (e *environment) showAnswer(r *reviewed, a *answer.Answer, simulated bool, notation unit.Notation) {
	screen := e.screen()
	screen.Heading(table.Marked(r.Question, simulated))
	for _, v := range a.Verdicts {
		screen.Println("")
		showVerdict(screen, r, &v, notation)
	}
	if len(a.Reasons) > 0 {
		screen.Println("")
		screen.Paragraph("", "What single changes do:")
	}
	for _, reason := range a.Reasons {
		screen.Paragraph("  ● ", reason.Says)
	}
	for _, m := range a.Mixed {
		screen.Paragraph("  ○ ", "not told: "+m.Says+".")
	}
	screen.Println("")
	spread := ""
	if a.Spread > 0 {
		spread = fmt.Sprintf("; the same, put together anew, differs by %s", unit.Percent(a.Spread))
	}
	screen.Paragraph("", fmt.Sprintf("%d visits, %d count%s. It is said of these specimens.", a.Runs, a.Counted, spread))
	screen.Findings(a.Drifted)
	for _, note := range a.Notes {
		screen.Paragraph("● ", note)
	}
	if len(a.NotTested) > 0 {
		screen.Paragraph("Not tested: ", strings.Join(a.NotTested, "; ")+".")
	}
	if !a.Settled() {
		e.showNext(r, a)
	}
}

func showVerdict(screen *term.Screen, r *reviewed, v *answer.Verdict, notation unit.Notation) {
	where := ""
	if len(v.Given) > 0 {
		where = "At " + review.Text(v.Given) + ": "
	}
	screen.Paragraph("→ ", where+verdictWords(r, v, notation))
	if v.Interacts != "" {
		screen.Paragraph("  ", v.Interacts+".")
	}
	if len(v.Undecided) > 0 {
		screen.Paragraph("  ", "Cheaper, and not decided yet whether they do as well: "+strings.Join(v.Undecided, ", ")+".")
	}
	if v.Turns != "" {
		screen.Paragraph("  ", "What would turn it: "+v.Turns+".")
	}
	screen.Println("")
	screen.Table(table.Options(r.Review, *v, notation))
	for _, o := range v.Options {
		if o.Out != "" {
			screen.Paragraph("  ○ ", o.Name+" is out: "+o.Out+".")
			continue
		}
		for _, m := range o.Musts {
			if m.Met != answer.Yes && o.Visits > 0 {
				screen.Paragraph("  ○ ", fmt.Sprintf("it is not known whether %s can %s: %s.", o.Name, m.Must, m.Why))
			}
		}
	}
}

// verdictWords is a verdict in a sentence or two.
func verdictWords(r *reviewed, v *answer.Verdict, notation unit.Notation) string {
	if v.Named == "" {
		return "No answer: " + v.Why + "."
	}
	if !v.Settled {
		return fmt.Sprintf("Not sure yet; %s leads. %s.", v.Named, strings.ToUpper(v.Why[:1])+v.Why[1:])
	}
	text := v.Named
	for _, o := range v.Options {
		if o.Name == v.Named && o.Figure > 0 {
			text += fmt.Sprintf(", with a %s of %s", r.Decide.Figure.Name, reading.Words(r.Decide.Figure, o.Figure, notation))
		}
		if o.Name == v.Named && o.Price > 0 {
			text += fmt.Sprintf(", for %g", o.Price)
		}
	}
	switch {
	case v.Sure == 1:
		text += ". The others do not do what they must"
	default:
		text += fmt.Sprintf(". It is %s sure at the least that none is better by more than %s", unit.Percent(
			float64(int(v.Sure*1000))/1000), unit.Percent(r.Decide.Matters))
	}
	if v.Cheaper {
		text += "; it is taken because it costs less"
	}
	if ahead := v.Ahead; ahead != nil && !v.Cheaper {
		text += fmt.Sprintf(". It is ahead of %s by %s", v.RunnerUp, unit.Percent(ahead.Share))
		if ahead.Low != nil {
			text += fmt.Sprintf(" (%s to %s)", unit.Signed(*ahead.Low), unit.Signed(*ahead.High))
		}
	}
	return text + "."
}
