package target

import (
	"math/rand/v2"
	"os"
	"runtime"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/unit"
)

// Bare is what a bare loop of the program's own system calls reached.
type Bare struct {
	Operations int64
	Elapsed    time.Duration
	Processor  time.Duration
}

// BareRing keeps reads under way on a ring for a stretch of time. It records
// nothing: no clock is read and nothing is counted but the operations.
func BareRing(file *os.File, depth int, block, span unit.Bytes, random bool, stretch time.Duration) (Bare, error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	u, err := newURing(file, time.Now(), Shape{Slots: depth, Block: block})
	if err != nil {
		return Bare{}, err
	}
	defer u.Close()
	chance, next := rand.NewPCG(1, 2), int64(0)
	blocks := int64(span / block)
	offset := func() int64 {
		if random {
			return int64(chance.Uint64()%uint64(blocks)) * int64(block)
		}
		next++
		return next % blocks * int64(block)
	}
	tail := *u.submissionTail
	push := func(slot int) {
		at := tail & u.submissionMask
		u.prepare(&u.submissions[at], &Operation{Action: Read, Slot: slot, Offset: offset(), Length: int(block)})
		u.array[at] = at
		tail++
	}
	for slot := range depth {
		push(slot)
	}
	began, used := time.Now(), ProcessorTime()
	var operations int64
	for time.Since(began) < stretch {
		for range 64 { // looks at the clock once in many rounds
			u.queued = tail - *u.submissionTail
			*u.submissionTail = tail
			if err := u.enter(time.Second); err != nil {
				return Bare{}, err
			}
			for *u.completionHead != *u.completionTail {
				c := &u.completions[*u.completionHead&u.completionMask]
				push(int(c.userData))
				*u.completionHead++
				operations++
			}
		}
	}
	return Bare{operations, time.Since(began), ProcessorTime() - used}, nil
}

// BareCalls does one positioned read after the other for a stretch of time.
func BareCalls(file *os.File, block, span unit.Bytes, stretch time.Duration) (Bare, error) {
	chance := rand.NewPCG(1, 2)
	blocks := uint64(span / block)
	buffer, fd := aligned(int(block)), int(file.Fd())
	began, used := time.Now(), ProcessorTime()
	var operations int64
	for time.Since(began) < stretch {
		for range 1024 {
			if _, err := unix.Pread(fd, buffer, int64(chance.Uint64()%blocks)*int64(block)); err != nil {
				return Bare{}, err
			}
		}
		operations += 1024
	}
	return Bare{operations, time.Since(began), ProcessorTime() - used}, nil
}

// OnFile makes a target of an open file, for reading.
func OnFile(file *os.File, span unit.Bytes) Target {
	return &kernelFile{file: file, epoch: time.Now(), description: Description{Kind: File, Span: span, Direct: true, Parallel: true}}
}
