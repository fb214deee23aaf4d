package cli

import (
	"errors"
	"fmt"
	"os/user"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/book"
	"opengauge/core/input"
	"opengauge/core/record/session"
)

// noteFlags holds the flags of note.
type noteFlags struct {
	at, photo         string
	conditions, parts []string
}

func newLogbookNote(env *environment) *cobra.Command {
	flags := &noteFlags{}
	cmd := &cobra.Command{
		Use:   "note SESSION [TEXT]",
		Short: "Add a note or a photo to a session, or correct what it says of its circumstances",
		Long: `Note adds what you saw to a session after its run: a text, a photo (PNG or JPEG, at
most 2 MiB), a moment. With --condition and --part it corrects what the session says
was on the bench; what it said before stays in the note. Notes are shown in explain
and in reports, with who wrote them and when. --anonymous exports leave out names
and photos.`,
		Example: `  opengauge logbook note latest "The case was too hot to touch."
  opengauge logbook note stick-fan "Lifted it off the desk." --at 3m20s --photo bench.jpg
  opengauge logbook note stick-fan "It was the other cable." --part cable=deck-cable --condition fan=on`,
		Args:              cobra.RangeArgs(1, 2),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			return env.note(arguments[0], strings.Join(arguments[1:], ""), flags)
		},
	}
	set := cmd.Flags()
	set.StringVar(&flags.at, "at", "", "the moment that it is about, since the session started: 3m20s")
	set.StringVar(&flags.photo, "photo", "", "a photo, FILE.png or FILE.jpg")
	set.StringArrayVar(&flags.conditions, "condition", nil, "a key=value that the session should have said; may be "+
		"repeated")
	set.StringArrayVar(&flags.parts, "part", nil, "a kind=NAME of the bench book that was in the chain; may be repeated")
	env.addBenchFlag(cmd)
	return cmd
}

// amendment reads the flags. Every error is one of usage, but for files that cannot be
// read.
func (e *environment) amendment(text string, f *noteFlags) (session.Amendment, error) {
	a := session.Amendment{Remark: session.Remark{Written: time.Now().UTC().Truncate(time.Second), Text: text,
		By: writer()}}
	var err error
	if a.Conditions, err = session.ParseConditions(f.conditions); err != nil {
		return a, usageError{err}
	}
	if f.at != "" {
		at, err := time.ParseDuration(f.at)
		if err != nil {
			return a, usageError{fmt.Errorf("--at %q is no moment; write one like 3m20s, since the session started", f.at)}
		}
		seconds := at.Seconds()
		a.AtSeconds = &seconds
	}
	if len(f.parts) > 0 {
		if a.Parts, err = e.namedParts(f.parts); err != nil {
			return a, usageError{err}
		}
	}
	if f.photo != "" {
		data, err := input.ReadFile(f.photo, input.Photo)
		if err != nil {
			return a, fmt.Errorf("could not read the photo: %w", err)
		}
		if a.Photo, err = session.NewPhoto(filepath.Base(f.photo), data); err != nil {
			return a, err
		}
	}
	if text == "" && f.photo == "" && len(f.conditions)+len(f.parts) == 0 {
		return a, usageError{errors.New("say something: a text, --photo, --condition or --part; see opengauge logbook " +
			"note --help")}
	}
	return a, nil
}

// namedParts finds parts of the bench book by "kind=name".
func (e *environment) namedParts(texts []string) ([]book.Part, error) {
	bench, err := e.book()
	if err != nil {
		return nil, err
	}
	var parts []book.Part
	for _, text := range texts {
		kind, name, found := strings.Cut(text, "=")
		part, known := bench.Part(name)
		switch {
		case !found:
			return nil, fmt.Errorf("--part %q is no part; write kind=name, like cable=deck-cable", text)
		case !known:
			return nil, fmt.Errorf("--part %s: the bench book has no part %q", text, name)
		case string(part.Kind) != kind:
			return nil, fmt.Errorf("--part %s: %s is a %s", text, name, part.Kind)
		}
		parts = append(parts, part)
	}
	return parts, nil
}

// writer is who runs the program, as far as the system says.
func writer() string {
	if current, err := user.Current(); err == nil {
		return current.Username
	}
	return ""
}

func (e *environment) note(reference, text string, flags *noteFlags) error {
	amendment, err := e.amendment(text, flags)
	if err != nil {
		return err
	}
	logbook, err := e.openLogbook()
	if err != nil {
		return err
	}
	defer logbook.Close()
	id, err := logbook.Resolve(reference)
	if err != nil {
		return err
	}
	var noted session.Remark
	if err := logbook.Amend(id, func(s *session.Session) error {
		err := s.Amend(amendment)
		if err == nil {
			noted = s.Notes[len(s.Notes)-1]
		}
		return err
	}); err != nil {
		return err
	}
	lead, words := noted.Line()
	e.screen().Paragraph("", "session "+id+": "+lead+": "+words)
	return nil
}
