package wire

import (
	"context"

	"opengauge/core/bench/sensor"
)

// RoundTripReading names a round trip over the wire in samples.
const RoundTripReading = "wire_round_trip_seconds"

// Sensor reads round trips over the wire: idle while nothing else goes over it, and under
// load beside a pass.
func (w *Wire) Sensor() sensor.Source { return trips{w} }

type trips struct{ wire *Wire }

func (t trips) Name() string { return "the round trip over " + t.wire.address }

func (t trips) Read(ctx context.Context) (sensor.Reading, error) {
	seconds, err := t.wire.RoundTrip(ctx)
	if err != nil {
		return sensor.Reading{}, err
	}
	return sensor.Reading{Values: map[string]float64{RoundTripReading: seconds}}, nil
}
