package transfer

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Step is the progress of a run.
type Step struct {
	Number, Count int
	Label         string
	Progress
}

// Run does the work of a request and keeps the session. Everything measured before an error, or an interrupt,
// is in the session; copies are removed, unless they are to be kept.
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
		s.State = session.Interrupted
		err = nil
	} else if err != nil {
		s.State = session.Failed
		s.Failure = err.Error()
	}
	s.Ended = s.Started.Add(u.sinceStart())
	return s, errors.Join(err, keeper.Finish(s))
}

// underWay is a run of a request.
type underWay struct {
	Request
	session *session.Session
	began   time.Time
	// made are the folders of sets, by end and set.
	made map[[2]int]string
	// homes are the folders, by end, in which copies are marked, and removed with.
	homes map[int]*scratch.Folder
	tell  func(Step)
	// written is how much each end was written so far.
	written map[int]unit.Bytes
}

// sinceStart is the time since the run began, on the ends' clock.
func (u *underWay) sinceStart() time.Duration {
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
		started := u.sinceStart()
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
			u.session.Ended = u.session.Started.Add(u.sinceStart())
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

// rest frees the data of simulated ends, as removing does at folders, and waits. It returns for how long.
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
	from := max(j.from, 0)
	to := max(j.to, 0)
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
	source := ""
	destination := ""
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

// temperatures returns a function of the temperatures of both ends, each sensor with its end's role.
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

// sameTime brings the clocks of simulated ends together, so that none finds a shared hop busy with the work
// of another in its future.
func (u *underWay) sameTime() {
	for _, end := range u.Ends {
		if end.Simulated != nil {
			end.Simulated.Sleep(u.sinceStart() - end.Simulated.Now())
		}
	}
}
