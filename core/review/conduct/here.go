package conduct

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/sensor"
	"opengauge/core/bench/survey"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/review"
	"opengauge/core/review/design"
	"opengauge/core/storage/address"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// Asker is who has hands, and eyes for things that no survey sees.
type Asker interface {
	// Show shows instructions.
	Show(lines []string)
	// Confirm asks whether something is so, until it is, and returns the words; an error is that nobody is
	// there, or wants to stop.
	Confirm(ctx context.Context, question string) (string, error)
}

// Real is a bench of real parts, at this machine.
type Real struct {
	Book book.Book
	// At is where storage is reached, by the name of the drive or volume: a folder, or a volume's address;
	// the name "" stands for all others. Without one it is where the survey finds it.
	At map[string]string
	// Overwrite allows a volume on a network to be written: the name of its export.
	Overwrite string
	// Host is this machine's name in the bench book; empty is any.
	Host    string
	Asker   Asker
	Keeping Keeping
	Watch   Watch
	Probes  []sensor.Source
	Version string
	// Patience is how long a part is waited for.
	Patience time.Duration

	where string
	free  unit.Bytes
}

// Here is this machine, today.
func (r *Real) Here() design.Here {
	here := design.Here{Day: time.Now().Format(time.DateOnly)}
	if r.Host != "" {
		here.Hosts = []string{r.Host}
	}
	return here
}

// lookAgain is how often it is looked whether parts are there.
const lookAgain = time.Second

// Missing says that a part did not arrive.
type Missing struct {
	Cell  string
	Wrong []string
	After time.Duration
}

func (m Missing) Error() string {
	return fmt.Sprintf("waited %s for %s: %s; put it together and go on with the same command", unit.Span(m.After), m.Cell,
		strings.Join(m.Wrong, "; "))
}

// PutTogether shows instructions, asks for confirmation of things that cannot be seen, and waits until the
// others are right. A fault is told once, and told again when it changes.
func (r *Real) PutTogether(ctx context.Context, step Step) (Checked, error) {
	r.Asker.Show(step.Instructions)
	sight, err := r.wait(ctx, step)
	if err != nil {
		return Checked{}, err
	}
	checked := Checked{}
	if len(sight.Unseen) > 0 {
		said, err := r.Asker.Confirm(ctx, "Nothing on this machine can see "+strings.Join(sight.Unseen, ", ")+". Is it so, "+
			"and was everything plugged in anew?")
		if err != nil {
			return checked, err
		}
		for _, each := range sight.Unseen {
			checked.Asked = append(checked.Asked, each+": "+said)
		}
		if sight, err = r.wait(ctx, step); err != nil { // hands may have changed something meanwhile
			return checked, err
		}
	}
	r.where = sight.Where
	checked.Seen = sight.Seen
	return checked, nil
}

// wait waits until the survey is right.
func (r *Real) wait(ctx context.Context, step Step) (Sight, error) {
	began := time.Now()
	told := ""
	for {
		sight := look(survey.Here(), &step.Cell, cmp.Or(r.At[step.Cell.Storage()], r.At[""]), r.Book)
		sight.otherwise(step.Seen)
		if sight.Right() {
			return sight, nil
		}
		wrong := strings.Join(sight.Wrong, "; ")
		if wrong != told {
			r.Asker.Show([]string{"Not yet: " + wrong + "."})
			told = wrong
		}
		if time.Since(began) >= r.Patience {
			return sight, Missing{step.Cell.Name, sight.Wrong, r.Patience}
		}
		select {
		case <-ctx.Done():
			return sight, context.Cause(ctx)
		case <-time.After(lookAgain):
		}
	}
}

// watched is the storage of a folder that rests.
type watched struct {
	sensors sensor.Set
	began   time.Time
}

func (w watched) Temperature() (unit.Celsius, bool) {
	all := w.sensors.Temperatures()
	celsius, ok := all["drive"]
	return celsius, ok
}

func (w watched) Now() time.Duration { return time.Since(w.began) }

func (w watched) Wait(ctx context.Context, span time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(span):
	}
}

// freeEnough is how much more or less may be free than at the first visit, as a share.
const freeEnough = 0.02

// Prepare waits until the storage is as it was.
func (r *Real) Prepare(ctx context.Context, step Step, before Before) (Prepared, error) {
	machine := survey.Here()
	sources := slices.Clone(r.Probes)
	free := unit.Bytes(0)
	if device, mount, ok := machine.DeviceOf(r.where); ok {
		sources = append(machine.Sensors(device), sources...)
		if mount.Free != nil {
			free = *mount.Free
		}
	}
	poller := sensor.NewPoller(sources)
	stop := poller.Start(func(string) {})
	defer stop()
	if before.Least > lookAgain {
		r.Asker.Show([]string{fmt.Sprintf("Resting for %s, and until it is as warm as it was: %s at the most.",
			unit.Span(min(before.Least, before.Most).Round(time.Second)), unit.Span(before.Most))})
	}
	var p Prepared
	p.Start, p.Unprepared = rest(ctx, watched{poller, time.Now()}, before)
	if ambient, ok := poller.Temperatures()["ambient"]; ok {
		p.Ambient = &ambient
	}
	if before.Free > 0 && math.Abs(float64(free)/float64(before.Free)-1) > freeEnough {
		p.Unprepared = append(p.Unprepared, fmt.Sprintf("%s were free, and %s at its first visit", free.Decimal(),
			before.Free.Decimal()))
	}
	r.free = free
	return p, ctx.Err()
}

// Measure measures the parts as they are put together.
func (r *Real) Measure(ctx context.Context, step Step, m *review.Measurement,
	mark session.Visit) (*session.Session, error) {
	mark.FreeBytes = r.free
	w := work{measurement: m, mark: mark, several: step.Several, keep: r.Keeping, watch: r.Watch,
		environment: survey.Environment(r.Version)}
	if m.IsCopy() {
		return r.copy(ctx, step, w)
	}
	setup := step.Cell.Setup
	opened, err := address.Open(ctx, address.Request{
		Address: r.where, Setup: &setup, Overwrite: r.Overwrite, Size: m.Size, Carrier: target.Automatic,
		Conditions: step.Cell.Conditions(),
		Probes:     r.Probes, Version: r.Version, Demo: r.Book,
	})
	if err != nil {
		return nil, fmt.Errorf("%s at %s: %w", step.Cell.Name, r.where, err)
	}
	s, err := w.run(ctx, opened)
	if closing := opened.Target.Close(); err == nil {
		err = closing
	}
	return s, err
}

func (r *Real) copy(ctx context.Context, step Step, w work) (*session.Session, error) {
	m := w.measurement
	setup := step.Cell.Setup
	own, stop, err := transfer.FolderEnd(r.where, "", &setup)
	if err != nil {
		return nil, err
	}
	if stop != nil {
		defer stop()
	}
	other, stopOther, err := transfer.FolderEnd(m.Other, "", nil)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", m.Name, err)
	}
	if stopOther != nil {
		defer stopOther()
	}
	return w.copy(ctx, own, other, step.Cell.Conditions())
}
