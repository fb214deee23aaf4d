// Package run is the runner: it takes a plan, a target and the sensors beside
// it, and makes a session, telling a watcher how far it is.
package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/bench/sensor"
	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Lengths that a sample may have, and the one where nobody asks for another.
const (
	SampleLength   = time.Second
	ShortestSample = 10 * time.Millisecond
	LongestSample  = 10 * time.Minute
)

// Keeper keeps a session while it runs. What it was given last is what remains
// when the program dies.
type Keeper interface {
	Begin(*session.Session) error
	AddPass(id string, pass session.Pass) error
	Finish(*session.Session) error
	// Discard forgets a session that was begun and measured nothing.
	Discard(id string) error
}

// Request says what to run, and what is known about it beforehand.
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
	Environment session.Environment
}

// Links is what looks at the links of a chain while it is measured.
type Links interface {
	// Reading gives their states and counters now.
	Reading() session.LinkReading
	// Start tells what happens to them, from another goroutine, until the
	// returned function is called.
	Start(tell func(kind, detail string)) (stop func())
}

// starter is a set of sensors that has to be started, and tells of those that
// fail.
type starter interface {
	Start(tell func(detail string)) (stop func())
}

// ReadOnlyError says that a plan writes to a target that must not be written.
type ReadOnlyError struct {
	Plan, Address string
	Kind          target.Kind
}

func (e *ReadOnlyError) Error() string {
	if e.Kind == target.Volume {
		return fmt.Sprintf("the plan %s writes, and %s is a volume, which is only read unless --overwrite names its export; use --plan quick-read, or add --overwrite", e.Plan, e.Address)
	}
	if e.Kind == target.Device {
		return fmt.Sprintf("the plan %s writes, and %s is a device, which is only read unless --overwrite names it; use --plan quick-read, or add --overwrite", e.Plan, e.Address)
	}
	return fmt.Sprintf("the plan %s writes, and %s is an existing file, which is only ever read; use --plan quick-read, or name a folder", e.Plan, e.Address)
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
	return r.Plan.CheckSpan(d.Span, d.SmallestBlock)
}

// Run runs the request and keeps the session as it grows. A run that the
// context stops gives a session that is interrupted, and no error. A run that
// fails gives what it has, marked as failed, with the error. The target is not
// closed.
func Run(ctx context.Context, request Request, keeper Keeper, watch func(Progress)) (*session.Session, error) {
	if err := request.Check(); err != nil {
		return nil, err
	}
	r := newRunner(request, keeper, watch)
	if err := keeper.Begin(r.session); err != nil {
		return nil, fmt.Errorf("keeping the session: %w", err)
	}
	err := r.run(ctx)
	r.finish(ctx, err)
	if keeping := r.keep(); keeping != nil {
		err = errors.Join(err, fmt.Errorf("keeping the session: %w", keeping))
	}
	return r.session, err
}

func (r *runner) keep() error {
	if len(r.session.Passes)+len(r.session.Contentions) == 0 {
		return r.keeper.Discard(r.session.ID)
	}
	return r.keeper.Finish(r.session)
}

type runner struct {
	request Request
	keeper  Keeper
	target  target.Target
	began   time.Duration // on the target's clock
	session *session.Session
	events  eventLog
	ledger  *engine.Ledger // or nil
	// filling says that a step fills the target, and filledTo how far a device
	// was written for that.
	filling  bool
	filledTo unit.Bytes
	progress tracker
}

func newRunner(request Request, keeper Keeper, watch func(Progress)) *runner {
	if request.Sample == 0 {
		request.Sample = SampleLength
	}
	d := request.Target.Description()
	passes := request.Plan.Passes(request.Hold)
	r := &runner{
		request: request, keeper: keeper, target: request.Target,
		began: request.Target.Now(),

		ledger: request.newLedger(),
		session: &session.Session{
			Format: session.Format, ID: request.ID, Name: request.Name,
			Started: time.Now().UTC().Truncate(time.Millisecond), State: session.Interrupted,
			Simulated: d.Kind == target.Simulated,
			Plan:      request.Plan, Target: describe(d), Chain: request.Chain, Parts: request.Parts,
			Conditions: request.Conditions, Environment: request.Environment,
			Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
		},
	}
	r.progress = newTracker(passes, request.Plan.Estimate(request.Hold).Passes, d, r.lookedOn(watch))
	return r
}

// lookedOn adds to each report what stands beside its figures.
func (r *runner) lookedOn(watch func(Progress)) func(Progress) {
	if watch == nil {
		return nil
	}
	return func(p Progress) {
		p.Temperatures, p.Readings = r.request.Sensors.Temperatures(), r.request.Sensors.Readings()
		p.Event = r.events.latest()
		watch(p)
	}
}

func describe(d target.Description) session.Target {
	return session.Target{
		Address: d.Address, Kind: string(d.Kind), Path: d.Path, FileSystem: d.FileSystem,
		SpanBytes: d.Span, CapacityBytes: d.Capacity, Seed: d.Seed,
	}
}

func (r *runner) run(ctx context.Context) error {
	if sensors, can := r.request.Sensors.(starter); can {
		stop := sensors.Start(func(detail string) {
			r.events.add(r.target.Now()-r.began, session.EventProbe, detail)
		})
		defer stop()
	}
	if r.request.Links != nil {
		stop := r.request.Links.Start(func(kind, detail string) {
			r.events.add(r.target.Now()-r.began, kind, detail)
		})
		defer stop()
	}
	if r.target.Description().Unfilled || r.ledger != nil {
		if err := r.fill(ctx); err != nil {
			return fmt.Errorf("filling the test file: %w", err)
		}
	}
	if err := r.program(ctx, r.request.Plan.Program(r.request.Hold)); err != nil {
		return err
	}
	if err := r.readBack(ctx); err != nil {
		return fmt.Errorf("reading back: %w", err)
	}
	return nil
}

