package transfer

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"sync/atomic"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/space"
	"opengauge/core/load/fileset"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Endpoint is one end of copies, with everything needed to work at it.
type Endpoint struct {
	session.End
	// Temperatures returns the temperatures of its drive now, or is nil.
	Temperatures func() map[string]unit.Celsius
	// Simulated is nil for a folder of this machine.
	Simulated Part
}

// Keeper keeps a session while it runs, as the keeper of passes does.
type Keeper interface {
	Begin(*session.Session) error
	Finish(*session.Session) error
	Discard(id string) error
}

// Request describes the copies to make.
type Request struct {
	ID, Name string
	Ends     []Endpoint
	// Pairs are the numbers of source and destination of each way.
	Pairs [][2]int
	Sets  []fileset.Set
	// Own is the folder or file of the user's that is copied as it is, or empty
	// where sets are made.
	Own              string
	Repeat, Parallel int
	Verify, Keep     bool
	// Removing is set while copies are being removed; it may be nil.
	Removing *atomic.Bool
	// Alone does the work of each end alone besides, after the copies.
	Alone bool
	// Rest is the pause before each piece of work but the first, so that the ends can look after themselves
	// once written data are freed. [AsLongAsBefore] is as long as the work before it took, at most
	// [LongestRest].
	Rest        time.Duration
	Sample      time.Duration
	Conditions  map[string]string
	Environment host.Environment
	// Visit says for which review it runs; it may be nil.
	Visit *session.Visit
}

// Values of a rest that are no time.
const (
	AsLongAsBefore time.Duration = -1
	LongestRest                  = time.Minute
)

// job is a piece of work to be done.
type job struct {
	work     Work
	from, to int // or -1
	set      int
	repeat   int
}

// jobs lists the work of a request: the copies first, while nothing was written yet, then each end alone.
// Every other repeat goes backwards, so that none of the ways is always the one that comes later.
func (r *Request) jobs() []job {
	var once, alone, all []job
	for set := range r.Sets {
		read := map[int]bool{}
		written := map[int]bool{}
		for _, pair := range r.Pairs {
			once = append(once, job{Copying, pair[0], pair[1], set, 0})
			if r.Alone && !read[pair[0]] {
				read[pair[0]] = true
				alone = append(alone, job{Reading, pair[0], -1, set, 0})
			}
			if r.Alone && !written[pair[1]] {
				written[pair[1]] = true
				alone = append(alone, job{Writing, -1, pair[1], set, 0})
			}
		}
	}
	for repeat := range r.Repeat {
		turn := slices.Clone(once)
		if repeat%2 == 1 {
			slices.Reverse(turn)
		}
		for _, each := range turn {
			each.repeat = repeat
			all = append(all, each)
		}
	}
	return append(all, alone...)
}

func (r *Request) begin() *session.Session {
	s := &session.Session{
		Format: session.Format, ID: r.ID, Name: r.Name, Started: time.Now().UTC().Truncate(time.Millisecond),
		State: session.Interrupted,
		Plan:  plan.Plan{Name: "copy", About: "Copies of file sets, and each end alone.", Steps: []plan.Step{}},
		Chain: link.NewChain(), Conditions: maps.Clone(r.Conditions), Environment: r.Environment, Review: r.Visit,
		Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
	}
	s.Ended = s.Started
	if s.Conditions == nil {
		s.Conditions = map[string]string{}
	}
	for _, end := range r.Ends {
		s.Ends = append(s.Ends, end.End)
		s.Simulated = s.Simulated || end.Simulated != nil
	}
	source := r.Ends[r.Pairs[0][0]]
	s.Chain = source.Chain
	s.Parts = source.Parts
	s.Target = session.Target{Address: source.Address, Kind: "copy", Path: source.Path, FileSystem: source.FileSystem,
		CapacityBytes: source.CapacityBytes}
	for _, pair := range r.Pairs {
		r.noteAlike(s, r.Ends[pair[0]], r.Ends[pair[1]])
	}
	return s
}

// noteAlike says where the two ends are not apart.
func (r *Request) noteAlike(s *session.Session, from, to Endpoint) {
	note := func(text string) {
		if !slices.ContainsFunc(s.Events, func(e session.Event) bool { return e.Detail == text }) {
			s.Events = append(s.Events, session.Event{Kind: event.Copy, Detail: text})
		}
	}
	switch {
	case from.Device != "" && from.Device == to.Device:
		note(fmt.Sprintf("%s and %s are on the same device, %s: it reads and writes at once", from.Address,
			to.Address, from.Device))
	case from.Path != "" && inside(from.Path, to.Path):
		note(fmt.Sprintf("the destination %s is inside the source", to.Address))
	}
	for _, set := range r.Sets {
		for i, left := range set.Left {
			if i == 3 {
				note(fmt.Sprintf("and %d more were left out", len(set.Left)-i))
				break
			}
			note("left out: " + left)
		}
	}
}

func inside(folder, path string) bool {
	relative, err := filepath.Rel(folder, path)
	return err == nil && filepath.IsLocal(relative)
}

// reservedShare of a file system stays free.
const reservedShare = 0.05

// checkRoom refuses a set that does not fit a destination, or where it has to be
// made.
func (r *Request) checkRoom() error {
	for number, end := range r.Ends {
		if end.Simulated != nil {
			continue
		}
		usage, err := space.Of(end.Path)
		if err != nil {
			return fmt.Errorf("could not read the free space of %s: %w", end.Path, err)
		}
		needed := unit.Bytes(0)
		for _, set := range r.Sets {
			if r.Own == "" && slices.ContainsFunc(r.Pairs, func(p [2]int) bool { return p[0] == number }) {
				needed += set.Bytes()
			}
		}
		largest := unit.Bytes(0)
		for _, set := range r.Sets {
			if slices.ContainsFunc(r.Pairs, func(p [2]int) bool { return p[1] == number }) {
				largest = max(largest, set.Bytes())
			}
		}
		if needed += largest; float64(needed) > float64(usage.Free)-reservedShare*float64(usage.Total) {
			return fmt.Errorf("%s has %s free, and %s would be needed beside the %.0f %% that stay reserved; "+
				"choose a smaller --size or free some space",
				end.Path, usage.Free.Decimal(), needed.Decimal(), reservedShare*100)
		}
	}
	return nil
}
