package survey

import (
	"runtime"
	"runtime/debug"
	"sync"
	"time"

	"opengauge/core/unit"
)

const (
	// copied is the memory that all processors together copy: more than most
	// caches hold, and little enough to be had on any machine. Where a cache holds
	// it, memory seems faster than it is, and no storage is called impossible for
	// that.
	copied = 16 * unit.MiB
	// copyTime is how long the copying takes.
	copyTime = 30 * time.Millisecond
)

// memoryTraffic is what all processors of this machine together move to and
// from memory by copying, in bytes a second: each byte copied is read once and
// written once. Storage that seems faster than that did not go through memory.
func memoryTraffic() unit.BytesPerSecond {
	rates := make([]float64, runtime.GOMAXPROCS(0))
	from, to := make([]byte, copied), make([]byte, copied)
	touch(from)
	touch(to)
	share := len(from) / len(rates)
	var running sync.WaitGroup
	for processor := range rates {
		own := processor * share
		running.Go(func() { rates[processor] = copyRate(to[own:own+share], from[own:own+share]) })
	}
	running.Wait()
	from, to = nil, nil
	debug.FreeOSMemory() // a measurement has better uses for it
	total := 0.0
	for _, rate := range rates {
		total += rate
	}
	return unit.BytesPerSecond(total)
}

// copyRate is what one processor moves.
func copyRate(to, from []byte) float64 {
	moved, began := 0, time.Now()
	for time.Since(began) < copyTime {
		moved += 2 * copy(to, from)
	}
	return float64(moved) / time.Since(began).Seconds()
}

// touch makes the system give every page of a buffer.
func touch(buffer []byte) {
	const page = 4096
	for i := 0; i < len(buffer); i += page {
		buffer[i] = 1
	}
}
