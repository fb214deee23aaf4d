package cli

import (
	"errors"
	"slices"

	"github.com/spf13/cobra"

	"opengauge/core/bench/event"
	"opengauge/core/judge/beside"
	"opengauge/core/judge/cooling"
	"opengauge/core/judge/energy"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/judge/move"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/figure"
	"opengauge/present/table"
)

// explanation is the document of explain --json.
type explanation struct {
	Format    string            `json:"format"`
	Session   string            `json:"session"`
	Name      string            `json:"name"`
	Simulated bool              `json:"simulated"`
	Findings  []session.Finding `json:"findings"`
	// Moves are the times of amounts, and Levels the levels of throughput.
	Moves  []move.Record      `json:"moves"`
	Levels []move.LevelRecord `json:"levels"`
	// Power holds the meters' figures of the passes, Rests the cooling down, and Beside the mutual
	// cost of another load and the storage.
	Power  []energy.Record  `json:"power"`
	Rests  []cooling.Record `json:"rests"`
	Beside []beside.Record  `json:"beside"`
	// NotBelieved lists the values of the recording that were left out, with reasons.
	NotBelieved []string `json:"not_believed,omitempty"`
}

func newExplain(env *environment) *cobra.Command {
	failOn, recording, amount := "", &seriesFlags{}, &amountFlags{}
	cmd := &cobra.Command{
		Use:   "explain [SESSION]",
		Short: "Say what a session found, with the evidence",
		Long: `Explain reads a session from the logbook and says what is worth knowing about
it: what was found, how sure that is, the figures it stands on, what it is not,
and what to do. It says how long amounts of data take (--amount), beyond the
recording only where what made throughput fall is settled, and lasts.

SESSION is an id, the start of one, a name, or latest. With --series it explains
a recording made elsewhere: a CSV file with the columns t_seconds and
bytes_per_second and, where there are, iops, p50_seconds, p99_seconds, errors and
temperature_celsius or several temperature_celsius:NAME.`,
		Example: `  opengauge explain latest
  opengauge explain stick-fan --fail-on caution
  opengauge explain stick-long --amount 400GB
  opengauge explain k3f9 --json
  opengauge explain --series logger.csv --operation write --block-size 1MiB --depth 8 --ceiling 1.04GB/s
  opengauge explain --series volume.csv --operation read --storage volume`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: env.completeSessions,
		RunE: func(_ *cobra.Command, arguments []string) error {
			severity, err := parseFailOn(failOn)
			if err != nil {
				return err
			}
			return env.explain(arguments, recording, amount, severity)
		},
	}
	cmd.Flags().BoolVar(&env.json, "json", false, "print the findings as JSON")
	cmd.Flags().StringVar(&failOn, "fail-on", "", "exit with 3 if a finding is at least a note, caution or fault")
	_ = cmd.RegisterFlagCompletionFunc("fail-on", completeSeverities)
	recording.add(cmd)
	amount.add(cmd)
	return cmd
}

// toExplain is the session that is named, or that is made of a recording.
func (e *environment) toExplain(arguments []string, recording *seriesFlags) (*session.Session, error) {
	switch {
	case recording.file != "" && len(arguments) == 0:
		return recording.read()
	case recording.file == "" && len(arguments) == 1:
		sessions, err := e.loadSessions(arguments)
		if err != nil {
			return nil, err
		}
		return sessions[0], nil
	}
	return nil, usageError{errors.New("name a session, or a recording with --series FILE.csv; see opengauge " +
		"explain --help")}
}

func (e *environment) explain(arguments []string, recording *seriesFlags, amount *amountFlags,
	failOn session.Severity) error {
	notation, err := e.notation()
	if err != nil {
		return err
	}
	amounts, err := amount.amounts()
	if err != nil {
		return err
	}
	s, err := e.toExplain(arguments, recording)
	if err != nil {
		return err
	}
	findings := finding.Detect(s, notation)
	curves := move.Of(s)
	if e.json {
		made := explanation{
			Format: "opengauge.explanation/1", Session: s.ID, Name: s.Name, Simulated: s.Simulated, Findings: findings,
			NotBelieved: explain.Doubts(s), Moves: []move.Record{}, Levels: []move.LevelRecord{},
			Power: energy.Records(s), Rests: cooling.Records(s), Beside: beside.Records([]*session.Session{s}),
		}
		for _, curve := range move.Told(curves) {
			made.Moves = append(made.Moves, curve.Record(s.DisplayName(), curve.Asked(amounts))...)
			made.Levels = append(made.Levels, curve.LevelRecord(s.DisplayName()))
		}
		err = e.writeJSON(made)
	} else {
		e.showExplained(s, findings, notation)
		e.showMoves(move.Told(curves), amounts, notation)
	}
	if err != nil {
		return err
	}
	return checkFailOn(findings, failOn)
}

func (e *environment) showExplained(s *session.Session, findings []session.Finding, notation unit.Notation) {
	screen := e.screen()
	screen.Heading(table.TargetName(s.Target.Address, s.Simulated) + " · session " + s.DisplayName())
	if s.State != session.Complete {
		screen.Println("This session is " + string(s.State) + ": it may lack passes.")
	}
	for _, e := range s.Events {
		if e.Kind == event.Recording || e.Kind == event.Clock {
			screen.Paragraph("  ", e.Detail+".")
		}
	}
	for _, doubt := range explain.Doubts(s) {
		screen.Paragraph("  ", "Not believed: "+doubt+".")
	}
	for i := range s.Notes {
		lead, text := s.Notes[i].Line()
		screen.Paragraph("  ", lead+": "+text)
	}
	screen.Println("")
	became := outcome.Of(s, findings)
	screen.Outcome(became.Says(), len(findings))
	screen.Findings(findings)
	for _, each := range findings {
		screen.Println("")
		screen.Heading("Why " + each.Kind)
		screen.Evidence(each, notation)
	}
	if strip, ok := figure.ChainStripOf(s, notation); ok && aboutLinks(findings) {
		screen.Println("")
		screen.ChainStrip(strip)
	}
	showInstruments(screen, s, notation)
	showFigures(screen, subjectOf(s, findings, notation), len(s.Copies) == 0)
}

// showMoves says how long amounts take, where that was recorded or is asked for.
func (e *environment) showMoves(curves []*move.Curve, amounts []unit.Bytes, notation unit.Notation) {
	screen := e.screen()
	said := false
	for _, curve := range curves {
		asked := curve.Asked(amounts)
		if len(asked) == 0 && !curve.Falls() {
			continue
		}
		if !said {
			screen.Println("")
			screen.Heading("How long it takes")
			said = true
		}
		screen.Paragraph("→ ", curve.Says(notation, asked))
	}
}

// aboutLinks reports whether any finding is seen on the chain's strip, so that it
// helps.
func aboutLinks(findings []session.Finding) bool {
	return slices.ContainsFunc(findings,
		func(f session.Finding) bool { return finding.Of(f).Marks == finding.ChainStrip })
}
