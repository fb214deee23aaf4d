package transfer

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/space"
	"opengauge/core/load/fileset"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Endpoint is one end of copies, with what is needed to work at it.
type Endpoint struct {
	session.End
	// Temperatures gives those of its drive now, or is nil.
	Temperatures func() map[string]unit.Celsius
	// Simulated is nil for a folder of this machine.
	Simulated Part
}

// Keeper keeps a session while it runs: the same as that of passes.
type Keeper interface {
	Begin(*session.Session) error
	Finish(*session.Session) error
	Discard(id string) error
}

// Request says what to copy.
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
	// Removing is set while what was made is being removed; it may be nil.
	Removing *atomic.Bool
	// Alone does the work of each end alone besides, after the copies.
	Alone bool
	// Rest is for how long nothing is done before each piece of work but the first, so
	// that the ends can look after themselves once what was written is freed.
	// [AsLongAsBefore] is as long as the work before it took, at most [LongestRest].
	Rest        time.Duration
	Sample      time.Duration
	Conditions  map[string]string
	Environment host.Environment
	// Visit says for which review it runs; it may be nil.
	Visit *session.Visit
}

// What a rest may be besides a time.
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

// jobs lists what a request asks for: the copies first, while nothing was written yet,
// then each end alone. Every other repeat goes backwards, so that none of the ways is
// always the one that comes later.
func (r *Request) jobs() []job {
	var once, alone, all []job
	for set := range r.Sets {
		read, written := map[int]bool{}, map[int]bool{}
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

// Step says what a run is doing now.
type Step struct {
	Number, Count int
	Label         string
	Progress
}

// Run does what a request asks for and keeps the session. What was measured before
// an error, or an interrupt, is in the session; what was made is removed, but for
// the copies where they are to be kept.
func Run(ctx context.Context, r Request, keeper Keeper, tell func(Step)) (s *session.Session, err error) {
	s = r.begin()
	if err := r.checkRoom(); err != nil {
		return s, err
	}
	if err := keeper.Begin(s); err != nil {
		return s, err
	}
	u := &underWay{Request: r, session: s, began: time.Now(), made: map[[2]int]string{},
		homes: map[int]*scratch.Folder{}, tell: tell, written: map[int]unit.Bytes{}}
	err = u.all(ctx, keeper)
	err = errors.Join(err, u.clean())
	if len(s.Copies) == 0 {
		return s, errors.Join(err, keeper.Discard(s.ID))
	}
	s.State = session.Complete
	if ctx.Err() != nil {
		s.State, err = session.Interrupted, nil
	} else if err != nil {
		s.State, s.Failure = session.Failed, err.Error()
	}
	s.Ended = s.Started.Add(u.elapsed())
	return s, errors.Join(err, keeper.Finish(s))
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
	s.Chain, s.Parts = source.Chain, source.Parts
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

// underWay is a run of a request.
type underWay struct {
	Request
	session *session.Session
	began   time.Time
	// made are the folders of sets, by end and set.
	made map[[2]int]string
	// homes are where what was made is marked, and removed with, by end.
	homes map[int]*scratch.Folder
	tell  func(Step)
	// written is how much each end was written so far.
	written map[int]unit.Bytes
}

// elapsed is the time since the run began, on the ends' clock.
func (u *underWay) elapsed() time.Duration {
	if part := u.Ends[0].Simulated; part != nil {
		now := time.Duration(0)
		for _, end := range u.Ends {
			now = max(now, end.Simulated.Now())
		}
		return now
	}
	return time.Since(u.began)
}

func (u *underWay) all(ctx context.Context, keeper Keeper) error {
	jobs := u.jobs()
	for number, each := range jobs {
		if ctx.Err() != nil {
			return nil
		}
		rested := time.Duration(0)
		if number > 0 {
			if rested = u.rest(ctx, u.restBefore()); ctx.Err() != nil {
				return nil
			}
		}
		mover, err := u.mover(ctx, each)
		if err != nil {
			return err
		}
		step := Step{Number: number + 1, Count: len(jobs), Label: u.label(each)}
		started := u.elapsed()
		made, err := mover.Do(ctx, each.work, u.Sets[each.set], Options{
			Parallel: u.Parallel, Verify: u.Verify, Sample: u.Sample, Temperatures: u.temperatures(each),
			Progress: func(p Progress) { step.Progress = p; u.tell(step) },
		})
		made.Index, made.From, made.To, made.Repeat, made.StartedSeconds = len(u.session.Copies), each.from, each.to,
			each.repeat, started.Seconds()
		made.RestedSeconds = rested.Seconds()
		if each.to >= 0 {
			made.WrittenBefore = u.written[each.to]
			u.written[each.to] += made.Bytes
		}
		if made.Bytes > 0 {
			u.session.Copies = append(u.session.Copies, made)
			u.session.Ended = u.session.Started.Add(u.elapsed())
		}
		if ctx.Err() != nil {
			return nil
		}
		if err != nil {
			return err
		}
		if err := u.cleanCopy(mover, each, number == len(jobs)-1 || !u.again(jobs[number+1:], each)); err != nil {
			return err
		}
		if err := keeper.Finish(u.session); err != nil {
			return err
		}
	}
	return nil
}

// restBefore is how long the next piece of work is to be waited with.
func (u *underWay) restBefore() time.Duration {
	if u.Rest != AsLongAsBefore || len(u.session.Copies) == 0 {
		return max(u.Rest, 0)
	}
	return min(unit.Duration(u.session.Copies[len(u.session.Copies)-1].ElapsedSeconds), LongestRest)
}

// rest frees what simulated ends hold, as removing does at folders, and waits. It says for
// how long.
func (u *underWay) rest(ctx context.Context, wanted time.Duration) time.Duration {
	for _, end := range u.Ends {
		if freed, can := end.Simulated.(target.Discarder); can && end.Simulated != nil {
			_ = freed.Discard(0) // simulated parts take it
		}
	}
	if wanted <= 0 {
		return 0
	}
	if u.Ends[0].Simulated != nil {
		u.sameTime()
		for _, end := range u.Ends {
			end.Simulated.Sleep(wanted)
		}
		return wanted
	}
	began := time.Now()
	timer := time.NewTimer(wanted)
	defer timer.Stop()
	select {
	case <-timer.C:
	case <-ctx.Done():
	}
	return time.Since(began)
}

// again says whether a copy to the same place comes later.
func (u *underWay) again(later []job, done job) bool {
	return slices.ContainsFunc(later, func(j job) bool {
		return j.work == Copying && j.to == done.to && j.set == done.set && j.from == done.from
	})
}

// label names a piece of work for people.
func (u *underWay) label(j job) string {
	set := u.Sets[j.set].Name
	switch j.work {
	case Reading:
		return fmt.Sprintf("%s: %s, source alone", set, u.Ends[j.from].Address)
	case Writing:
		return fmt.Sprintf("%s: %s, destination alone", set, u.Ends[j.to].Address)
	}
	return fmt.Sprintf("%s: %s to %s", set, u.Ends[j.from].Address, u.Ends[j.to].Address)
}

// mover prepares a piece of work, and makes its set where it is not there yet.
func (u *underWay) mover(ctx context.Context, j job) (Mover, error) {
	from, to := max(j.from, 0), max(j.to, 0)
	u.sameTime()
	if source := u.Ends[from].Simulated; source != nil {
		if j.from < 0 {
			source = u.Ends[to].Simulated
		}
		destination := u.Ends[to].Simulated
		if j.to < 0 {
			destination = source
		}
		return NewSimulated(source, destination), nil
	}
	source, destination := "", ""
	if j.from >= 0 {
		made, err := u.place(ctx, j)
		if err != nil {
			return nil, err
		}
		source = made
	}
	if j.to >= 0 {
		made, err := u.newFolder(j.to, Copies)
		if err != nil {
			return nil, err
		}
		destination = made
	}
	return NewFolders(source, destination), nil
}

// sameTime brings the clocks of simulated ends together, so that none finds a shared
// hop busy with what another did in its future.
func (u *underWay) sameTime() {
	for _, end := range u.Ends {
		if end.Simulated != nil {
			end.Simulated.Sleep(u.elapsed() - end.Simulated.Now())
		}
	}
}

// What is made has these in its names.
const (
	Sets   = "set"
	Copies = "copy"
)

// newFolder gives the path of a folder that is made at an end and removed again.
func (u *underWay) newFolder(end int, of string) (string, error) {
	if u.homes[end] == nil {
		home, err := scratch.In(u.Ends[end].Path)
		if err != nil {
			return "", fmt.Errorf("nothing can be made in %s: %w", u.Ends[end].Address, err)
		}
		u.homes[end] = home
	}
	return u.homes[end].Name(of)
}

// place gives the folder that a set is in at a source.
func (u *underWay) place(ctx context.Context, j job) (string, error) {
	if u.Own != "" {
		if info, err := os.Stat(u.Own); err == nil && !info.IsDir() {
			return filepath.Dir(u.Own), nil
		}
		return u.Own, nil
	}
	key := [2]int{j.from, j.set}
	if made, ok := u.made[key]; ok {
		return made, nil
	}
	folder, err := u.newFolder(j.from, Sets)
	if err != nil {
		return "", err
	}
	u.made[key] = folder
	set := u.Sets[j.set]
	step := Step{Label: fmt.Sprintf("making the set %s in %s", set.Name, u.Ends[j.from].Address),
		Progress: Progress{Total: set.Bytes()}}
	return folder, Make(ctx, folder, set, func(done unit.Bytes) { step.Bytes = done; u.tell(step) })
}

// temperatures gives those of both ends, each sensor with its end's role.
func (u *underWay) temperatures(j job) func() map[string]unit.Celsius {
	return func() map[string]unit.Celsius {
		all := map[string]unit.Celsius{}
		for role, end := range map[string]int{"source": j.from, "destination": j.to} {
			if end < 0 || u.Ends[end].Temperatures == nil {
				continue
			}
			for name, value := range u.Ends[end].Temperatures() {
				all[role+" "+name] = value
			}
		}
		return all
	}
}

// cleanCopy removes what a piece of work made, but for the last copy of each way
// where copies are kept.
func (u *underWay) cleanCopy(mover Mover, j job, last bool) error {
	folders, real := mover.(*Folders)
	if !real || j.to < 0 {
		return nil
	}
	if !u.Keep || j.work != Copying || !last {
		return folders.Clean()
	}
	if err := u.homes[j.to].Give(folders.Made, KeptName(folders.Made)); err != nil {
		return fmt.Errorf("the copy could not get the name under which it is kept: %w", err)
	}
	return nil
}

// KeptName is what a copy is called that is kept.
func KeptName(made string) string { return strings.TrimSuffix(made, filepath.Ext(made)) }

// clean removes everything that was made and is not kept.
func (u *underWay) clean() error {
	if u.Removing != nil {
		u.Removing.Store(true)
		defer u.Removing.Store(false)
	}
	var failed error
	for _, home := range u.homes {
		failed = errors.Join(failed, home.Close())
	}
	return failed
}
