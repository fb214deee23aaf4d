package finding

import (
	"cmp"
	"fmt"
	"slices"

	"opengauge/core/plan"
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
func arrivalsHeld(s *session.Session) []session.Finding {
	scheduled := func(p *session.Pass) bool { return p.RatePerSecond > 0 }
	for _, group := range groupedOf(s, scheduled, func(p *plan.Pass) { p.Rate = 0 }) {
		var kept, held []*session.Pass
		for _, pass := range group {
			if pass.IOPS >= keptUp*pass.RatePerSecond {
				kept = append(kept, pass)
			} else {
				held = append(held, pass)
			}
		}
		if f, is := lineBefore(s, kept, held); is {
			return []session.Finding{f}
		}
	}
	return nil
}

// lineBefore says whether what did not keep up stood in line before a limit.
func lineBefore(s *session.Session, kept, held []*session.Pass) (session.Finding, bool) {
	if len(kept) == 0 || len(held) < 2 {
		return session.Finding{}, false
	}
	fastest := greatest(held, operations.of)
	for _, pass := range held {
		if pass.IOPS < fastest.IOPS*(1-alikeLimit) {
			return session.Finding{}, false
		}
	}
	byRate := func(a, b *session.Pass) int { return cmp.Compare(a.RatePerSecond, b.RatePerSecond) }
	slices.SortStableFunc(kept, byRate)
	slices.SortStableFunc(held, byRate)
	least, most, first, last := kept[0], kept[len(kept)-1], held[0], held[len(held)-1]
	if most.RatePerSecond < halfway*fastest.IOPS || most.Latency.P50 > flat*least.Latency.P50 {
		return session.Finding{}, false
	}
	whose := operations.whose(s, fastest.IOPS)
	f := session.Finding{
		Kind: "cap-bound", Severity: session.Note, Confidence: 0.9, Passes: indexesOf(held), ToSeconds: fastest.ElapsedSeconds,
		Summary: fmt.Sprintf("A limit holds it: %s, whether %s or %s arrive a second%s. Below it latency stays flat, %s at %s a second, so the device is not slow: past it, operations stand in line, %s at %s a second and longer the longer it lasts.",
			operations.text(fastest.IOPS), unit.Grouped(int64(first.RatePerSecond)), unit.Grouped(int64(last.RatePerSecond)), whoseText(whose),
			unit.Latency(most.Latency.P50), unit.Grouped(int64(most.RatePerSecond)), unit.Latency(first.Latency.P50), unit.Grouped(int64(first.RatePerSecond))),
		Evidence: map[string]any{
			"limit": operations.name, "whose": whose, "limit_iops": fastest.IOPS, "alone_seconds": least.Latency.P50, "below_the_limit_seconds": most.Latency.P50, "queue_seconds": first.Latency.P50,
		},
		Advice: "Send less than the limit, or buy more of it: less waits, and no device is faster for it. One block size does not tell whether it counts operations or bytes: measure larger blocks too.",
	}
	if whose == "" {
		f.Confidence = 0.7
		f.Advice += " Describe the volume in the bench book (--through), so that it can be told whose limit it is."
	}
	return f, true
}
