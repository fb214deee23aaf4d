package sim

import (
	"math"
	"time"

	"opengauge/core/unit"
)

const (
	// tick is the step in which heat is followed. Within one, power is constant.
	tick = 100 * time.Millisecond
	// controllerLag is how fast the controller follows its own power.
	controllerLag = 3 * time.Second
	// unlimited is a rate that nothing has.
	unlimited unit.BytesPerSecond = math.MaxFloat64
)

// thermal is one thermal mass behind one resistance to ambient:
//
//	C dT/dt = P - (T - T_ambient) / R
//
// solved exactly over each tick (a first-order lumped model; Incropera and
// DeWitt, Fundamentals of Heat and Mass Transfer, 5.1). The controller is warmer
// than the mass by its own resistance times the power, after a lag. Each throttle
// stage begins at its temperature of the mass and ends at a lower one. An
// automatic fan starts FanDelay after FanOnAt was reached and stops at FanOffAt.
type thermal struct {
	drive     *Drive
	enclosure *Enclosure
	ambient   unit.Celsius

	drawn       float64       // joules spent in the current tick
	until       time.Duration // where the current tick ends
	watts       float64       // of the last tick
	temperature unit.Celsius
	controller  unit.Celsius
	// stages says which throttle stages are on, and limit is the rate that they leave.
	stages   []bool
	limit    unit.BytesPerSecond
	held     float64 // the share that holding a temperature leaves
	probe    unit.Celsius
	fan      bool
	fanAsked time.Duration // when FanOnAt was reached, or -1
	// left is when the drive vanished, or -1, and returned whether it came back
	// since.
	left     time.Duration
	returned bool
}

func newThermal(drive *Drive, enclosure *Enclosure, ambient unit.Celsius) thermal {
	h := thermal{
		drive: drive, enclosure: enclosure, ambient: ambient, until: tick, fanAsked: -1, left: -1,
		stages: make([]bool, len(drive.Throttle)), limit: unlimited, watts: drive.IdleWatts,
	}
	h.held = 1
	h.probe = ambient
	h.fan = enclosure.Cooling == AlwaysOn
	h.temperature = h.balance(drive.IdleWatts)
	h.controller = h.temperature + unit.Celsius(drive.IdleWatts*drive.ControllerResistance)
	h.probe += (h.temperature - ambient) * unit.Celsius(enclosure.Probe.Sees)
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
		if h.drawn == 0 && h.atRest() && now > h.until {
			h.until += (now - h.until) / tick * tick // nothing changes any more
		}
	}
}

// atRest reports whether nothing would change while nothing is asked of the drive.
func (h *thermal) atRest() bool {
	const same = 1e-7 // kelvins
	idle := h.balance(h.drive.IdleWatts)
	own := idle + unit.Celsius(h.drive.IdleWatts*h.drive.ControllerResistance)
	seen := h.ambient + (idle-h.ambient)*unit.Celsius(h.enclosure.Probe.Sees)
	near := func(a, b unit.Celsius) bool { return math.Abs(float64(a-b)) < same }
	return near(h.temperature, idle) && near(h.controller, own) && (h.enclosure.Probe.Lag == 0 || near(h.probe, seen)) &&
		h.left < 0 && h.limit == unlimited && h.held == 1 && h.enclosure.Cooling != Automatic
}

func (h *thermal) step() {
	h.watts = h.drive.IdleWatts + h.drawn/tick.Seconds()
	if others := &h.enclosure.Others; others.Warm {
		if left := others.left(h.until); left > 0 && left < 1 { // they draw what is not left
			h.watts += h.drawn / tick.Seconds() * (1/left - 1)
		}
	}
	h.drawn = 0
	goal := h.balance(h.watts)
	share := math.Exp(-tick.Seconds() / (h.resistance() * h.enclosure.HeatCapacity))
	h.temperature = goal + (h.temperature-goal)*unit.Celsius(share)
	own := h.temperature + unit.Celsius(h.watts*h.drive.ControllerResistance)
	h.controller += (own - h.controller) * unit.Celsius(tick.Seconds()/controllerLag.Seconds())
	if p := &h.enclosure.Probe; p.Lag > 0 {
		seen := h.ambient + (h.temperature-h.ambient)*unit.Celsius(p.Sees)
		h.probe += (seen - h.probe) * unit.Celsius(min(tick.Seconds()/p.Lag.Seconds(), 1))
	}
	h.throttle()
	h.hold()
	h.vanish()
	h.cool()
}

func (h *thermal) throttle() {
	h.limit = unlimited
	for i, stage := range h.drive.Throttle {
		switch {
		case h.temperature >= stage.At:
			h.stages[i] = true
		case stage.Until > 0 && h.temperature <= stage.Until:
			h.stages[i] = false
		}
		if h.stages[i] {
			h.limit = min(h.limit, stage.Rate)
		}
	}
}

// hold moves the share that holding a temperature leaves.
func (h *thermal) hold() {
	if hold := &h.drive.Hold; hold.At > 0 {
		off := float64(h.temperature - hold.At)
		h.held = min(max(h.held-hold.Gain*off*tick.Seconds(), hold.Least), 1)
	}
}

func (h *thermal) vanish() {
	v := &h.enclosure.Vanish
	switch {
	case v.At > 0 && h.left < 0 && h.temperature >= v.At:
		h.left = h.until
	case h.left >= 0 && v.For > 0 && h.until >= h.left+v.For:
		h.left = -1
		h.returned = true
	}
}

func (h *thermal) cool() {
	if h.enclosure.Cooling != Automatic {
		return
	}
	switch {
	case h.fan && h.temperature <= h.enclosure.FanOffAt:
		h.fan = false
		h.fanAsked = -1
	case !h.fan && h.fanAsked < 0 && h.temperature >= h.enclosure.FanOnAt:
		h.fanAsked = h.until
	case !h.fan && h.fanAsked >= 0 && h.until >= h.fanAsked+h.enclosure.FanDelay:
		h.fan = true
	}
}
