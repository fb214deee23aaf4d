package finding

import (
	"cmp"
	"fmt"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

const (
	// keptUp is the share of the arrivals that are done where a volume keeps up.
	keptUp = 0.97
	// flat is how much longer an operation may take below a limit than at little
	// load: a device that is at its end slows down on the way there, a limit does not.
	flat = 2
	// halfway is how near to the limit it has to be seen that latency stays flat.
	halfway = 0.5
)

// arrivalsHeld finds a limit of operations by loads that arrive on a schedule: past
// the limit the same number is done whatever arrives, and the rest waits in line.
func arrivalsHeld(s *session.Session, n unit.Notation) []session.Finding {
	for _, group := range s.Alike(anyRate) {
		if !group.Key.Load.Scheduled() {
			continue
		}
		var kept, held []*session.Pass
		for _, pass := range group.Passes {
			if pass.IOPS >= keptUp*pass.Rate {
				kept = append(kept, pass)
			} else {
				held = append(held, pass)
			}
		}
		if f, ok := lineBefore(s, kept, held, n); ok {
			return []session.Finding{f}
		}
	}
	return nil
}

// anyRate lets alike passes differ in the rate of their schedule.
func anyRate(k *session.Key) {
	if k.Load.Scheduled() {
		k.Load.Rate = 1
	}
}

// lineBefore reports whether the late operations stood in line before a limit.
func lineBefore(s *session.Session, kept, held []*session.Pass, n unit.Notation) (session.Finding, bool) {
	if len(kept) == 0 || len(held) < 2 {
		return session.Finding{}, false
	}
	fastest := greatest(held, operations.of)
	for _, pass := range held {
		if pass.IOPS < fastest.IOPS*(1-alikeLimit) {
			return session.Finding{}, false
		}
	}
	byRate := func(a, b *session.Pass) int { return cmp.Compare(a.Rate, b.Rate) }
	slices.SortStableFunc(kept, byRate)
	slices.SortStableFunc(held, byRate)
	least := kept[0]
	most := kept[len(kept)-1]
	first := held[0]
	last := held[len(held)-1]
	if most.Rate < halfway*fastest.IOPS || most.Latency.P50 > flat*least.Latency.P50 {
		return session.Finding{}, false
	}
	whose := operations.whose(s, fastest.IOPS)
	confidence := 0.9
	advice := "Send less than the limit, or buy more of it: less waits, and no device is faster for it. " +
		"One block size does not tell whether it counts operations or bytes: measure larger blocks too."
	if whose == "" {
		confidence = 0.7
		advice += " Describe the volume in the bench book (--through), so that it can be told whose limit it is."
	}
	f := capBound.new(confidence, indexesOf(held), CapBoundEvidence{
		Limit: operations.name, Whose: whose, LimitIOPS: fastest.IOPS, AloneSeconds: least.Latency.P50,
		BelowTheSeconds: most.Latency.P50, QueueSeconds: first.Latency.P50,
	})
	f.ToSeconds = fastest.ElapsedSeconds
	f.Advice = advice
	aSecond := func(p *session.Pass) string { return unit.Grouped(int64(p.Rate)) }
	f.Summary = fmt.Sprintf("A limit holds it: %s, whether %s or %s arrive a second%s. Below it latency stays flat, "+
		"%s at %s a second, so the device is not slow: past it, operations stand in line, %s at %s a second "+
		"and longer the longer it lasts.",
		operations.text(n, fastest.IOPS), aSecond(first), aSecond(last), whoseText(whose),
		unit.Latency(most.Latency.P50), aSecond(most), unit.Latency(first.Latency.P50), aSecond(first))
	return f, true
}
