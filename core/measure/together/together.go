// Package together lets several hosts measure one volume at once. They meet on a board that all
// see: who joins posts what it is about to do, and who does something else is refused before
// anything is measured. Each pass begins when all hosts are ready for it, at a time by the
// board's clock, which one of them posts; a host that is gone is noticed by the others, who go on.
//
// A [Host] belongs to the goroutine that runs the plan; what it hears it hears on another one.
package together

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"opengauge/core/record/meeting"
	"opengauge/core/unit"
)

// Terms are what hosts have to agree on.
type Terms struct {
	// Version of the program.
	Version string `json:"version"`
	// Plan is what is measured, in full, and PlanName what it is called.
	Plan     string `json:"plan"`
	PlanName string `json:"plan_name"`
	// Hosts is how many there are to be, Sweep whether fewer measure first, and AloneFirst
	// whether each does so by itself before.
	Hosts      int  `json:"hosts"`
	Sweep      bool `json:"sweep"`
	AloneFirst bool `json:"alone_first"`
}

// differs says in what a host would do something else than another that came first.
func (t Terms) differs(first Terms) string {
	switch {
	case t.Plan != first.Plan && t.PlanName != first.PlanName:
		return fmt.Sprintf("it runs the plan %s, and this one would run %s", first.PlanName, t.PlanName)
	case t.Plan != first.Plan:
		return "it runs the same plan with other sizes, times or targets"
	case t.Hosts != first.Hosts:
		return fmt.Sprintf("it waits for %d hosts, and this one would for %d", first.Hosts, t.Hosts)
	case t.Sweep != first.Sweep:
		return "one of them sweeps hosts, and the other does not"
	case t.AloneFirst != first.AloneFirst:
		return "one of them measures alone first, and the other does not"
	case t.Version != first.Version:
		return fmt.Sprintf("it runs version %s of opengauge, and this is %s", first.Version, t.Version)
	}
	return ""
}

// Host is one of the hosts of a meeting.
type Host struct {
	Name string
	// Members are those that measure, in the order in which they joined.
	Members []string
	// Offset is that of its clock when it joined.
	Offset Offset

	board meeting.Board
	// now is the host's clock, and sleep waits by it: tests have others.
	now   func() time.Time
	sleep func(context.Context, time.Duration) error
	tell  func(string)
	terms Terms

	mutex sync.Mutex
	state state
	woken chan struct{}
	stop  context.CancelFunc
	ended chan struct{}
	// lost is why the board can no longer be heard.
	lost error
	// halted is closed once a host has asked all to stop.
	halted chan struct{}
}

// Patience is how long hosts wait for each other.
type Patience struct {
	// Join is for all to be there. First is for a host that is there to be ready for the first
	// pass of a round, and Ready for each other one, and for its end.
	Join, First, Ready time.Duration
}

// Usual is the patience where nobody says: before the first pass test files are filled. Passes
// take as long as they take, beside Ready.
var Usual = Patience{Join: 10 * time.Minute, First: 30 * time.Minute, Ready: 2 * time.Minute}

// joined is what a host posts as it comes.
type joined struct {
	Terms
	// ID tells hosts of one name apart.
	ID string `json:"id"`
	// Clock is the host's own time as it joined, for people to see.
	Clock time.Time `json:"clock"`
}

// Asks is what a host joins a meeting with.
type Asks struct {
	// Name is what the host is called, and ID tells hosts of one name apart: it is drawn anew
	// for each.
	Name, ID string
	Terms    Terms
	Patience Patience
	// Tell is told what is waited for.
	Tell func(string)
}

// Join joins a meeting and waits until all hosts are there.
func Join(ctx context.Context, board meeting.Board, asks Asks) (*Host, error) {
	return join(ctx, newHost(board, asks.Name, asks.Terms, asks.Tell), asks.ID, asks.Patience)
}

func newHost(board meeting.Board, name string, terms Terms, tell func(string)) *Host {
	return &Host{Name: name, board: board, now: time.Now, sleep: sleepUntil, tell: tell, terms: terms,
		state: state{notices: map[string]meeting.Notice{}, rates: map[string]heardRate{}},
		woken: make(chan struct{}, 1), ended: make(chan struct{}), halted: make(chan struct{})}
}

