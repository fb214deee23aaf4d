package together

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"opengauge/core/record/session"
)

// Round is a run of the plan by some of the hosts at once.
type Round struct {
	Number int
	// Members take part in it; one of them alone measures by itself.
	Members []string
	// Again is of the first round once more, after all others: where it gives something else, the
	// volume has changed meanwhile.
	Again bool
}

// Name is what a session of the round is called, of a meeting.
func (r Round) Name(meeting, host string) string {
	switch {
	case r.Again:
		return fmt.Sprintf("%s %s alone again", meeting, host)
	case len(r.Members) == 1:
		return fmt.Sprintf("%s %s alone", meeting, host)
	}
	return fmt.Sprintf("%s %s of %d", meeting, host, len(r.Members))
}

// Rounds are what the hosts do, one after the other: each alone, where that was asked for, then
// one, two, four of them in a sweep, and all together. Where there is more than one, the first is
// there again at the end.
func (h *Host) Rounds() []Round {
	var rounds []Round
	add := func(members []string) { rounds = append(rounds, Round{Number: len(rounds), Members: members}) }
	if h.terms.AloneFirst {
		for _, each := range h.Members {
			add([]string{each})
		}
	}
	if h.terms.Sweep {
		for count := 1; count < len(h.Members); count *= 2 {
			if count > 1 || !h.terms.AloneFirst {
				add(h.Members[:count])
			}
		}
	}
	add(h.Members)
	if len(rounds) > 1 {
		rounds = append(rounds, Round{Number: len(rounds), Members: rounds[0].Members, Again: true})
	}
	return rounds
}

// Gate lets the passes of a round begin at once on all of its hosts. It is a [run.Gate].
type Gate struct {
	*Host
	Round    Round
	Patience Patience
	// record is what becomes of it, for the session.
	record session.Together
}

// Together is what is to be recorded of the gate: see [session.Together].
func (g *Gate) Together() *session.Together {
	made := g.record
	made.Starts = slices.Clone(g.record.Starts)
	return &made
}

// NewGate makes the gate of a round.
func (h *Host) NewGate(meeting string, round Round, patience Patience) *Gate {
	return &Gate{Host: h, Round: round, Patience: patience, record: session.Together{
		Meeting: meeting, Host: h.Name, Hosts: round.Members, ClockOffsetSeconds: h.Offset.Ahead.Seconds(),
		WithinSeconds: h.Offset.Within.Seconds(), Starts: []session.Start{},
	}}
}

// goes is when a pass begins, and for whom.
type goes struct {
	At    time.Time `json:"at"`
	Hosts []string  `json:"hosts"`
}

// Apart is by how much hosts may begin a pass after each other, and still have begun at once.
const Apart = 20 * time.Millisecond

// lead is how long before a pass its start is told, beside the time that takes.
const lead = 150 * time.Millisecond

func (g *Gate) key(kind string, pass int) string {
	return fmt.Sprintf("%s/%d/%d", kind, g.Round.Number, pass)
}

// Enter waits until a pass begins, and gives what is to be said of it: hosts that are missing.
// Where the other hosts can no longer be heard the pass begins at once.
func (g *Gate) Enter(ctx context.Context, pass int) (notes []string, err error) {
	if len(g.Round.Members) == 1 {
		return nil, nil
	}
	if err := g.board.Post(ctx, g.key("ready", pass)+"/"+g.Name, g.now()); err != nil {
		return g.alone(ctx, err)
	}
	patience := g.Patience.Ready
	if len(g.record.Starts) == 0 {
		patience = g.Patience.First
	}
	limit := g.now().Add(patience)
	for {
		if by := g.Stopped(); by != "" {
			return nil, g.stopped(ctx, by)
		}
		if start, posted := g.start(pass); posted {
			return g.at(ctx, pass, start)
		}
		ready, missing, err := g.readiness(ctx, pass)
		if err != nil {
			return g.alone(ctx, err)
		}
		if len(missing) == 0 || g.now().After(limit) {
			if err := g.post(ctx, pass, ready); err != nil {
				return g.alone(ctx, err)
			}
			continue
		}
		if err := g.pause(ctx, time.Second); err != nil {
			return g.alone(ctx, err)
		}
	}
}

// stopped ends what waits. Its context ends too, if it is one [Host.Until] gave, and then it was
// interrupted; else it failed.
func (g *Gate) stopped(ctx context.Context, by string) error {
	const soon = time.Second
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(soon):
		return fmt.Errorf("%w by %s", ErrStopped, by)
	}
}

// alone goes on by itself where the others cannot be heard.
func (g *Gate) alone(ctx context.Context, err error) ([]string, error) {
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return []string{fmt.Sprintf("this host went on by itself: %v", err)}, nil
}

func (g *Gate) start(pass int) (start goes, posted bool) {
	g.mutex.Lock()
	defer g.mutex.Unlock()
	n, posted := g.state.notices[g.key("go", pass)]
	return start, posted && json.Unmarshal(n.Document, &start) == nil
}

// readiness is who is ready for a pass, and for whom it has to wait.
func (g *Gate) readiness(ctx context.Context, pass int) (ready, missing []string, err error) {
	present, err := g.board.Present(ctx)
	if err != nil {
		return nil, nil, err
	}
	g.mutex.Lock()
	defer g.mutex.Unlock()
	for _, host := range g.Round.Members {
		_, isReady := g.state.notices[g.key("ready", pass)+"/"+host]
		_, left := g.state.notices["left/"+host]
		switch {
		case left || !present[host] && host != g.Name:
		case isReady:
			ready = append(ready, host)
		default:
			missing = append(missing, host)
		}
	}
	return ready, missing, nil
}

