// Package run is the runner: it takes a plan, a target and the sensors beside it, and makes a session,
// telling a watcher how far it is.
//
// A run belongs to the goroutine that calls [Run]; one target takes one run at a time. Watchers of links and
// stalls report from goroutines of their own.
package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/event"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/clock"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Lengths that a sample may have, and the one where nobody asks for another.
const (
	SampleLength   = time.Second
	ShortestSample = 10 * time.Millisecond
	LongestSample  = 10 * time.Minute
)

// Keeper keeps a session while it runs. The last state that it was given remains when the program dies.
type Keeper interface {
	Begin(*session.Session) error
	AddPass(id string, pass session.Pass) error
	Finish(*session.Session) error
	// Discard forgets a session that was begun and measured nothing.
	Discard(id string) error
}

// Request is a plan, its target, and the facts known beforehand.
type Request struct {
	ID   string
	Name string
	Plan plan.Plan
	Hold time.Duration // for passes without a time of their own
	// Sample is the length of a sample; 0 is SampleLength.
	Sample time.Duration
	// StallAfter is how long an operation may be under way before that is an
	// event, and ReturnWithin how long a device that vanished is waited for.
	StallAfter   time.Duration
	ReturnWithin time.Duration
	// Verify stamps everything that is written and checks it when it is read,
	// and reads all of it back at the end.
	Verify bool
	Target target.Target
	// Others are the targets that the plan contends with, and Together makes
	// those that are simulated keep their clocks together; it may be nil.
	Others   []Other
	Together func([]target.Target) []target.Target
	Sensors  sensor.Set
	// Links looks at the links of the chain; it may be nil.
	Links       Links
	Chain       link.Chain
	Parts       []book.Part // of the chain, from the bench book
	Conditions  map[string]string
	Environment host.Environment
	// Follow looks on while passes are recorded; it may be nil.
	Follow Follower
	// Gate lets passes begin at the same moment as on other hosts; it may be nil.
	Gate Gate
	// Visit says for which review it runs; it may be nil.
	Visit *session.Visit
}

// Follower looks on while a pass is recorded, and says how it comes to be. Its methods
// are called between operations and have to return at once, where the clock does not
// stand still for them.
type Follower interface {
	// Begin starts on a pass, of which only the request is known.
	Begin(s *session.Session, p session.Pass)
	// Sample takes the next sample of the pass.
	Sample(sample session.Sample)
	// Says returns the present explanation, or nothing, and how likely the settled cause is, from 0 to 1.
	Says() (text string, settled float64)
}

// Links looks at the links of a chain while it is measured.
type Links interface {
	// Reading gives their states and counters now.
	Reading() link.Reading
	// Start reports events of the links, from another goroutine, until the returned function is called.
	Start(tell func(kind, detail string)) (stop func())
}

// Gate holds passes until all hosts can begin.
type Gate interface {
	// Enter waits until the pass of an index is to begin, and returns remarks for the session.
	Enter(ctx context.Context, pass int) (notes []string, err error)
	// Together returns the record of the meeting.
	Together() *session.Together
}

// ReadOnlyError says that a plan writes to a target that must not be written.
type ReadOnlyError struct {
	Plan, Address string
	Kind          target.Medium
}

func (e *ReadOnlyError) Error() string {
	if e.Kind == target.Volume {
		return fmt.Sprintf("the plan %s writes, and %s is a volume, which is only read unless --overwrite names "+
			"its export; use --plan quick-read, or add --overwrite", e.Plan, e.Address)
	}
	if e.Kind == target.Device {
		return fmt.Sprintf("the plan %s writes, and %s is a device, which is only read unless --overwrite names "+
			"it; use --plan quick-read, or add --overwrite", e.Plan, e.Address)
	}
	return fmt.Sprintf("the plan %s writes, and %s is an existing file, which is only ever read; use --plan "+
		"quick-read, or name a folder", e.Plan, e.Address)
}