func join(ctx context.Context, h *Host, id string, patience Patience) (*Host, error) {
	var err error
	if h.Offset, err = offsetOf(ctx, h.board, h.now, probes); err != nil {
		return nil, err
	}
	if err := h.read(ctx); err != nil {
		return nil, err
	}
	if err := h.fits(); err != nil {
		return nil, err
	}
	if err := h.board.Post(ctx, "join/"+h.Name, joined{h.terms, id, h.now()}); err != nil {
		return nil, err
	}
	listening, stop := context.WithCancel(context.WithoutCancel(ctx))
	h.stop = stop
	go h.listen(listening)
	if err := h.begin(ctx, id, patience.Join); err != nil {
		h.stop()
		<-h.ended
		return nil, err
	}
	return h, nil
}

// fits says why the host cannot take part in what was agreed on before it came.
func (h *Host) fits() error {
	if _, begun := h.state.notices["begin"]; begun {
		return errors.New("the meeting has begun without this host; give another a name of its own, or wait until it is over")
	}
	first, found := h.state.first("join/")
	if !found {
		return nil
	}
	var other joined
	if err := json.Unmarshal(first.Document, &other); err != nil {
		return fmt.Errorf("what %s posted cannot be read: %w", first.Host, err)
	}
	if text := h.terms.differs(other.Terms); text != "" {
		return fmt.Errorf("%s came first, and %s; hosts that measure together do the same", first.Host, text)
	}
	return nil
}

// begin waits until all hosts are there, and one of them has said that it begins.
func (h *Host) begin(ctx context.Context, id string, patience time.Duration) error {
	limit, said := h.now().Add(patience), ""
	for {
		if err := h.agrees(id); err != nil {
			return err
		}
		if members, begun := h.state.members(&h.mutex); begun {
			h.Members = members
			if !slices.Contains(members, h.Name) {
				return fmt.Errorf("the meeting has its %d hosts already: %s", len(members), strings.Join(members, ", "))
			}
			return nil
		}
		here := h.joined()
		present, err := h.board.Present(ctx)
		if err != nil {
			return err
		}
		here = slices.DeleteFunc(here, func(name string) bool { return !present[name] && name != h.Name })
		late := h.now().After(limit)
		if len(here) >= h.terms.Hosts || late && len(here) > 1 {
			if err := h.board.Post(ctx, "begin", here[:min(len(here), h.terms.Hosts)]); err != nil {
				return err
			}
			continue
		}
		if late {
			return fmt.Errorf("no other host came within %s; start the same command on each of %d hosts", patience,
				h.terms.Hosts)
		}
		if text := fmt.Sprintf("waiting for hosts: %d of %d are there (%s)", len(here), h.terms.Hosts,
			strings.Join(here, ", ")); text != said && len(here) > 0 {
			h.tell(text)
			said = text
		}
		if err := h.pause(ctx, time.Second); err != nil {
			return err
		}
	}
}

// agrees sees that the host's own notice is the one that is there, and that it was not the
// second of two that came at once with other terms.
func (h *Host) agrees(id string) error {
	h.mutex.Lock()
	own, posted := h.state.notices["join/"+h.Name]
	first, _ := h.state.first("join/")
	h.mutex.Unlock()
	if !posted {
		return nil
	}
	var mine, other joined
	if json.Unmarshal(own.Document, &mine) == nil && mine.ID != id {
		return fmt.Errorf("a host called %s is in the meeting already; give each its own with $OPENGAUGE_BENCH_NAME", h.Name)
	}
	if json.Unmarshal(first.Document, &other) != nil || first.Host == h.Name {
		return nil
	}
	if text := h.terms.differs(other.Terms); text != "" {
		return fmt.Errorf("%s came first, and %s; hosts that measure together do the same", first.Host, text)
	}
	return nil
}

// joined are the hosts that came, in that order, but for those that do something else.
func (h *Host) joined() []string {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	var names []string
	first, _ := h.state.first("join/")
	var terms joined
	_ = json.Unmarshal(first.Document, &terms)
	for _, n := range h.state.under("join/") {
		var each joined
		if json.Unmarshal(n.Document, &each) == nil && each.differs(terms.Terms) == "" {
			names = append(names, n.Host)
		}
	}
	return names
}

// pause waits until something is heard, or for so long.
func (h *Host) pause(ctx context.Context, within time.Duration) error {
	h.mutex.Lock()
	lost := h.lost
	h.mutex.Unlock()
	if lost != nil {
		return lost
	}
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-h.woken:
	case <-time.After(within):
	}
	return nil
}

