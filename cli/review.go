package cli

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/table"
	"opengauge/present/term"
)

func newReview(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "review",
		Short: "Answer a question about parts: which to put together, in which order, and what it says",
		Long: `A review is a question in a file, review.yaml: the parts it is about, what is measured
of them, and how it is decided. The program says which combinations there are and in
which order they are visited, leads through it, and gives the answer with how sure it
is. Its state is the sessions in the logbook: it can stop anywhere, and go on on
another day or host.`,
		Example: `  opengauge review check review.yaml
  opengauge review run review.yaml --target /media/stick
  opengauge review answer review.yaml`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(newReviewCheck(env), newReviewRun(env), newReviewStatus(env), newReviewAnswer(env),
		newReviewReport(env), newReviewPack(env), newReviewTake(env))
	return cmd
}

// reviewed is a review with the bench book that it is about.
type reviewed struct {
	review.Review
	book book.Book
	file string
}

// loadReview reads a review. Mistakes in it are errors of usage.
func (e *environment) loadReview(file string) (reviewed, error) {
	if e.benchPath == "" {
		e.benchPath = review.BenchOf(file)
	}
	bench, err := e.book()
	if err != nil {
		return reviewed{}, usageError{err}
	}
	r, err := review.Load(file, bench)
	if err != nil {
		return reviewed{}, usageError{err}
	}
	return reviewed{r, bench, file}, nil
}

// reviewSessions returns the sessions of a logbook that belong to a review, or may.
func (e *environment) reviewSessions(r *reviewed) ([]*session.Session, error) {
	book, err := e.openLogbook()
	if errors.Is(err, logbook.ErrNone) { // nothing was measured yet
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer book.Close()
	return sessionsFor(r, book, nil)
}

// sessionsFor are the sessions of a logbook that belong to a review, or may. Those that belong to
// none are not read again where they are known.
func sessionsFor(r *reviewed, book *logbook.Logbook, known map[string]*session.Session) ([]*session.Session, error) {
	about := &logbook.About{Review: r.Name}
	for _, cell := range r.Cells() {
		about.Storages = append(about.Storages, cell.Storage())
	}
	ids, err := book.IDs(logbook.Filter{About: about})
	if err != nil {
		return nil, err
	}
	var sessions []*session.Session
	unknown := ids[:0]
	for _, id := range ids {
		if s := known[id]; s != nil {
			sessions = append(sessions, s)
		} else {
			unknown = append(unknown, id)
		}
	}
	for s, err := range book.Briefs(unknown) {
		if err != nil {
			return nil, err
		}
		if !reading.Concerns(&r.Review, s) {
			continue
		}
		if s, err = book.Load(s.ID); err != nil {
			return nil, err
		}
		sessions = append(sessions, s)
	}
	return sessions, nil
}

func newReviewCheck(env *environment) *cobra.Command {
	sheet := ""
	cmd := &cobra.Command{
		Use:   "check FILE",
		Short: "Say what a review takes, in which order, and which effects it tells apart",
		Long: `Check reads a review and says which cells there are and which cannot be, in which
order they are visited, how long that takes, what it writes and wears, how often parts
are exchanged, which effects the design separates and which it mixes, and whether a
smaller one would do. It measures nothing. With --sheet it writes a bench sheet to
print: a line for each visit, with boxes to tick.`,
		Example: `  opengauge review check review.yaml
  opengauge review check review.yaml --sheet bench-sheet.txt`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, arguments []string) error { return env.reviewCheck(arguments[0], sheet) },
	}
	cmd.Flags().StringVar(&sheet, "sheet", "", "write a bench sheet to print to this file, - for standard output")
	cmd.Flags().BoolVar(&env.json, "json", false, "print what it takes as JSON")
	env.addBenchFlag(cmd)
	return cmd
}

// reviewCheckRecord is the document of review check --json.
type reviewCheckRecord struct {
	Format     string `json:"format"`
	Review     string `json:"review"`
	Question   string `json:"question"`
	Definition string `json:"definition"`
	design.Check
}

func (e *environment) reviewCheck(file, sheet string) error {
	r, err := e.loadReview(file)
	if err != nil {
		return err
	}
	d := design.New(r.Review)
	check := d.Check()
	if sheet != "" {
		err := e.publishFile(sheet, func(w io.Writer) error { return term.Sheet(w, d, check) })
		if err == nil && sheet != toStandardOutput {
			term.NewScreen(e.stderr).Println("wrote " + sheet)
		}
		if err != nil || sheet == toStandardOutput {
			return err
		}
	}
	if e.json {
		err = e.writeJSON(reviewCheckRecord{"opengauge.review-check/1", r.Name, r.Question, r.Definition(), check})
	} else {
		e.showReviewCheck(&r, check)
	}
	if len(check.TooSmall) > 0 {
		err = errors.Join(err, tooSmall(check))
	}
	return err
}

// tooSmall says that a budget does not do for a review.
func tooSmall(check design.Check) error {
	return fmt.Errorf("the budget is too small: with every cell visited as often as it has to be %s; leave out a "+
		"factor or a "+
		"level, measure for less long, or allow more", strings.Join(check.TooSmall, ", and "))
}