// Check says whether the plan can be run on the target.
func (r Request) Check() error {
	d := r.Target.Description()
	if r.Plan.Writes() && !d.Writable {
		return &ReadOnlyError{Plan: r.Plan.Name, Address: d.Address, Kind: d.Kind}
	}
	if err := r.checkVerify(); err != nil {
		return err
	}
	if err := r.checkRate(); err != nil {
		return err
	}
	return r.Plan.CheckSpan(d.Span, d.SmallestBlock)
}

// stepsApart is how many steps of the clock arrivals have to be apart at the least.
const stepsApart = 10

// checkRate says whether this machine's clock can keep the rates of the plan.
func (r Request) checkRate() error {
	if r.Target.Description().Kind == target.Simulated {
		return nil
	}
	for _, pass := range r.everyPass() {
		if !pass.Scheduled() {
			continue
		}
		step := clock.Step()
		apart := unit.Duration(float64(pass.Workers) / pass.Rate)
		if apart < stepsApart*step {
			return fmt.Errorf("%s: a rate of %.0f operations a second asks each worker for one every %s, and this "+
				"machine's clock moves in steps of %s; use a lower --rate, or more --workers",
				pass.Label(), pass.Rate, unit.Latency(apart.Seconds()), unit.Latency(step.Seconds()))
		}
	}
	return nil
}

// Run runs the request and keeps the session as it grows. A run that the context stops gives a session that
// is interrupted, and no error. A run that fails returns its session so far, marked as failed, with the
// error. The target is not closed.
func Run(ctx context.Context, request Request, keeper Keeper, watch func(Progress)) (*session.Session, error) {
	if err := request.Check(); err != nil {
		return nil, err
	}
	r := newRunner(request, keeper, watch)
	if err := r.holds(ctx); err != nil {
		return nil, err
	}
	if err := keeper.Begin(r.session); err != nil {
		return nil, fmt.Errorf("keeping the session: %w", err)
	}
	err := r.run(ctx)
	r.finish(ctx, err)
	if latest := r.events.latest(); err != nil && r.nothingKept() && latest != "" {
		err = fmt.Errorf("%w (%s)", err, latest)
	}
	if keeping := r.keep(); keeping != nil {
		err = errors.Join(err, fmt.Errorf("keeping the session: %w", keeping))
	}
	return r.session, err
}

// nothingKept says that there is nothing to keep.
func (r *runner) nothingKept() bool { return len(r.session.Passes)+len(r.session.Contentions) == 0 }

func (r *runner) keep() error {
	if r.nothingKept() {
		return r.keeper.Discard(r.session.ID)
	}
	return r.keeper.Finish(r.session)
}

type runner struct {
	request Request
	keeper  Keeper
	main    desk // the target that is measured
	others  []desk
	began   time.Duration // on the target's clock
	session *session.Session
	events  eventLog
	// asking is of questions to the storage beside its work.
	asking   sync.WaitGroup
	progress tracker
}

func newRunner(request Request, keeper Keeper, watch func(Progress)) *runner {
	if request.Sample == 0 {
		request.Sample = SampleLength
	}
	d := request.Target.Description()
	r := &runner{
		request: request, keeper: keeper, began: request.Target.Now(),
		main: request.newDesk(request.Target, d.Address),
		session: &session.Session{
			Format: session.Format, ID: request.ID, Name: request.Name,
			Started: time.Now().UTC().Truncate(time.Millisecond), State: session.Interrupted,
			Simulated: d.Kind == target.Simulated,
			Plan:      request.Plan, Target: describe(d), Chain: request.Chain, Parts: request.Parts,
			Instruments: request.instruments(), Conditions: request.Conditions, Environment: request.Environment,
			Review: request.Visit,
			Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
		},
	}
	if request.Gate != nil {
		r.session.Together = request.Gate.Together()
	}
	if request.Plan.Writes() && !r.session.Simulated {
		r.session.PayloadBytes = payload.Size()
	}
	for _, other := range request.Others {
		r.others = append(r.others, request.newDesk(other.Target, other.Address))
	}
	r.progress = newTracker(request.Plan, request.Hold, d, r.lookedOn(watch))
	r.progress.follow = request.Follow
	return r
}

