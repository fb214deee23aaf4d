package answer

import (
	"fmt"
	"slices"

	"opengauge/core/judge/outcome"
	"opengauge/core/judge/stream"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/reading"
	"opengauge/core/unit"
)

// Must is something that an option has to do, and whether it does.
type Must struct {
	Must string `json:"must"`
	Met  Met    `json:"met"`
	Why  string `json:"why"`
}

// Met is whether something is so.
type Met string

// What is known.
const (
	Yes      Met = "yes"
	No       Met = "no"
	NotKnown Met = "not known"
)

// must is a kind of what may be asked: what it is called where it is asked, and whether an
// option does it, by its visits.
type must struct {
	asked func(r *review.Review) string
	judge func(r *review.Review, o *option, visits []*reading.Visit) (Met, string)
	// before says that it is known before anything is measured.
	before bool
}

var musts = []must{
	{before: true, asked: func(r *review.Review) string {
		if most := r.PriceMost(); most > 0 {
			return fmt.Sprintf("cost at most %s", unit.Price(most))
		}
		return ""
	}, judge: judgePrice},
	{before: true, asked: func(r *review.Review) string {
		if least := r.Decide.Must.Capacity; least > 0 {
			return "hold " + least.Decimal() + " at least"
		}
		return ""
	}, judge: judgeCapacity},
	{asked: func(r *review.Review) string {
		if r.Decide.Must.Carries == "" {
			return ""
		}
		return "carry the streams " + r.Decide.Must.Carries
	}, judge: judgeStreams},
	{asked: func(r *review.Review) string {
		if r.Decide.Must.NoDropout {
			return "not drop out"
		}
		return ""
	}, judge: judgeDropout},
	{asked: func(r *review.Review) string {
		if most := r.Decide.Must.Warmest; most > 0 {
			return "stay at or below " + most.String()
		}
		return ""
	}, judge: judgeWarmest},
}

// mustsOf says of an option what it has to do and does. Without visits only what is known
// before is said.
func mustsOf(r *review.Review, o *option, visits []*reading.Visit) []Must {
	list := []Must{}
	for _, m := range musts {
		asked := m.asked(r)
		if asked == "" {
			continue
		}
		met, why := NotKnown, "nothing of it was measured yet"
		if m.before || len(visits) > 0 {
			met, why = m.judge(r, o, visits)
		}
		list = append(list, Must{asked, met, why})
	}
	return list
}

// fails gives the first must that is not met.
func fails(list []Must) (Must, bool) {
	at := slices.IndexFunc(list, func(m Must) bool { return m.Met == No })
	if at < 0 {
		return Must{}, false
	}
	return list[at], true
}

func allMet(list []Must) bool {
	return !slices.ContainsFunc(list, func(m Must) bool { return m.Met != Yes })
}

func judgePrice(r *review.Review, o *option, _ []*reading.Visit) (Met, string) {
	why := fmt.Sprintf("it costs %s", unit.Price(o.price()))
	if o.price() > r.PriceMost() {
		return No, why
	}
	return Yes, why
}

func judgeCapacity(r *review.Review, o *option, _ []*reading.Visit) (Met, string) {
	for i := range o.cells {
		capacity := o.cells[i].Capacity()
		switch {
		case capacity == 0:
			return NotKnown, "the bench book does not say what it holds"
		case capacity < r.Decide.Must.Capacity:
			return No, "it holds " + capacity.Decimal()
		}
	}
	return Yes, "the bench book says so"
}

// eachSession asks every session of the visits until one says no.
func eachSession(visits []*reading.Visit, ask func(*session.Session) (Met, string)) (Met, string) {
	met, why := NotKnown, "nothing of it was measured"
	for _, v := range visits {
		for _, s := range v.Sessions {
			one, says := ask(s)
			switch one {
			case No:
				return No, says
			case Yes:
				met, why = Yes, says
			}
		}
	}
	return met, why
}

func judgeStreams(r *review.Review, _ *option, visits []*reading.Visit) (Met, string) {
	streams, err := stream.Named(r.Decide.Must.List)
	if err != nil {
		return NotKnown, err.Error()
	}
	return eachSession(visits, func(s *session.Session) (Met, string) {
		answers, err := stream.Answers(s, s.Findings, streams)
		if err != nil {
			return NotKnown, err.Error()
		}
		met, why := NotKnown, "no long write of large blocks was measured"
		for i := range answers {
			side := answers[i].Writing
			switch {
			case side == nil:
				return NotKnown, why
			case !side.Carried:
				return No, fmt.Sprintf("does not carry %s after %s", answers[i].Stream.Name,
					unit.Span(unit.Duration(side.UntilSeconds)))
			}
			met, why = Yes, fmt.Sprintf("for the %s that were recorded", unit.Span(unit.Duration(side.Seconds)))
		}
		return met, why
	})
}

func judgeDropout(_ *review.Review, _ *option, visits []*reading.Visit) (Met, string) {
	return eachSession(visits, func(s *session.Session) (Met, string) {
		o := outcome.Of(s, s.Findings)
		if o.Dropouts > 0 {
			return No, fmt.Sprintf("it dropped out in %s", s.DisplayName())
		}
		return Yes, "none was seen"
	})
}

func judgeWarmest(r *review.Review, _ *option, visits []*reading.Visit) (Met, string) {
	warmest := unit.Coldest
	met, why := eachSession(visits, func(s *session.Session) (Met, string) {
		o := outcome.Of(s, s.Findings)
		switch {
		case o.Warmest == nil:
			return NotKnown, ""
		case o.Warmest.Value > r.Decide.Must.Warmest:
			return No, "it reached " + o.Warmest.Value.String()
		}
		warmest = max(warmest, o.Warmest.Value)
		return Yes, "at most " + warmest.String() + " was seen"
	})
	if met == NotKnown {
		why = "no temperature was recorded"
	}
	return met, why
}
