package conduct

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
)

// Hands are simulated: how unlike themselves set-ups are that they put together, and days,
// as shares, and how often they take the wrong part.
type Hands struct {
	Spread, Days, Wrong float64
	// Takes is how long it takes to put something together; 0 is as usual.
	Takes time.Duration
	// Careless ones are not checked: their setups are measured as they are.
	Careless bool
}

// UsualHands are the hands of a review that runs unattended on simulated parts.
var UsualHands = Hands{Spread: 0.015, Days: 0.01, Wrong: 0.05}

// Simulated is a bench of simulated parts and hands, on one virtual clock. A drive's content and its warmth
// go with it from case to case.
type Simulated struct {
	Book book.Book
	// Parts are the simulated parts there are; nil is the demo's.
	Parts   *sim.Bench
	Hands   Hands
	Keeping Keeping
	Watch   Watch
	Version string
	// Seed is the start of all chances.
	Seed uint64
	// Cells are those that a wrong part may come from.
	Cells []review.Cell

	// Found is how often a wrong part was found.
	Found int

	clock time.Duration
	days  int
	last  map[string]*sim.Device
	at    address.Opened
	put   review.Cell // what is really there
	shape shape
}

// shape is how it was put together this time.
type shape struct {
	contact float64
	seed    uint64
}

const (
	workingDay = 8 * time.Hour
	// handsTake is how long it takes to put something together.
	handsTake = 4 * time.Minute
)

// NewSimulated is a bench on which some visits were made before: it goes on at the day after
// the last of them.
func NewSimulated(b book.Book, keeping Keeping, seed uint64, made []*session.Session) *Simulated {
	s := &Simulated{Book: b, Keeping: keeping, Hands: UsualHands, Seed: seed, last: map[string]*sim.Device{}}
	for _, each := range made {
		day := 0
		if each.Review != nil {
			_, _ = fmt.Sscanf(each.Review.Day, "day %d", &day) // else it is none of a simulation
		}
		s.days = max(s.days, day)
	}
	return s
}

// Here is any host, on a day that begins every eight hours of work.
func (s *Simulated) Here() design.Here {
	return design.Here{Day: fmt.Sprintf("day %d", s.days+1+int(s.clock/workingDay))}
}

// PutTogether puts a cell together, sometimes with a wrong part, which is seen by its serial
// unless nobody looks.
func (s *Simulated) PutTogether(_ context.Context, step Step) (Checked, error) {
	s.clock += cmp.Or(s.Hands.Takes, handsTake)
	s.shape = shape{seed: s.seedOf(step)}
	chance := rand.New(rand.NewPCG(s.shape.seed, 1))
	s.shape.contact = math.Exp(chance.NormFloat64()*s.Hands.Spread) * s.dayFactor()
	s.put = step.Cell
	var checked Checked
	if wrong, ok := s.wrong(step, chance); ok {
		if s.Hands.Careless {
			s.put = wrong
			return checked, s.open(step, 0)
		}
		s.Found++
		s.clock += handsTake
		checked.Asked = append(checked.Asked, fmt.Sprintf("%s was there first, and %s was asked for",
			strings.Join(wrong.Parts(), ", "), strings.Join(step.Cell.Parts(), ", ")))
	}
	checked.Seen = append(checked.Seen, "simulated "+strings.Join(s.put.Parts(), ", "))
	return checked, s.open(step, 0)
}

// wrong is another cell that hands take for the one that is asked, sometimes.
func (s *Simulated) wrong(step Step, chance *rand.Rand) (review.Cell, bool) {
	if chance.Float64() >= s.Hands.Wrong || len(s.Cells) < 2 {
		return review.Cell{}, false
	}
	others := slices.DeleteFunc(slices.Clone(s.Cells), func(c review.Cell) bool {
		return slices.Equal(c.Parts(), step.Cell.Parts())
	})
	if len(others) == 0 {
		return review.Cell{}, false
	}
	return others[chance.IntN(len(others))], true
}

func (s *Simulated) seedOf(step Step) uint64 {
	sum := fnv.New64a()
	_, _ = fmt.Fprintf(sum, "%d %s %d", s.Seed, step.Cell.Name, step.Order) // never fails
	return sum.Sum64()
}