// each runs passes one after the other.
func (r *runner) each(ctx context.Context, passes []plan.Pass) error {
	for _, pass := range passes {
		if _, err := r.attempt(ctx, pass); err != nil {
			return err
		}
	}
	return nil
}

// attempt runs a pass, if the run is not stopped, and outlasts a device that
// vanishes in it. It gives the pass as it was recorded, or nil.
func (r *runner) attempt(ctx context.Context, pass plan.Pass) (*session.Pass, error) {
	if ctx.Err() != nil {
		return nil, nil
	}
	record, err := r.measure(ctx, pass)
	if err != nil {
		err = r.outlast(ctx, err)
	}
	if err != nil {
		return record, fmt.Errorf("pass %d (%s): %w", pass.Index+1, pass.Label(), err)
	}
	return record, nil
}

func (r *runner) finish(ctx context.Context, err error) {
	r.recordVerdict()
	r.session.Events = append(r.session.Events, r.events.events...)
	slices.SortStableFunc(r.session.Events, func(a, b session.Event) int { return cmp.Compare(a.TSeconds, b.TSeconds) })
	elapsed := r.target.Now() - r.began
	r.session.Ended = r.session.Started.Add(elapsed.Round(time.Millisecond))
	switch {
	case err != nil:
		r.session.State, r.session.Failure = session.Failed, err.Error()
	case ctx.Err() != nil:
		r.session.State = session.Interrupted
	default:
		r.session.State = session.Complete
	}
}

// fillBlock and fillDepth are how a test file is filled: large blocks, enough
// of them under way to keep any device busy.
const (
	fillBlock = unit.MiB
	fillDepth = 8
)

// fill writes the whole span once, so that no read meets a hole.
func (r *runner) fill(ctx context.Context) error {
	r.progress.filling(engine.Progress{})
	d := r.target.Description()
	block := min(fillBlock, d.Span&-d.Span) // a power of two that divides the span
	load := engine.Load{WriteShare: 1, Block: block, Depth: fillDepth, Span: d.Span, Ledger: r.ledger, Seed: newSeed(r.session, -1)}
	if r.ledger != nil {
		r.ledger.Begin()
	}
	timing := engine.Timing{Bytes: d.Span, Sample: SampleLength}
	guard, end := r.guarded(ctx, true)
	defer end()
	result, err := engine.Run(guard, r.target, load, timing, engine.Watch{Progress: r.progress.filling})
	err = errors.Join(err, outOfRoom(ctx, guard))
	if err == nil && result.FirstError != nil {
		err = result.FirstError
	}
	return target.Explain(err)
}

func (r *runner) measure(ctx context.Context, p plan.Pass) (*session.Pass, error) {
	r.progress.begin(p)
	d := r.target.Description()
	span := d.Span
	if p.Span > 0 {
		span = min(p.Span, span)
	}
	if p.Filled {
		span = r.filledSpan(p, span)
	}
	load := engine.Load{
		WriteShare: p.WriteShare, Random: p.Access == plan.Random, Block: p.Block, Depth: p.Depth, Workers: p.Workers,
		Span: span, Ledger: r.ledger, CompressibleShare: p.CompressibleShare, Rate: p.Rate, Durable: p.Durable, Seed: newSeed(r.session, p.Index),
	}
	if r.ledger != nil {
		r.ledger.Begin()
	}
	timing := engine.Timing{Settle: p.Settle(), Hold: p.Hold, Bytes: bytesOf(p, span), Within: p.Within, Round: p.Round, Sample: r.request.Sample, Stall: r.request.StallAfter}
	watch := engine.Watch{Progress: r.progress.measuring, Sense: r.sense, Stall: r.stall}

	before := r.readLinks()
	guard, end := r.guarded(ctx, p.Operation.Writes())
	defer end()
	result, err := engine.Run(guard, r.target, load, timing, watch)
	err = errors.Join(err, outOfRoom(ctx, guard))
	var record *session.Pass
	if result.Operations > 0 || result.Errors > 0 {
		made := passRecord(p, d, result, r.began)
		if before != nil {
			made.Link = &session.LinkRecord{Before: *before, After: *r.readLinks()}
		}
		record = &made
		r.session.Passes = append(r.session.Passes, made)
		if keeping := r.keeper.AddPass(r.session.ID, made); keeping != nil {
			err = errors.Join(err, fmt.Errorf("keeping the pass: %w", keeping))
		}
		r.progress.end(made)
	}
	if result.FirstError != nil && (err != nil || result.Operations == 0) {
		err = errors.Join(result.FirstError, err)
	}
	return record, target.Explain(err)
}

// sense reads what stands beside a sample.
func (r *runner) sense() engine.Senses {
	return engine.Senses{Temperatures: r.request.Sensors.Temperatures(), Readings: r.request.Sensors.Readings()}
}

// readLinks gives the links' states and counters, or nil where nobody looks.
func (r *runner) readLinks() *session.LinkReading {
	if r.request.Links == nil {
		return nil
	}
	reading := r.request.Links.Reading()
	return &reading
}

// newSeed gives each pass its own offsets and data: the same for the same seed
// of a simulated part, different on every real run.
func newSeed(s *session.Session, index int) uint64 {
	seed := s.Target.Seed
	if !s.Simulated {
		for _, letter := range []byte(s.ID) {
			seed = seed*31 + uint64(letter)
		}
	}
	return seed*0x9e3779b97f4a7c15 + uint64(index+2)
}
