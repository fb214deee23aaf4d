package review

import (
	"cmp"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/judge/stream"
	"opengauge/core/load"
	"opengauge/core/load/fileset"
	"opengauge/core/plan"
	"opengauge/core/unit"
)

// Measurement is one thing that is measured at each visit of a cell: a plan, copies of a
// file set, or streams.
type Measurement struct {
	// Name tells it from the others of the review.
	Name string
	// Plan is the plan that runs; for copies it has no steps.
	Plan plan.Plan
	Hold time.Duration
	// Size is the size of the test file, or of the file set; 0 is as usual.
	Size unit.Bytes
	// Copy is the file set that is copied, or empty. Other is the other end, and Out says
	// that the copy goes there, from the cell's storage.
	Copy  string
	Other string
	Out   bool
	// Streams is the list of streams that it has to tell of, or empty.
	Streams string
	// Times is how often it runs at each visit.
	Times int
}

// IsCopy reports whether file sets are copied.
func (m *Measurement) IsCopy() bool { return m.Copy != "" }

// Writes reports whether it changes the storage.
func (m *Measurement) Writes() bool { return m.IsCopy() || m.Plan.Writes() }

// places say where files are looked for that a review names.
type places struct {
	folder string
	files  []string // that were found there
}

// beside finds a file that is named beside the review, if it is one.
func (p *places) beside(name string) string {
	if !strings.HasSuffix(name, ".yaml") {
		return name
	}
	p.files = append(p.files, name)
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(p.folder, name)
}

const (
	mostTimes = 100
	// streamed is for how long streams are written where nobody says.
	streamed = 5 * time.Minute
	// defaultSet is the size of a set of files where nobody gives one.
	defaultSet = unit.GiB
)

func (r *Review) addMeasurement(n document.Node, p *places) error {
	m := Measurement{Times: 1, Hold: plan.DefaultHold}
	var named, from, to string
	var span time.Duration
	given, err := n.Read(
		document.Text("name", &m.Name), document.Text("plan", &named), document.Text("copy", &m.Copy),
		document.Text("streams", &m.Streams),
		document.Into("hold", &m.Hold, plan.ParseHold), document.Into("for", &span, plan.ParseHold),
		document.Into("size", &m.Size, unit.ParseBytes),
		document.Text("from", &from), document.Text("to", &to),
		document.Into("times", &m.Times, count("times", mostTimes)),
	)
	if err != nil {
		return err
	}
	switch {
	case given.Count("plan", "copy", "streams") != 1:
		return n.Errorf(`a measurement is a "plan", a "copy" of a file set, or "streams"; one of the three`)
	case given["for"] && !given["streams"]:
		return n.Errorf(`"for" goes with "streams"; a plan says itself how long it takes, or "hold" does`)
	case given.Any("from", "to") && !given["copy"]:
		return n.Errorf(`"from" and "to" go with "copy"`)
	case given["plan"]:
		m.Plan, err = plan.Load(p.beside(named))
	case given["copy"]:
		err = m.parseCopies(from, to)
	default:
		err = m.parseStreams(p.beside(m.Streams), span)
	}
	if err != nil {
		return n.Errorf("%s", err)
	}
	m.Name = cmp.Or(m.Name, m.Plan.Name, m.Copy)
	if strings.ContainsAny(m.Name, reserved) {
		return n.Errorf("%q is no name of a measurement: it may not hold a space or one of / , ; = and quotes", m.Name)
	}
	if slices.ContainsFunc(r.Measure, func(other Measurement) bool { return other.Name == m.Name }) {
		return n.Errorf("two measurements are called %s; give one of them a \"name\"", m.Name)
	}
	r.Measure = append(r.Measure, m)
	return nil
}

// count reads a number of something from 1 to most.
func count(what string, most int) func(string) (int, error) {
	return func(text string) (int, error) {
		number, err := strconv.Atoi(text)
		if err != nil || number < 1 || number > most {
			return 0, fmt.Errorf("%q is not a number of %s from 1 to %d", text, what, most)
		}
		return number, nil
	}
}

// parseCopies reads the set that is parseCopies between a cell's storage and another end.
func (m *Measurement) parseCopies(from, to string) error {
	if (from == "") == (to == "") {
		return fmt.Errorf(`a copy needs the other end: "from" where it comes, or "to" where it goes; one of the two`)
	}
	m.Other, m.Out = cmp.Or(from, to), to != ""
	if m.Size == 0 {
		m.Size = defaultSet
	}
	_, err := fileset.New(m.Copy, m.Size, 1)
	return err
}

// parseStreams makes the plan that tells how long streams are carried: large blocks in order,
// as fast as the storage takes them.
func (m *Measurement) parseStreams(list string, span time.Duration) error {
	if _, err := stream.Named(list); err != nil {
		return err
	}
	if span == 0 {
		span = streamed
	}
	source := fmt.Sprintf("plan: %s\nabout: Writes without pause, to tell which streams are carried.\nsteps:\n"+
		"  - sustain: {operation: write, access: sequential, block: 1MiB, depth: 8, for: %s}\n",
		"streams-"+strings.TrimSuffix(filepath.Base(list), ".yaml"), span)
	made, err := plan.Parse("streams", []byte(source))
	m.Plan = made
	return err
}

// loads are those that the measurement runs.
func (m *Measurement) loads() []load.Load {
	var loads []load.Load
	for _, pass := range m.Plan.Passes(m.Hold) {
		loads = append(loads, pass.Load.Identity())
	}
	return loads
}