// dayFactor is how fast everything is on this day.
func (s *Simulated) dayFactor() float64 {
	sum := fnv.New64a()
	_, _ = fmt.Fprintf(sum, "%d %s", s.Seed, s.Here().Day) // never fails
	return 1 + (rand.New(rand.NewPCG(sum.Sum64(), 2)).Float64()*2-1)*s.Hands.Days
}

// open opens the storage as it is put together, as it was left.
func (s *Simulated) open(step Step, size unit.Bytes) error {
	c := s.put
	opened, err := s.opened(c.Storage(), through(&c), c.Conditions(), size)
	if err != nil {
		return fmt.Errorf("%s cannot be simulated: %w", c.Name, err)
	}
	s.at = opened
	asked := step.Cell
	s.at.Parts = asked.Setup.Parts // what it is taken for
	return nil
}

// through are the parts before the storage.
func through(c *review.Cell) string {
	return strings.Join(slices.DeleteFunc(c.Parts(), func(name string) bool { return name == c.Storage() }), ",")
}

func (s *Simulated) opened(storage, through string, conditions map[string]string, size unit.Bytes) (address.Opened,
	error) {
	before := s.last[storage]
	opened, err := address.Open(context.Background(), address.Request{
		Address: sim.Prefix + storage, Through: through, Demo: s.Book, Size: size, Seed: s.shape.seed,
		Conditions: conditions, Contact: s.shape.contact, After: before, Parts: s.Parts, Version: s.Version,
	})
	if err != nil {
		return opened, err
	}
	device, ok := opened.Target.(*sim.Device)
	if !ok {
		return opened, errors.New("it is no simulated part")
	}
	if away := s.clock - device.Now(); away > 0 {
		device.Sleep(away)
	}
	s.last[storage] = device
	return opened, nil
}

// thermometer is a simulated storage that rests.
type thermometer struct{ *sim.Device }

func (t thermometer) Temperature() (unit.Celsius, bool) {
	celsius, ok := t.Temperatures()["drive"]
	return celsius, ok
}

func (t thermometer) Wait(_ context.Context, span time.Duration) { t.Sleep(span) }

// Prepare discards written data, and rests.
func (s *Simulated) Prepare(ctx context.Context, step Step, before Before) (Prepared, error) {
	device := s.last[s.put.Storage()]
	if err := device.Discard(0); err != nil {
		return Prepared{}, err
	}
	var p Prepared
	p.Start, p.Unprepared = rest(ctx, thermometer{device}, before)
	if ambient := device.Ambient(); step.Cell.Of("enclosure") != "" {
		p.Ambient = &ambient
	}
	s.clock = device.Now()
	return p, ctx.Err()
}

// Measure measures the parts as they are put together.
func (s *Simulated) Measure(ctx context.Context, step Step, m *review.Measurement,
	mark session.Visit) (*session.Session, error) {
	w := work{measurement: m, mark: mark, several: step.Several, keep: s.Keeping, watch: s.Watch,
		environment: s.at.Environment}
	if m.IsCopy() {
		return s.copy(ctx, w)
	}
	if err := s.open(step, m.Size); err != nil {
		return nil, err
	}
	made, err := w.run(ctx, s.at)
	s.clock = s.last[s.put.Storage()].Now()
	return made, err
}

func (s *Simulated) copy(ctx context.Context, w work) (*session.Session, error) {
	m := w.measurement
	other, isSimulated := strings.CutPrefix(m.Other, sim.Prefix)
	if !isSimulated {
		return nil, fmt.Errorf("%s: a simulated part and %s have different clocks; copy from or to another simulated part",
			m.Name, m.Other)
	}
	if other == s.put.Storage() {
		return nil, fmt.Errorf("%s: %s cannot be copied to itself", m.Name, other)
	}
	far, err := s.opened(other, "", map[string]string{}, 0)
	if err != nil {
		return nil, err
	}
	own, err := transfer.SimulatedEnd(sim.Prefix+s.put.Storage(), s.at)
	if err != nil {
		return nil, err
	}
	end, err := transfer.SimulatedEnd(m.Other, far)
	if err != nil {
		return nil, err
	}
	made, err := w.copy(ctx, own, end, s.at.Conditions)
	s.clock = max(s.last[s.put.Storage()].Now(), s.last[other].Now())
	return made, err
}
