package target

import (
	"fmt"
	"os"
	"strings"

	"opengauge/core/clock"
)

// Carrier is a way by which operations go to the kernel.
type Carrier string

// The carriers. Automatic takes the cheapest that this system offers: direct
// positioned calls at depth 1, the system's native queue above, and a pool of
// threads where that is missing or refused.
const (
	Automatic Carrier = ""
	Native    Carrier = "native"
	Threads   Carrier = "threads"
)

// ParseCarrier reads "automatic", "native" or "threads".
func ParseCarrier(name string) (Carrier, error) {
	switch name {
	case "automatic":
		return Automatic, nil
	case string(Native), string(Threads):
		return Carrier(name), nil
	}
	return "", fmt.Errorf("unknown queue %q; use %s", name, strings.Join(CarrierNames, ", "))
}

// CarrierNames are the spellings that [ParseCarrier] takes.
var CarrierNames = []string{"automatic", string(Native), string(Threads)}

func (c Carrier) open(file *os.File, at clock.Clock, shape Shape) (Queue, error) {
	switch c {
	case Threads:
		return threads(file, at, shape)
	case Native:
		return newNative(file, at, shape)
	}
	if shape.Slots == 1 && callsAtOnce {
		return newCaller(file, at, shape), nil
	}
	if native, err := newNative(file, at, shape); err == nil {
		return native, nil
	}
	return threads(file, at, shape)
}

// threads gives a pool as a queue.
func threads(file *os.File, at clock.Clock, shape Shape) (Queue, error) {
	opened, err := newPool(file, at, shape)
	if err != nil {
		return nil, err
	}
	return opened, nil
}