// post posts when a pass begins: late enough for all to have heard of it.
func (g *Gate) post(ctx context.Context, pass int, ready []string) error {
	there, err := g.board.Now(ctx)
	if err != nil {
		return err
	}
	return g.board.Post(ctx, g.key("go", pass), goes{there.Add(lead + 8*g.Offset.Within), ready})
}

// at waits for the start, by the meeting's clock as this host knows it now.
func (g *Gate) at(ctx context.Context, pass int, start goes) ([]string, error) {
	const again = 4
	if offset, err := offsetOf(ctx, g.board, g.now, again); err == nil && offset.Within <= 2*g.Offset.Within {
		g.Offset = offset
	}
	here := start.At.Add(-g.Offset.Ahead)
	if err := g.sleep(ctx, here.Sub(g.now())); err != nil {
		return nil, err
	}
	late := g.now().Sub(here)
	g.record.Starts = append(g.record.Starts, session.Start{Pass: pass, At: start.At, LateSeconds: late.Seconds(),
		Hosts: start.Hosts})
	var notes []string
	if missing := without(g.Round.Members, start.Hosts); len(missing) > 0 {
		notes = append(notes, fmt.Sprintf("pass %d began without %s", pass+1, strings.Join(missing, ", ")))
	}
	if late > Apart {
		notes = append(notes, fmt.Sprintf("this host began pass %d %s late", pass+1, late.Round(time.Millisecond)))
	}
	return notes, nil
}

func without(all, some []string) []string {
	return slices.DeleteFunc(slices.Clone(all), func(each string) bool { return slices.Contains(some, each) })
}

// sleepUntil waits for so long, exactly.
func sleepUntil(ctx context.Context, stretch time.Duration) error {
	if stretch <= 0 {
		return ctx.Err()
	}
	timer := time.NewTimer(stretch)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
		return nil
	}
}

// Ended tells that this host's part of a round is over, with the session that it kept, or why it has none.
func (h *Host) Ended(ctx context.Context, round Round, kept, failed string) error {
	return h.board.Post(ctx, fmt.Sprintf("ended/%d/%s", round.Number, h.Name), End{kept, failed})
}

// End is how a host's part of a round ended.
type End struct {
	Session string `json:"session,omitempty"`
	Failed  string `json:"failed,omitempty"`
}

// Await waits until all hosts of a round have ended it or are gone, and gives how each ended. Once
// the first has, the others are waited for so long.
func (h *Host) Await(ctx context.Context, round Round, within time.Duration) (map[string]End, error) {
	var limit time.Time
	for {
		if by := h.Stopped(); by != "" && !slices.Contains(round.Members, h.Name) {
			return nil, fmt.Errorf("%w by %s", ErrStopped, by)
		}
		present, err := h.board.Present(ctx)
		if err != nil {
			return nil, err
		}
		ends, waiting := h.ends(round, present)
		if len(ends) > 0 && limit.IsZero() {
			limit = h.now().Add(within)
		}
		if late := !limit.IsZero() && h.now().After(limit); len(waiting) == 0 || late {
			for _, host := range waiting {
				ends[host] = End{Failed: fmt.Sprintf("it did not end within %s of the first", within)}
			}
			return ends, nil
		}
		if err := h.pause(ctx, time.Second); err != nil {
			return ends, err
		}
	}
}

func (h *Host) ends(round Round, present map[string]bool) (ends map[string]End, waiting []string) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	ends = map[string]End{}
	for _, host := range round.Members {
		n, ended := h.state.notices[fmt.Sprintf("ended/%d/%s", round.Number, host)]
		_, left := h.state.notices["left/"+host]
		switch {
		case ended:
			var end End
			_ = json.Unmarshal(n.Document, &end)
			ends[host] = end
		case left:
			ends[host] = End{Failed: "it left"}
		case !present[host]:
			ends[host] = End{Failed: "it is gone"}
		default:
			waiting = append(waiting, host)
		}
	}
	return ends, waiting
}

// Merges says whether it is this host that puts the sessions together: one that is there does.
func (h *Host) Merges(ctx context.Context) (bool, error) {
	if err := h.board.Post(ctx, "merges", h.Name); err != nil {
		return false, err
	}
	if err := h.read(ctx); err != nil {
		return false, err
	}
	h.mutex.Lock()
	defer h.mutex.Unlock()
	return h.state.notices["merges"].Host == h.Name, nil
}

// Merged tells which session was made of all, or why none was.
func (h *Host) Merged(ctx context.Context, end End) error { return h.board.Post(ctx, "merged", end) }

// AwaitMerged waits for the session that another host makes of all.
func (h *Host) AwaitMerged(ctx context.Context, within time.Duration) (End, error) {
	limit := h.now().Add(within)
	for {
		h.mutex.Lock()
		n, posted := h.state.notices["merged"]
		by := h.state.notices["merges"].Host
		h.mutex.Unlock()
		var end End
		if posted {
			return end, json.Unmarshal(n.Document, &end)
		}
		if h.now().After(limit) {
			return end, fmt.Errorf("%s, which puts the sessions together, has not done so within %s", by, within)
		}
		if err := h.pause(ctx, time.Second); err != nil {
			return end, err
		}
	}
}

// ErrStopped says that a host asked all to stop.
var ErrStopped = errors.New("all hosts were asked to stop")