// lookedOn adds to each report the readings beside its figures.
func (r *runner) lookedOn(watch func(Progress)) func(Progress) {
	if watch == nil {
		return nil
	}
	return func(p Progress) {
		p.Temperatures = r.request.Sensors.Temperatures()
		p.Readings = r.request.Sensors.Readings()
		p.Event = r.events.latest()
		watch(p)
	}
}

func describe(d target.Description) session.Target {
	return session.Target{
		Address: d.Address, Kind: string(d.Kind), Path: d.Path, FileSystem: d.FileSystem,
		SpanBytes: d.Span, CapacityBytes: d.Capacity, Seed: d.Seed, Flusher: d.Flusher, PartFlush: d.PartFlush,
	}
}

func (r *runner) run(ctx context.Context) error {
	if sensors, ok := r.request.Sensors.(sensor.Starter); ok {
		stop := sensors.Start(func(detail string) {
			r.events.add(r.main.Now()-r.began, event.Probe, detail)
		})
		defer stop()
	}
	if r.request.Links != nil {
		stop := r.request.Links.Start(func(kind, detail string) {
			r.events.add(r.main.Now()-r.began, kind, detail)
		})
		defer stop()
	}
	if d := r.main.Description(); d.Unfilled || r.main.ledger != nil && !r.fillsByLevels(d) {
		if err := r.fill(ctx); err != nil {
			return fmt.Errorf("filling the test file: %w", err)
		}
	}
	if err := r.program(ctx, r.request.Plan.Program(r.request.Hold)); err != nil {
		return err
	}
	for _, d := range r.desks() {
		if err := r.readBack(ctx, d); err != nil {
			return err
		}
	}
	if ctx.Err() == nil && r.nothingMeasured() {
		return errNothing
	}
	return nil
}

func (r *runner) finish(ctx context.Context, err error) {
	r.asking.Wait()
	r.recordVerdict()
	r.recordMoved()
	if r.request.Gate != nil {
		r.session.Together = r.request.Gate.Together()
	}
	r.session.Events = append(r.session.Events, r.events.events...)
	slices.SortStableFunc(r.session.Events, func(a, b session.Event) int { return cmp.Compare(a.TSeconds, b.TSeconds) })
	elapsed := r.main.Now() - r.began
	r.session.Ended = r.session.Started.Add(elapsed.Round(time.Millisecond))
	switch {
	case err != nil:
		r.session.State = session.Failed
		r.session.Failure = err.Error()
	case ctx.Err() != nil:
		r.session.State = session.Interrupted
	default:
		r.session.State = session.Complete
	}
}

// errNothing says that a run came to its end without a single figure.
var errNothing = errors.New("no operation succeeded, so nothing was measured")

// nothingMeasured reports whether there were passes, and no operation of any of them
// succeeded.
func (r *runner) nothingMeasured() bool {
	operations := int64(0)
	for i := range r.session.Passes {
		operations += r.session.Passes[i].Operations
	}
	return len(r.session.Passes) > 0 && operations == 0
}

// recordMoved puts the total of reads and writes into the session.
func (r *runner) recordMoved() {
	for _, d := range r.desks() {
		if d.moved != (engine.Moved{}) {
			r.session.Moved = append(r.session.Moved,
				session.Moved{Address: d.address, ReadBytes: d.moved.Read, WrittenBytes: d.moved.Written})
		}
	}
}

// fill writes the whole span once, so that no read meets a hole.
func (r *runner) fill(ctx context.Context) error {
	r.progress.filling(engine.Progress{})
	return r.cover(ctx, &r.main, 0, r.main.Description().Span, r.progress.filling)
}
