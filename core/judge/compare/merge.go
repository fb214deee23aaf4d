package compare

import (
	"errors"
	"fmt"
	"math"
	"time"

	"opengauge/core/judge/factor"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Merge puts sessions of several hosts together that ran at the same time, so that
// it is seen what they got of one volume: for each load that all of them have, the
// passes that overlap, with what each gave alone: in a pass of its own session while
// the others were idle, or in one of the sessions alone, of the same host. Clocks are
// those of the hosts; shifts, by session, are added to them.
func Merge(id, name string, sessions []*session.Session, shifts []time.Duration,
	alone ...*session.Session) (*session.Session, error) {
	if len(sessions) < 2 {
		return nil, errors.New("two sessions at least are merged")
	}
	first := sessions[0]
	merged := &session.Session{
		Format: session.Format, ID: id, Name: name, State: session.Complete, Started: first.Started.Add(shifts[0]),
		Ended: first.Ended.Add(shifts[0]),
		Plan:  first.Plan, Target: first.Target, Chain: first.Chain, Parts: first.Parts,
		Conditions: map[string]string{}, Environment: first.Environment,
		Passes: []session.Pass{}, Events: []session.Event{}, Findings: []session.Finding{},
	}
	for i, s := range sessions {
		merged.Simulated = merged.Simulated || s.Simulated
		if began := s.Started.Add(shifts[i]); began.Before(merged.Started) {
			merged.Started = began
		}
		if ended := s.Ended.Add(shifts[i]); ended.After(merged.Ended) {
			merged.Ended = ended
		}
		merged.MergedFrom = append(merged.MergedFrom, s.ID)
	}
	hosts := hostsOf(sessions, shifts, merged.Started, alone)
	for i := range first.Passes {
		if made, overlap := hosts.meeting(&first.Passes[i], len(merged.Contentions)); overlap {
			merged.Contentions = append(merged.Contentions, made)
		}
	}
	if len(merged.Contentions) == 0 {
		return nil, apart(hosts)
	}
	return merged, nil
}

// hostsOf are sessions with where they lie, and what their hosts did by themselves.
func hostsOf(sessions []*session.Session, shifts []time.Duration, started time.Time, alone []*session.Session) hosts {
	made := make(hosts, len(sessions))
	for i, s := range sessions {
		made[i] = &host{Session: s, offset: s.Started.Add(shifts[i]).Sub(started).Seconds()}
		for _, each := range alone {
			if hostOf(each) == hostOf(s) {
				made[i].apart = append(made[i].apart, each)
			}
		}
	}
	return made
}

// host is a session with where it lies in the merged one.
type host struct {
	*session.Session
	// offset is when it started, in seconds since the merged session did.
	offset float64
	// apart are sessions of the same host by itself.
	apart []*session.Session
}

type hosts []*host

// span is when a pass counted, in seconds since the merged session started.
func (h *host) span(p *session.Pass) (from, to float64) {
	from = h.offset + p.StartedSeconds
	return from, from + p.ElapsedSeconds
}

// leastOverlap is the share of a pass that has to overlap with the others.
const leastOverlap = 0.5

// met is a pass of a host that ran with those of others.
type met struct {
	*host
	pass *session.Pass
}

// meeting gives the passes of all hosts that ask for the same as the first one's and
// ran with it.
func (h hosts) meeting(p *session.Pass, index int) (session.Contention, bool) {
	chosen := h.with(p)
	if len(chosen) < len(h) {
		return session.Contention{}, false
	}
	return h.contentionOf(chosen, index), true
}

// with are the first host's pass, and those of others that ask for the same and ran with it.
func (h hosts) with(p *session.Pass) []met {
	from, to := h[0].span(p)
	key := p.Key()
	chosen := []met{{h[0], p}}
	for _, other := range h[1:] {
		var best *session.Pass
		most := leastOverlap * (to - from)
		for i := range other.Passes {
			each := &other.Passes[i]
			begins, ends := other.span(each)
			if overlap := min(to, ends) - max(from, begins); each.Key() == key && overlap >= most {
				best, most = each, overlap
			}
		}
		if best != nil {
			chosen = append(chosen, met{other, best})
		}
	}
	return chosen
}

// contentionOf is what hosts gave while all of those chosen ran.
func (h hosts) contentionOf(chosen []met, index int) session.Contention {
	from, to := chosen[0].span(chosen[0].pass)
	for _, each := range chosen {
		begins, ends := each.span(each.pass)
		from, to = max(from, begins), min(to, ends)
	}
	made := session.Contention{Index: index}
	for _, each := range chosen {
		begins, _ := each.span(each.pass)
		made.Members = append(made.Members, session.Member{
			Address: each.label(), Chain: each.Chain, Alone: h.alone(each),
			Together: during(each.pass, from-begins, to-begins),
		})
	}
	made.Samples = shares(chosen, from, to)
	return made
}

// during is the part of a pass that lies between two times since it began to count.
// Its latency is still that of the whole pass, as percentiles cannot be taken apart.
func during(pass *session.Pass, from, to float64) session.Pass {
	part := *pass
	part.StartedSeconds, part.Samples, part.Throughput, part.Steady = pass.StartedSeconds+from, []session.Sample{},
		nil, nil
	part.ElapsedSeconds, part.Bytes, part.Operations, part.Errors = 0, 0, 0, 0
	const rounding = 1e-3
	for _, sample := range pass.Samples {
		if sample.TSeconds-sample.ElapsedSeconds < from-rounding || sample.TSeconds > to+rounding {
			continue
		}
		part.Samples = append(part.Samples, sample)
		part.ElapsedSeconds += sample.ElapsedSeconds
		part.Bytes, part.Operations, part.Errors = part.Bytes+sample.Bytes, part.Operations+sample.Operations,
			part.Errors+sample.Errors
	}
	if part.ElapsedSeconds == 0 { // too short a meeting for a whole sample
		return *pass
	}
	part.BytesPerSecond = unit.BytesPerSecond(float64(part.Bytes) / part.ElapsedSeconds)
	part.IOPS = float64(part.Operations) / part.ElapsedSeconds
	return part
}

func hostOf(s *session.Session) string {
	if s.Together != nil {
		return s.Together.Host
	}
	return factor.Of(s)[factor.Host]
}

// label names a host: by its part, its own name, or its session.
func (h *host) label() string {
	if h.Together != nil {
		return h.Together.Host
	}
	if name := hostOf(h.Session); name != "" {
		return name + " (" + h.DisplayName() + ")"
	}
	return h.DisplayName()
}

// alone gives the middle pass of the same load in which a host was by itself, or none: of the first of
// its sessions apart that has one, or of this session while the others were idle.
func (h hosts) alone(of met) session.Pass {
	for _, each := range of.apart {
		if pass := middle(each.Passes, func(p *session.Pass) bool { return p.Key() == of.pass.Key() }); pass != nil {
			return *pass
		}
	}
	idle := func(p *session.Pass) bool { return p.Key() == of.pass.Key() && !h.busy(of.host, p) }
	if pass := middle(of.Passes, idle); pass != nil {
		return *pass
	}
	return session.Pass{Load: of.pass.Load, Samples: []session.Sample{}}
}

// middle is the pass of the middle throughput among those that count, or nil.
func middle(passes []session.Pass, like func(*session.Pass) bool) *session.Pass {
	var chosen []*session.Pass
	for i := range passes {
		if p := &passes[i]; p.Counts() && like(p) {
			chosen = append(chosen, p)
		}
	}
	if len(chosen) == 0 {
		return nil
	}
	return stat.Middle(chosen, func(p *session.Pass) unit.BytesPerSecond { return p.BytesPerSecond })
}

// busy reports whether another host measured anything while a host's pass ran.
func (h hosts) busy(of *host, p *session.Pass) bool {
	from, to := of.span(p)
	for _, other := range h {
		if other == of {
			continue
		}
		for i := range other.Passes {
			if begins, ends := other.span(&other.Passes[i]); begins < to && ends > from {
				return true
			}
		}
	}
	return false
}

// shares gives the sum of all hosts over the time in which all ran, and how fair it
// was, second by second. What is left at the end counts if it is half a second or more.
func shares(all []met, from, to float64) []session.ContentionSample {
	const step = 1.0
	var samples []session.ContentionSample
	for at := from; to-at >= step/2; at += step {
		end := min(at+step, to)
		made := session.ContentionSample{TSeconds: end - from}
		for _, each := range all {
			begins, _ := each.span(each.pass)
			rate := unit.BytesPerSecond(rateBetween(each.pass, at-begins, end-begins))
			made.BytesPerSecond, made.Each = made.BytesPerSecond+rate, append(made.Each, rate)
		}
		made.Fairness = stat.Fairness(made.Each)
		samples = append(samples, made)
	}
	return samples
}

// rateBetween is the mean throughput of a pass between two times since it began to
// count.
func rateBetween(pass *session.Pass, from, to float64) float64 {
	bytes := 0.0
	for _, sample := range pass.Samples {
		begins := sample.TSeconds - sample.ElapsedSeconds
		if overlap := min(to, sample.TSeconds) - max(from, begins); overlap > 0 {
			bytes += overlap * float64(sample.BytesPerSecond)
		}
	}
	return bytes / (to - from)
}

// apart says why sessions cannot be merged.
func apart(all hosts) error {
	first := all[0]
	for _, other := range all[1:] {
		gap := max(other.offset-(first.offset+first.ElapsedSeconds()),
			first.offset-(other.offset+other.ElapsedSeconds()))
		if gap > 0 {
			return fmt.Errorf("%s and %s did not run at the same time: there are %s between them; if their clocks "+
				"differ, say by how much with --shift", first.DisplayName(), other.DisplayName(),
				unit.Span(unit.Duration(math.Ceil(gap))))
		}
	}
	loads := map[session.Key]bool{}
	for i := range first.Passes {
		loads[first.Passes[i].Key()] = true
	}
	return fmt.Errorf("no load ran on all of them at the same time; start the same plan on all hosts at once (%s "+
		"has %d loads)", first.DisplayName(), len(loads))
}
