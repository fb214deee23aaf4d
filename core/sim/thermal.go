package sim

import (
	"math"
	"time"

	"opengauge/core/unit"
)

// tick is the step in which heat is followed. Within one, power is constant.
const tick = 100 * time.Millisecond

// thermal is one thermal mass behind one resistance to ambient:
//
//	C dT/dt = P - (T - T_ambient) / R
//
// solved exactly over each tick (a first-order lumped model; Incropera and
// DeWitt, Fundamentals of Heat and Mass Transfer, 5.1). Above ThrottleAt the
// drive slows itself until it is at ResumeAt. An automatic fan starts FanDelay
// after FanOnAt was reached and stops at FanOffAt.
type thermal struct {
	drive     Drive
	enclosure Enclosure
	ambient   unit.Celsius

	drawn       float64       // joules spent in the current tick
	until       time.Duration // where the current tick ends
	temperature unit.Celsius
	throttled   bool
	fan         bool
	fanAsked    time.Duration // when FanOnAt was reached, or -1
}

func newThermal(drive Drive, enclosure Enclosure, ambient unit.Celsius) thermal {
	h := thermal{drive: drive, enclosure: enclosure, ambient: ambient, until: tick, fanAsked: -1}
	h.fan = enclosure.Cooling == AlwaysOn
	h.temperature = h.balance(drive.IdleWatts)
	return h
}

func (h *thermal) resistance() float64 {
	if h.fan {
		return h.enclosure.FanResistance
	}
	return h.enclosure.Resistance
}

// balance is the temperature that a constant power leads to in the end.
func (h *thermal) balance(watts float64) unit.Celsius {
	return h.ambient + unit.Celsius(watts*h.resistance())
}

// spend adds the energy of an operation to the current tick.
func (h *thermal) spend(joules float64) { h.drawn += joules }

// advance follows the heat up to now.
func (h *thermal) advance(now time.Duration) {
	for h.until <= now {
		h.step()
		h.until += tick
	}
}

func (h *thermal) step() {
	goal := h.balance(h.drive.IdleWatts + h.drawn/tick.Seconds())
	h.drawn = 0
	share := math.Exp(-tick.Seconds() / (h.resistance() * h.enclosure.HeatCapacity))
	h.temperature = goal + (h.temperature-goal)*unit.Celsius(share)
	h.throttle()
	h.cool()
}

func (h *thermal) throttle() {
	switch {
	case h.temperature >= h.drive.ThrottleAt:
		h.throttled = true
	case h.temperature <= h.drive.ResumeAt:
		h.throttled = false
	}
}

func (h *thermal) cool() {
	if h.enclosure.Cooling != Automatic {
		return
	}
	switch {
	case h.fan && h.temperature <= h.enclosure.FanOffAt:
		h.fan, h.fanAsked = false, -1
	case !h.fan && h.fanAsked < 0 && h.temperature >= h.enclosure.FanOnAt:
		h.fanAsked = h.until
	case !h.fan && h.fanAsked >= 0 && h.until >= h.fanAsked+h.enclosure.FanDelay:
		h.fan = true
	}
}
