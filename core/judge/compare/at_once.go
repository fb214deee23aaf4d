package compare

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/record/session"
)

// AtOnce puts the sessions of a meeting together, a round after the other: what each load gave on
// as many hosts as ran it at once, and what each of them lost against its own run alone, where
// there is one. Hosts that were gone are in none of the passes that they missed. Times are
// those of the meeting's clock.
func AtOnce(id, name string, rounds [][]*session.Session) (*session.Session, error) {
	all := slices.Concat(rounds...)
	if slices.ContainsFunc(all, func(s *session.Session) bool { return s.Together == nil }) {
		return nil, errors.New("a session is of no meeting")
	}
	if len(all) == 0 {
		return nil, errors.New("no host has a session")
	}
	first := all[0]
	merged := &session.Session{
		Format: session.Format, ID: id, Name: name, State: session.Complete, Plan: first.Plan, Target: first.Target,
		Chain: first.Chain, Parts: first.Parts, Conditions: map[string]string{}, Environment: first.Environment,
		Together: &session.Together{Meeting: first.Together.Meeting, Starts: []session.Start{}},
		Started:  startOf(first), Ended: endOf(first),
		Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
	}
	for _, s := range all {
		merged.MergedFrom = append(merged.MergedFrom, s.ID)
		merged.Simulated = merged.Simulated || s.Simulated
		if startOf(s).Before(merged.Started) {
			merged.Started = startOf(s)
		}
		if endOf(s).After(merged.Ended) {
			merged.Ended = endOf(s)
		}
		if !slices.Contains(merged.Together.Hosts, s.Together.Host) {
			merged.Together.Hosts = append(merged.Together.Hosts, s.Together.Host)
		}
	}
	addRounds(merged, rounds)
	if len(merged.Contentions) == 0 {
		return nil, errors.New("no pass ran to its end on the hosts of a round")
	}
	return merged, nil
}

// Rounds sorts the sessions of a meeting into its rounds, as [AtOnce] reads them: those that were to run
// on the same hosts are of one, in that order, and each host is in it once.
func Rounds(sessions []*session.Session) [][]*session.Session {
	var rounds [][]*session.Session
	sorted := slices.Clone(sessions)
	slices.SortStableFunc(sorted, func(a, b *session.Session) int { return startOf(a).Compare(startOf(b)) })
	for _, s := range sorted {
		at := slices.IndexFunc(rounds, func(round []*session.Session) bool {
			return slices.Equal(round[0].Together.Hosts, s.Together.Hosts) &&
				!slices.ContainsFunc(round, func(other *session.Session) bool { return hostOf(other) == hostOf(s) })
		})
		if at < 0 {
			at, rounds = len(rounds), append(rounds, nil)
		}
		rounds[at] = append(rounds[at], s)
	}
	for _, round := range rounds {
		slices.SortStableFunc(round, func(a, b *session.Session) int { return cmp.Compare(seat(a), seat(b)) })
	}
	return rounds
}

// seat is where a session's host stands among those of its round.
func seat(s *session.Session) int { return slices.Index(s.Together.Hosts, s.Together.Host) }

func startOf(s *session.Session) time.Time { return s.Started.Add(s.Together.ClockOffset()) }
func endOf(s *session.Session) time.Time   { return s.Ended.Add(s.Together.ClockOffset()) }

// addRounds adds what the hosts of each round gave, and what happened.
func addRounds(merged *session.Session, rounds [][]*session.Session) {
	var alone []*session.Session
	for _, round := range rounds {
		if len(round) == 1 {
			alone = append(alone, round[0])
		}
	}
	for _, round := range rounds {
		if len(round) == 0 {
			continue
		}
		shifts := make([]time.Duration, len(round))
		for i, s := range round {
			shifts[i] = s.Together.ClockOffset()
		}
		of := hostsOf(round, shifts, merged.Started, alone)
		// The one that has measured most tells which passes there are.
		slices.SortStableFunc(of, func(a, b *host) int { return cmp.Compare(len(b.Passes), len(a.Passes)) })
		for i := range of[0].Passes {
			if met := of.at(of[0].Passes[i].Index); len(met) == len(of) || len(met) > 1 {
				merged.Contentions = append(merged.Contentions, of.contentionOf(met, len(merged.Contentions)))
			}
		}
		for _, each := range of {
			merged.Events = append(merged.Events, each.told()...)
		}
	}
	slices.SortStableFunc(merged.Events, func(a, b session.Event) int { return cmp.Compare(a.TSeconds, b.TSeconds) })
}

// at are the passes of an index that ran while the first host's did: those who began it late, or
// not at all, are not in it.
func (h hosts) at(index int) []met {
	first := h[0].PassAt(index)
	if !first.Counts() {
		return nil
	}
	from, to := h[0].span(first)
	chosen := []met{{h[0], first}}
	for _, other := range h[1:] {
		pass := other.PassAt(index)
		if pass == nil || !pass.Counts() {
			continue
		}
		begins, ends := other.span(pass)
		if min(to, ends)-max(from, begins) >= leastOverlap*(to-from) {
			chosen = append(chosen, met{other, pass})
		}
	}
	return chosen
}

// told is what happened on a host, in the merged session's time.
func (h *host) told() []session.Event {
	var events []session.Event
	for _, each := range h.Events {
		if each.Kind == event.Host {
			events = append(events, session.Event{TSeconds: h.offset + each.TSeconds, Kind: event.Host,
				Detail: h.Together.Host + ": " + each.Detail})
		}
	}
	if h.State != session.Complete {
		detail := fmt.Sprintf("%s: its session is %s", h.Together.Host, h.State)
		if h.Failure != "" {
			detail += ": " + h.Failure
		}
		events = append(events, session.Event{TSeconds: h.offset + h.ElapsedSeconds(), Kind: event.Host, Detail: detail})
	}
	return events
}
