package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/answer"
	"opengauge/core/review/design"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/figure"
	"opengauge/present/kit"
	"opengauge/present/page"
)

// publishFlags are how a report is told, and where it goes.
type publishFlags struct {
	out, kit            string
	title, author, note string
	anonymous           bool
}

func (f *publishFlags) add(cmd *cobra.Command) {
	set := cmd.Flags()
	set.StringVar(&f.out, "out", "", "the page to write, FILE.html")
	set.StringVar(&f.kit, "kit", "", "the folder to write an article kit into; it must not be there yet")
	set.StringVar(&f.title, "title", "", "the report's title")
	set.StringVar(&f.author, "author", "", "who wrote it")
	set.StringVar(&f.note, "note", "", "a few sentences of your own, below the answer")
	set.BoolVar(&f.anonymous, "anonymous", false, "replace serial numbers, names of hosts and users, and paths, in what "+
		"is shown and in the data")
}

func newReviewReport(env *environment) *cobra.Command {
	flags := &publishFlags{}
	cmd := &cobra.Command{
		Use:   "report FILE",
		Short: "Write a review as a page or an article kit: the answer first, and why",
		Long: `Report writes what a review answers as one self-contained HTML page: the answer
with the figure that shows it on the first screen, then what single changes do, how it
went over time, what it costs, what to look out for, and how it was tested. All data
of every session are a fold away, and in the page itself: logbook import takes them in.

With --kit it writes a folder to publish from: every figure as PNG (1280 by 800, and
3840 by 2160, each light and dark) and SVG, their captions and alternative texts, every
table as CSV, and the article in Markdown.`,
		Example: `  opengauge review report review.yaml --out review.html
  opengauge review report review.yaml --kit review-article --anonymous`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, arguments []string) error { return env.reviewReport(arguments[0], flags) },
	}
	flags.add(cmd)
	env.addBenchFlag(cmd)
	return cmd
}

func (e *environment) reviewReport(file string, flags *publishFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	if flags.out == "" && flags.kit == "" {
		return usageError{errors.New("say what to write: --out FILE.html, --kit FOLDER, or both")}
	}
	r, err := e.loadReview(file)
	if err != nil {
		return err
	}
	sessions, err := e.reviewSessions(&r)
	if err != nil {
		return err
	}
	if flags.anonymous {
		if sessions, err = e.anonymousReview(&r, sessions); err != nil {
			return err
		}
	}
	st := reading.Of(&r.Review, sessions)
	if len(st.Visits) == 0 {
		return fmt.Errorf("nothing was measured for the review %s yet; begin with opengauge review run %s", r.Name, r.file)
	}
	report := reportOfReview(&r, &st, flags, notation)
	report.Findings = findingsOf(report.Sessions, notation)
	return e.publish(report, flags)
}

// anonymousReview replaces identifying details in a review, its bench book and its sessions, equal
// ones alike in all of them.
func (e *environment) anonymousReview(r *reviewed, sessions []*session.Session) ([]*session.Session, error) {
	anonymous := exchange.NewAnonymous()
	hidden, err := anonymous.Sessions(sessions)
	if err != nil {
		return nil, err
	}
	name, source, err := e.bookSource()
	if err != nil {
		return nil, err
	}
	bench, err := book.Parse(name, []byte(anonymous.Text(string(source))))
	if err != nil {
		return nil, fmt.Errorf("the bench book cannot be made anonymous: %w", err)
	}
	made, err := review.Parse(r.file, []byte(anonymous.Text(string(r.Source))), bench)
	if err != nil {
		return nil, fmt.Errorf("the review cannot be made anonymous: %w", err)
	}
	for i, s := range sessions {
		if s.Review != nil && s.Review.Definition == r.Definition() {
			hidden[i].Review.Definition = made.Definition()
		}
	}
	r.Review, r.book = made, bench
	return hidden, nil
}

// reportOfReview gathers the parts of a review's report, apart from the findings.
func reportOfReview(r *reviewed, st *reading.State, flags *publishFlags, notation unit.Notation) article.Report {
	d := design.New(r.Review)
	a := answer.Of(d, st)
	report := article.Report{
		Title: flags.title, Author: flags.author, Note: flags.note, Program: Version(), Written: time.Now(),
		Subject: figure.Subject{Sessions: st.Sessions(), Notation: notation},
		Review: &article.Reviewed{Review: &r.Review, State: st, Answer: &a,
			Standings: answer.Standings(d, st, &a)},
	}
	if report.Title == "" {
		report.Title = r.Question
	}
	return report
}

// publish writes a report as its flags say.
func (e *environment) publish(report article.Report, flags *publishFlags) error {
	made := article.New(report)
	if flags.out != "" {
		if err := e.publishFile(flags.out, func(w io.Writer) error { return page.Write(w, made) }); err != nil {
			return err
		}
		e.wrote(flags.out)
	}
	if flags.kit == "" {
		return nil
	}
	if err := kit.Write(flags.kit, made); errors.Is(err, kit.ErrThere) {
		return usageError{fmt.Errorf("--kit: %w", err)}
	} else if err != nil {
		return err
	}
	e.screen().Println("wrote " + filepath.Join(flags.kit, kit.ArticleName) + ", with its figures and tables beside it")
	return nil
}
