package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/review/answer"
	"opengauge/core/unit"
	"opengauge/present/article"
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

// answerRecord is the document of review answer --json.
type answerRecord struct {
	Format    string `json:"format"`
	Simulated bool   `json:"simulated"`
	Settled   bool   `json:"settled"`
	answer.Answer
}

func (e *environment) reviewAnswer(file string) error {
	r, st, a, err := e.evaluate(file)
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
	screen.Heading(table.TargetName(r.Question, simulated))
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
	screen.Paragraph("", fmt.Sprintf("%s, %d count%s. It is said of these specimens.", unit.Count(a.Runs, "visit"),
		a.Counted, spread))
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
	screen.Paragraph("→ ", article.Verdict(&r.Review, v, notation))
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
		}
	}
	for _, line := range article.Unmet(v) {
		screen.Paragraph("  ○ ", line)
	}
}