func (e *environment) showReviewCheck(r *reviewed, check design.Check) {
	screen := e.screen()
	screen.Heading(r.Question)
	text := fmt.Sprintf("Review %s: %s", r.Name, unit.Count(check.Cells, "cell"))
	if len(check.Impossible) > 0 {
		text += fmt.Sprintf("; %d more cannot be", len(check.Impossible))
	}
	screen.Paragraph("", text+".")
	for _, never := range check.Impossible {
		screen.Paragraph("  ○ ", never.Name+": "+never.Why)
	}
	for _, each := range check.Excluded {
		screen.Paragraph("  ○ ", each.Name+" is not measured: "+each.Why)
	}
	screen.Println("")
	screen.Table(table.Costs(check))
	screen.Paragraph("", fmt.Sprintf("It ends as soon as the answer is as sure as was asked. The budget allows %s "+
		"of each "+
		"cell.", unit.Count(check.Within, "visit")))
	screen.Println("")
	screen.Table(table.Wear(check))
	screen.Println("")
	if len(check.Separate) > 0 {
		screen.Paragraph("✓ ", "Told apart: "+strings.Join(check.Separate, ", ")+".")
	}
	for _, m := range check.Mixed {
		screen.Paragraph("✗ ", "Mixed: "+m.Says+".")
	}
	if c := check.Cheaper; c != nil {
		screen.Paragraph("→ ", fmt.Sprintf("Cheaper: %d of the %d cells tell what each factor does by itself, in %s "+
			"and with %d "+
			"swaps: %s. It loses %s.", len(c.Cells), check.Cells, design.Hours(c.Cost.Hours), c.Cost.Swaps,
			strings.Join(c.Cells, ", "), c.Loses))
	}
	screen.Println("")
	screen.Table(table.Order(check.Order))
	screen.Println("")
	screen.Line("Next: opengauge review run " + r.file + ", or --sheet FILE for a sheet to print")
}

func newReviewStatus(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "status FILE",
		Short: "Say how far a review is: which cells are done, worth a visit, or missing, and why",
		Long: `Status reads what was measured for a review from the logbook, and says of each cell
how often it was visited, what it gave, whether another visit is worth it, and what has
to be known of it: visits that do not count and why, what was not as at the first
visit, and notes.`,
		Example: "  opengauge review status review.yaml",
		Args:    cobra.ExactArgs(1),
		RunE:    func(_ *cobra.Command, arguments []string) error { return env.reviewStatus(arguments[0]) },
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print it as JSON")
	env.addBenchFlag(cmd)
	return cmd
}

// reviewStatusRecord is the document of review status --json.
type reviewStatusRecord struct {
	Format   string             `json:"format"`
	Review   string             `json:"review"`
	Settled  bool               `json:"settled"`
	Runs     int                `json:"runs"`
	Counted  int                `json:"counted"`
	Cells    []answer.Standing  `json:"cells"`
	Rejected []reading.Rejected `json:"rejected"`
	Notes    []string           `json:"notes"`
	Next     *answer.Next       `json:"next,omitempty"`
}

// evaluate reads a review, the state of its sessions, and its answer.
func (e *environment) evaluate(file string) (reviewed, reading.State, answer.Answer, error) {
	r, err := e.loadReview(file)
	if err != nil {
		return r, reading.State{}, answer.Answer{}, err
	}
	sessions, err := e.reviewSessions(&r)
	if err != nil {
		return r, reading.State{}, answer.Answer{}, err
	}
	st := reading.Of(&r.Review, sessions)
	return r, st, answer.Of(design.New(r.Review), &st), nil
}

func (e *environment) reviewStatus(file string) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	r, st, a, err := e.evaluate(file)
	if err != nil {
		return err
	}
	cells := answer.Standings(design.New(r.Review), &st, &a)
	if e.json {
		record := reviewStatusRecord{"opengauge.review-status/1", r.Name, a.Settled(), a.Runs, a.Counted, cells, st.Rejected,
			a.Notes, a.Next}
		if record.Rejected == nil {
			record.Rejected = []reading.Rejected{}
		}
		return e.writeJSON(record)
	}
	screen := e.screen()
	screen.Heading(r.Question)
	screen.Table(table.Grid(r.Review, cells, notation))
	screen.Println("")
	screen.Paragraph("", fmt.Sprintf("%d of %d visits count.", a.Counted, a.Runs))
	for _, note := range a.Notes {
		screen.Paragraph("● ", note)
	}
	for _, each := range st.Rejected {
		screen.Paragraph("○ ", "not taken in: "+each.Session+": "+each.Why)
	}
	e.showNext(&r, &a)
	return nil
}

func (e *environment) showNext(r *reviewed, a *answer.Answer) {
	screen := e.screen()
	screen.Println("")
	switch {
	case a.Settled():
		screen.Line("The answer is as sure as was asked. Next: opengauge review answer " + r.file)
	case a.Next != nil:
		screen.Paragraph("Would help most: ", fmt.Sprintf("%s, about %s: %s.", a.Next.Cell, design.Hours(a.Next.Hours),
			a.Next.Why))
		screen.Line("Next: opengauge review run " + r.file)
	default:
		screen.Line("Next: opengauge review run " + r.file)
	}
}
