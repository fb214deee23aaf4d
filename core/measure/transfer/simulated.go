package transfer

import (
	"context"
	"errors"
	"fmt"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Simulated copies between two simulated parts, on their virtual clocks. The files
// of a set lie one behind the other; each costs a small read at the source that finds
// it, and a small write at the destination that names it.
type Simulated struct {
	source, destination Part
}

// Part is a simulated part.
type Part interface {
	target.Target
	Sleep(stretch time.Duration)
}

// NewSimulated prepares to copy from one part to another.
func NewSimulated(source, destination Part) *Simulated { return &Simulated{source, destination} }

// Now is the time on the clock that is further on.
func (s *Simulated) Now() time.Duration { return max(s.source.Now(), s.destination.Now()) }

// tick is how far one end's clock may be ahead of the other's.
const tick = 20 * time.Microsecond

// Do does a piece of work.
func (s *Simulated) Do(ctx context.Context, kind Work, set fileset.Set, options Options) (session.Copy, error) {
	m := newMeter(kind, set, options)
	m.made.Direct = true
	for _, end := range []Part{s.source, s.destination} {
		if room := end.Description().Span; set.Bytes() > room {
			return m.made, fmt.Errorf("the file set of %s does not fit %s, which holds %s", set.Bytes().Decimal(),
				end.Description().Address, room.Decimal())
		}
	}
	// Both begin at the same moment.
	began := s.Now()
	s.source.Sleep(began - s.source.Now())
	s.destination.Sleep(began - s.destination.Now())
	p := &pump{began: began, meter: m, set: set, parallel: max(options.Parallel, 1)}
	var err error
	if kind != Writing {
		if p.read.queue, err = s.source.Open(target.Shape{Slots: slots, Block: block}); err != nil {
			return m.made, err
		}
		defer p.read.queue.Close()
		p.read.part = s.source
	}
	if kind != Reading {
		if p.write.queue, err = s.destination.Open(target.Shape{Slots: slots, Block: block}); err != nil {
			return m.made, err
		}
		defer p.write.queue.Close()
		p.write.part = s.destination
	}
	err = p.run(ctx)
	end := p.now()
	flush := time.Duration(0)
	if err == nil && kind != Reading {
		flush, err = p.flush()
	}
	made := m.finish(end-began+flush, flush, p.bytes, p.times)
	if err != nil {
		made.CutShort = true
		made.Failure = err.Error()
	}
	return made, err
}

// slots is how many operations an end takes at once; more than there are ever.
const slots = 4096

// side is one end of a pump, or nothing.
type side struct {
	part        Part
	queue       target.Queue
	outstanding int
	free        []int
	slots       map[int]piece
}

// piece is a block of a file, or the entry of it.
type piece struct {
	file   int
	offset int64
	length int
	entry  bool
	// ready is when it may go on to the other end.
	ready time.Duration
}

// pump moves pieces through one end or two.
type pump struct {
	meter       *meter
	set         fileset.Set
	parallel    int
	read, write side

	began    time.Duration
	next     int     // file to begin
	open     []*flow // files under way, at most parallel
	base     int64
	ready    []piece // read, to be written
	inFlight int     // blocks between the submission of their read and the end of their write
	bytes    unit.Bytes
	times    []time.Duration
	done     [64]target.Completion
}

// flow is a file under way.
type flow struct {
	file    int
	base    int64
	at      int64
	named   bool
	missing int64 // bytes that have not arrived yet
	began   time.Duration
}

func (p *pump) now() time.Duration {
	now := p.began
	for _, s := range []*side{&p.read, &p.write} {
		if s.part != nil {
			now = max(now, s.part.Now())
		}
	}
	return now
}

func (p *pump) run(ctx context.Context) error {
	for _, s := range []*side{&p.read, &p.write} {
		s.slots = map[int]piece{}
		for slot := range slots {
			s.free = append(s.free, slot)
		}
	}
	sampled := p.began
	for steps := 0; ; steps++ {
		if err := p.feed(); err != nil {
			return err
		}
		if p.next == len(p.set.Entries) && len(p.open) == 0 {
			return nil
		}
		if err := p.step(); err != nil {
			return err
		}
		if now := p.now(); now-sampled >= p.meter.options.Sample {
			p.meter.sample(now-p.began, p.bytes, len(p.times))
			sampled = now
		}
		if steps%1024 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
	}
}

// page is the size of a file's first write; files take whole pages.
const page = 4096

// feed begins files and submits the operations that are due.
func (p *pump) feed() error {
	for len(p.open) < p.parallel && p.next < len(p.set.Entries) {
		size := int64(p.set.Entries[p.next].Size)
		f := &flow{file: p.next, base: p.base, missing: size, began: p.now()}
		p.base += (size + page - 1) / page * page
		p.next++
		p.open = append(p.open, f)
		if err := p.first().submit(p.action(), piece{file: f.file, entry: true, offset: f.base,
			length: page}); err != nil {
			return err
		}
	}
	for _, f := range p.open {
		for f.named && f.at < int64(p.set.Entries[f.file].Size) && p.inFlight < window*p.parallel {
			length := min(int64(block), int64(p.set.Entries[f.file].Size)-f.at)
			made := piece{file: f.file, offset: f.base + f.at, length: int((length + page - 1) / page * page)}
			if err := p.first().submit(p.action(), made); err != nil {
				return err
			}
			f.at += length
			p.inFlight++
		}
	}
	for len(p.ready) > 0 && p.write.part.Now() >= p.ready[0].ready {
		if err := p.write.submit(target.Write, p.ready[0]); err != nil {
			return err
		}
		p.ready = p.ready[1:]
	}
	return nil
}

// first returns the end that pieces go to first, and its action.
func (p *pump) first() *side {
	if p.read.part != nil {
		return &p.read
	}
	return &p.write
}

func (p *pump) action() target.Action {
	if p.read.part != nil {
		return target.Read
	}
	return target.Write
}

func (s *side) submit(action target.Action, made piece) error {
	slot := s.free[len(s.free)-1]
	s.free = s.free[:len(s.free)-1]
	s.slots[slot] = made
	s.outstanding++
	return s.queue.Submit([]target.Operation{{Action: action, Slot: slot, Offset: made.offset, Length: made.length}})
}

// step lets the end whose clock is further back go on, to the other's clock or the
// next completion.
func (p *pump) step() error {
	r, w := &p.read, &p.write
	switch {
	case r.part == nil:
		return p.wait(w, w.part.Now()+time.Second)
	case w.part == nil:
		return p.wait(r, r.part.Now()+time.Second)
	case w.outstanding == 0 && len(p.ready) > 0 && w.part.Now() < p.ready[0].ready:
		w.part.Sleep(p.ready[0].ready - w.part.Now())
		return nil
	case w.outstanding == 0 && r.outstanding > 0:
		return p.wait(r, r.part.Now()+time.Second)
	case r.outstanding == 0:
		if err := p.wait(w, w.part.Now()+time.Second); err != nil {
			return err
		}
		r.part.Sleep(max(w.part.Now()-r.part.Now(), 0))
		return nil
	case r.part.Now() <= w.part.Now():
		return p.wait(r, w.part.Now()+tick)
	default:
		return p.wait(w, r.part.Now()+tick)
	}
}

func (p *pump) wait(s *side, until time.Duration) error {
	if s.outstanding == 0 {
		return errors.New("the simulated copy stands still")
	}
	count, err := s.queue.Wait(p.done[:], until)
	if err != nil {
		return err
	}
	for _, completion := range p.done[:count] {
		made := s.slots[completion.Slot]
		delete(s.slots, completion.Slot)
		s.free = append(s.free, completion.Slot)
		s.outstanding--
		if completion.Err != nil {
			return fmt.Errorf("%s at %d: %w", p.set.Entries[made.file].Path, made.offset, completion.Err)
		}
		made.ready = completion.Completed
		p.arrive(s, made)
	}
	return nil
}

// arrive passes a piece on, or counts it where it has come to its end.
func (p *pump) arrive(s *side, made piece) {
	last := s == &p.write || p.write.part == nil
	if !last {
		p.ready = append(p.ready, made)
		if !made.entry {
			return
		}
	}
	at := p.flowOf(made.file)
	if at < 0 {
		return
	}
	f := p.open[at]
	switch {
	case made.entry && s == p.first():
		f.named = true
	case made.entry:
		return
	default:
		p.inFlight--
		length := min(int64(made.length), f.missing)
		f.missing -= length
		p.bytes += unit.Bytes(length)
	}
	if f.named && f.missing == 0 {
		p.times = append(p.times, p.now()-f.began)
		p.open = append(p.open[:at], p.open[at+1:]...)
	}
}

func (p *pump) flowOf(file int) int {
	for i, f := range p.open {
		if f.file == file {
			return i
		}
	}
	return -1
}

// flush makes written data stable, and returns how long it took.
func (p *pump) flush() (time.Duration, error) {
	w := &p.write
	began := p.now()
	w.part.Sleep(max(began-w.part.Now(), 0))
	for w.outstanding > 0 || len(p.ready) > 0 { // names of files that are still under way
		if err := p.feed(); err != nil {
			return 0, err
		}
		if err := p.wait(w, w.part.Now()+time.Second); err != nil {
			return 0, err
		}
	}
	if err := w.queue.Submit([]target.Operation{{Action: target.Flush, Slot: w.free[0]}}); err != nil {
		return 0, err
	}
	for {
		count, err := w.queue.Wait(p.done[:], w.part.Now()+time.Second)
		if err != nil || count > 0 {
			return p.now() - began, err
		}
	}
}