// listen hears what is posted and said until the host leaves.
func (h *Host) listen(ctx context.Context) {
	defer close(h.ended)
	for ctx.Err() == nil {
		words, err := h.board.Wait(ctx, time.Second)
		if err == nil {
			err = h.read(ctx)
		}
		h.mutex.Lock()
		for _, word := range words {
			h.state.hear(word, h.now())
		}
		if err != nil && ctx.Err() == nil {
			h.lost = fmt.Errorf("the other hosts cannot be heard: %w", err)
		}
		lost := h.lost
		h.mutex.Unlock()
		select {
		case h.woken <- struct{}{}:
		default:
		}
		if lost != nil {
			return
		}
	}
}

// read takes in the notices that are new.
func (h *Host) read(ctx context.Context) error {
	h.mutex.Lock()
	last := h.state.last
	h.mutex.Unlock()
	notices, err := h.board.Since(ctx, last)
	if err != nil {
		return err
	}
	h.mutex.Lock()
	defer h.mutex.Unlock()
	for _, n := range notices {
		if h.state.take(n) && n.Key == "stop" {
			close(h.halted)
		}
	}
	return nil
}

// Until is a context that ends when a host asks all to stop.
func (h *Host) Until(ctx context.Context) (context.Context, context.CancelFunc) {
	until, cancel := context.WithCancel(ctx)
	go func() {
		select {
		case <-until.Done():
		case <-h.halted:
			cancel()
		}
	}()
	return until, cancel
}

// Leave tells the others that this host measures no more, and why; empty is that it is done.
func (h *Host) Leave(ctx context.Context, why string) error {
	err := h.board.Post(ctx, "left/"+h.Name, why)
	h.stop()
	<-h.ended
	return err
}

// StopAll asks all hosts to stop.
func (h *Host) StopAll(ctx context.Context) error { return h.board.Post(ctx, "stop", h.Name) }

// Stopped says who asked all hosts to stop, or nothing.
func (h *Host) Stopped() string {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	n, found := h.state.notices["stop"]
	if !found {
		return ""
	}
	return n.Host
}

// Rate is what a host moves now.
type Rate struct {
	Pass int                 `json:"pass"`
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
}

// Says tells the others what this host moves now.
func (h *Host) Says(ctx context.Context, rate Rate) error { return h.board.Tell(ctx, rate) }

// Sum is what all hosts move now together, and how many of them have said so lately.
func (h *Host) Sum() (sum unit.BytesPerSecond, hosts int) {
	h.mutex.Lock()
	defer h.mutex.Unlock()
	const lately = 3 * time.Second
	now := h.now()
	for _, each := range h.state.rates {
		if now.Sub(each.at) <= lately {
			sum, hosts = sum+each.Rate.Rate, hosts+1
		}
	}
	return sum, hosts
}

// state is what a host has heard.
type state struct {
	last    int64
	notices map[string]meeting.Notice
	order   []string
	rates   map[string]heardRate
}

type heardRate struct {
	Rate
	at time.Time
}

// take takes a notice in, and says whether it is new.
func (s *state) take(n meeting.Notice) bool {
	s.last = max(s.last, n.Number)
	if _, known := s.notices[n.Key]; known {
		return false
	}
	s.notices[n.Key] = n
	s.order = append(s.order, n.Key)
	return true
}

func (s *state) hear(word meeting.Word, now time.Time) {
	var rate Rate
	if json.Unmarshal(word.Document, &rate) == nil {
		s.rates[word.Host] = heardRate{rate, now}
	}
}

// under are the notices whose keys begin so, in their order.
func (s *state) under(prefix string) []meeting.Notice {
	var found []meeting.Notice
	for _, key := range s.order {
		if strings.HasPrefix(key, prefix) {
			found = append(found, s.notices[key])
		}
	}
	slices.SortStableFunc(found, func(a, b meeting.Notice) int { return cmp.Compare(a.Number, b.Number) })
	return found
}

func (s *state) first(prefix string) (meeting.Notice, bool) {
	found := s.under(prefix)
	if len(found) == 0 {
		return meeting.Notice{}, false
	}
	return found[0], true
}

func (s *state) members(mutex *sync.Mutex) (members []string, begun bool) {
	mutex.Lock()
	defer mutex.Unlock()
	n, begun := s.notices["begin"]
	_ = json.Unmarshal(n.Document, &members)
	return members, begun
}
