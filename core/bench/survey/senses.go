package survey

import (
	"context"
	"path"
	"strings"
	"time"

	"opengauge/core/bench/sensor"
	"opengauge/core/unit"
)

// Sensors gives what this machine measures beside a pass: the device's own
// thermometers, and the machine's thermal zones, fans and power.
func (m *Machine) Sensors(d Device) []sensor.Source {
	return []sensor.Source{&deviceSensors{machine: m, device: d}, &machineSensors{machine: m}}
}

// deviceSensors are the thermometers of a device: all of those that the kernel
// knows, and those of an NVMe drive's health.
type deviceSensors struct {
	machine *Machine
	device  Device
}

func (s *deviceSensors) Name() string { return "the sensors of " + s.device.Name }

func (s *deviceSensors) Read(context.Context) (sensor.Reading, error) {
	if s.machine.other != nil {
		return s.machine.foreignTemperatures(s.device.Name), nil
	}
	reading := sensor.Reading{Temperatures: s.machine.temperatures(s.device.folder)}
	if _, told := reading.Temperatures["drive"]; told {
		return reading, nil
	}
	if h := s.machine.health(&s.device); h != nil {
		reading.Temperatures["drive"] = h.TemperatureCelsius
	}
	return reading, nil
}

// machineSensors are the machine's own.
type machineSensors struct {
	machine *Machine
	// energy is what the processor's meter said last, in joules.
	energy float64
	at     time.Time
}

func (s *machineSensors) Name() string { return "the sensors of this machine" }

func (s *machineSensors) Read(context.Context) (sensor.Reading, error) {
	reading := sensor.Reading{Temperatures: map[string]unit.Celsius{}, Values: map[string]float64{}}
	s.zones(reading)
	s.fansAndPower(reading)
	s.processor(reading)
	return reading, nil
}

// zones reads thermal zones (Documentation/ABI/testing/sysfs-class-thermal:
// thousandths of a degree).
func (s *machineSensors) zones(into sensor.Reading) {
	const folder = "sys/class/thermal"
	for _, zone := range s.machine.Names(folder) {
		value, ok := s.machine.Number(folder, zone, "temp")
		kind := s.machine.Text(folder, zone, "type")
		if celsius := unit.Celsius(value / 1000); ok && kind != "" && celsius.Believable() {
			into.Temperatures["zone "+kind] = unit.Celsius(celsius)
		}
	}
}

// fansAndPower reads every hwmon's fans (turns a minute) and power (microwatts).
func (s *machineSensors) fansAndPower(into sensor.Reading) {
	const folder = "sys/class/hwmon"
	for _, chip := range s.machine.Names(folder) {
		place := path.Join(folder, chip)
		for _, file := range s.machine.Names(place) {
			name, isInput := strings.CutSuffix(file, "_input")
			value, ok := s.machine.Number(place, file)
			switch {
			case !isInput || !ok:
			case strings.HasPrefix(name, "fan"):
				into.Values[chip+"_"+name+"_rpm"] = value
			case strings.HasPrefix(name, "power"):
				into.Values[chip+"_"+name+"_watts"] = value / 1e6
			}
		}
	}
}

// processor reads the energy meter of the processor (Documentation/power/
// powercap: microjoules), which wraps round.
func (s *machineSensors) processor(into sensor.Reading) {
	microjoules, ok := s.machine.Number("sys/class/powercap/intel-rapl:0/energy_uj")
	if !ok {
		return
	}
	joules, now := microjoules/1e6, time.Now()
	if seconds := now.Sub(s.at).Seconds(); !s.at.IsZero() && joules >= s.energy && seconds > 0 {
		into.Values["processor_watts"] = (joules - s.energy) / seconds
	}
	s.energy, s.at = joules, now
}
