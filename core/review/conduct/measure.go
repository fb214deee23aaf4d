package conduct

import (
	"context"
	"errors"
	"fmt"

	"opengauge/core/bench/host"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/load/fileset"
	"opengauge/core/measure/run"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/storage/address"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Keeping returns a keeper for a session while it is measured, and a function that ends it.
type Keeping func() (keeper run.Keeper, end func() error, err error)

// Watch is told of the progress of passes and of copies; each may be nil.
type Watch struct {
	Pass func(run.Progress)
	Copy func(transfer.Step)
}

// work is one measurement of a visit.
type work struct {
	measurement *review.Measurement
	mark        session.Visit
	keep        Keeping
	watch       Watch
	// several says that a visit has more than one.
	several bool
	// environment is of the machine that copies.
	environment host.Environment
}

// name is the session's name: the review, the cell and the visit, and the measurement and its turn where
// there are several. It is empty where that is no name.
func (w work) name() string {
	name := fmt.Sprintf("%s/%s/%d", w.mark.Name, w.mark.Cell, w.mark.Visit)
	if w.several {
		name += "/" + w.mark.Measurement
	}
	if w.measurement.Times > 1 {
		name += fmt.Sprintf("/%d", w.mark.Turn)
	}
	if session.CheckName(name) != nil {
		return ""
	}
	return name
}

// run runs a plan on opened storage, and keeps the session.
func (w work) run(ctx context.Context, on address.Opened) (s *session.Session, err error) {
	m := w.measurement
	request := run.Request{
		ID: session.NewID(), Name: w.name(), Plan: m.Plan, Hold: m.Hold, Target: on.Target, Sensors: on.Sensors,
		Parts: on.Parts, Chain: on.Chain, Conditions: on.Conditions, Environment: on.Environment, Visit: &w.mark,
		StallAfter: run.StallAfter, ReturnWithin: run.ReturnWithin,
	}
	if w.watch.Pass != nil || m.Plan.UntilExplained() {
		request.Follow = &explain.Follow{Beside: on.Target.Description().Kind != target.Simulated}
	}
	if on.Links != nil {
		request.Links = on.Links
	}
	if err := request.Check(); err != nil {
		return nil, err
	}
	keeper, end, err := w.keep()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, end()) }()
	s, err = run.Run(ctx, request, keeper, w.watch.Pass)
	return keepSession(s, err, keeper)
}

// copy copies a file set between a cell's own storage and another end.
func (w work) copy(ctx context.Context, own, other transfer.Endpoint, conditions map[string]string) (s *session.Session,
	err error) {
	m := w.measurement
	set, err := fileset.New(m.Copy, m.Size, 1)
	if err != nil {
		return nil, err
	}
	request := transfer.Request{
		ID: session.NewID(), Name: w.name(), Ends: []transfer.Endpoint{other, own}, Pairs: [][2]int{{0, 1}},
		Sets:   []fileset.Set{set},
		Repeat: 1, Parallel: 1, Alone: true, Rest: transfer.AsLongAsBefore, Sample: run.SampleLength,
		Conditions: conditions, Environment: w.environment, Visit: &w.mark,
	}
	if m.Out {
		request.Ends = []transfer.Endpoint{own, other}
	}
	keeper, end, err := w.keep()
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, end()) }()
	tell := w.watch.Copy
	if tell == nil {
		tell = func(transfer.Step) {}
	}
	s, err = transfer.Run(ctx, request, keeper, tell)
	return keepSession(s, err, keeper)
}

// keepSession judges a session and keeps it. A storage that failed is no error of the review.
func keepSession(s *session.Session, err error, keeper run.Keeper) (*session.Session, error) {
	if s == nil || len(s.Passes)+len(s.Copies)+len(s.Contentions) == 0 {
		return nil, err
	}
	s.Findings = finding.Detect(s, unit.Decimal)
	if finishing := keeper.Finish(s); finishing != nil {
		return s, errors.Join(err, finishing)
	}
	if err != nil && s.State == session.Failed {
		err = Failed{err}
	}
	return s, err
}
