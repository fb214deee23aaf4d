package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"opengauge/core/judge/finding"
	"opengauge/core/judge/stream"
	"opengauge/core/unit"
	"opengauge/present/table"
)

// streamsFlags holds the flags of streams.
type streamsFlags struct {
	set, file string
	amount    amountFlags
}

func newStreams(env *environment) *cobra.Command {
	flags := &streamsFlags{}
	cmd := &cobra.Command{
		Use:   "streams SESSION",
		Short: "Say which media streams the storage can carry",
		Long: `Streams follows a buffer over what a session recorded, and says for each stream of
a list whether the storage carries it, for reading and for writing: not by the
average, but by the longest stall, the buffer that would be needed, how many at
once, and for how long until the fast write area or the heat ends it. The longest
recording in order and in large blocks, or work of one end of a copy, counts for
each direction. "yes" is said where it is known how the storage goes on; else for
how long it was recorded. With --amount it says whether so much of it is carried.

A list is YAML: streams with a name and one of data-rate, video, images and audio;
see docs/formats.md.`,
		Example: `  opengauge streams latest
  opengauge streams stick-long --set sound
  opengauge streams stick-long --streams our-cameras.yaml --json`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE:              func(_ *cobra.Command, arguments []string) error { return env.streams(arguments[0], flags) },
	}
	flags.amount.add(cmd)
	cmd.Flags().StringVar(&flags.set, "set", "recorders",
		"a list that ships with the program: "+strings.Join(stream.SetNames(), ", "))
	cmd.Flags().StringVar(&flags.file, "streams", "", "a list of your own, FILE.yaml")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the answers as JSON")
	_ = cmd.RegisterFlagCompletionFunc("set", cobra.FixedCompletions(stream.SetNames(),
		cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

// streamsRecord is the document of streams --json.
type streamsRecord struct {
	Format    string          `json:"format"`
	Session   string          `json:"session"`
	Name      string          `json:"name"`
	Simulated bool            `json:"simulated"`
	Streams   []stream.Answer `json:"streams"`
}

func (f *streamsFlags) load() ([]stream.Stream, error) {
	if f.file != "" {
		return stream.Load(f.file)
	}
	return stream.Set(f.set)
}

func (e *environment) streams(reference string, flags *streamsFlags) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	streams, err := flags.load()
	if err != nil {
		return usageError{err}
	}
	amounts, err := flags.amount.amounts()
	if err != nil {
		return err
	}
	sessions, err := e.loadSessions([]string{reference})
	if err != nil {
		return err
	}
	s := sessions[0]
	answers, err := stream.Answers(s, finding.Detect(s, notation), streams, amounts...)
	if err != nil {
		return err
	}
	if e.json {
		return e.writeJSON(streamsRecord{"opengauge.streams/1", s.ID, s.Name, s.Simulated, answers})
	}
	e.showStreams(table.TargetName(s.Target.Address, s.Simulated)+" · session "+s.DisplayName(), answers, notation)
	return nil
}

func (e *environment) showStreams(title string, answers []stream.Answer, notation unit.Notation) {
	screen := e.screen()
	screen.Heading(title)
	screen.Table(table.Streams(answers, notation))
	screen.Println("")
	for _, a := range answers {
		screen.Paragraph("  ", a.Stream.Name+": "+a.Stream.Formula+" = "+notation.Rate(a.Stream.Rate))
	}
	screen.Println("")
	for _, note := range streamNotes(answers) {
		screen.Paragraph("", note)
	}
}

// streamNotes lists the assumptions of the answers.
func streamNotes(answers []stream.Answer) []string {
	var notes []string
	for name, side := range map[string]*stream.Side{"Reading": answers[0].Reading, "Writing": answers[0].Writing} {
		if side != nil {
			seen := unit.Span(unit.Duration(side.Seconds))
			later := "what comes later is not known."
			if side.Settled {
				later = "what made it fall lasts, so it goes on as it ended."
			}
			notes = append(notes, name+" follows from "+side.From+", "+seen+" of it; "+later)
		}
	}
	if len(notes) == 2 && notes[0] > notes[1] {
		notes[0], notes[1] = notes[1], notes[0]
	}
	return append(notes, "At most at once: for reading / for writing. Stalls shorter than a sample are not seen.")
}
