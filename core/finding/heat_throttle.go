package finding

import (
	"fmt"
	"math"

	"opengauge/core/plan"
	"opengauge/core/session"
	"opengauge/core/unit"
)

const (
	// nearPeak is how close to its highest of the whole pass the temperature
	// has to be when throughput falls: sensors report whole degrees, late.
	nearPeak = 2.5
	// leastRise is what the pass has to have warmed the drive by.
	leastRise = 4.0
	// leastCooling is what the drive has to have cooled by when throughput
	// comes back. A drive that slows itself comes back because it is cooler; a
	// full write area does not care.
	leastCooling = 2.0
	// sameTemperature is how close together the temperatures of repeated drops
	// lie when one threshold causes them.
	sameTemperature = 3.0
	// aroundSeconds is how far from a drop its temperature is looked for.
	aroundSeconds = 3.0
)

// hotDrop is a drop at the pass's highest temperature.
type hotDrop struct {
	drop
	temperature unit.Celsius
	// cooledTo is the temperature at which throughput came back, if it did.
	cooledTo unit.Celsius
	cooled   bool
}

// heatThrottle finds throughput that falls when the drive is at its hottest and
// comes back when it has cooled. One such cycle separates heat from a full
// write area; several at one temperature settle it. Drops without a return
// name heat only for reads, which have no write area to fill.
func heatThrottle(pass *session.Pass) []session.Finding {
	h, known := heatOf(pass)
	if !known || float64(h.highest()-h.values[0]) < leastRise {
		return nil
	}
	hot := hotDrops(pass, h)
	if len(hot) == 0 {
		return nil
	}
	cycles := 0
	for _, d := range hot {
		if d.cooled {
			cycles++
		}
	}
	confidence := heatConfidence(pass, hot, cycles)
	if confidence == 0 {
		return nil
	}
	return []session.Finding{heatFinding(pass, h, hot, cycles, confidence)}
}

// hotDrops gives the drops that happened at the pass's highest temperature.
func hotDrops(pass *session.Pass, h heat) []hotDrop {
	var hot []hotDrop
	for _, d := range drops(pass) {
		temperature, found := h.around(d.at, aroundSeconds)
		if !found || float64(h.highest()-temperature) > nearPeak {
			continue
		}
		candidate := hotDrop{drop: d, temperature: temperature}
		if d.returned != nil {
			low, found := h.lowest(d.at, d.returned.from+aroundSeconds)
			candidate.cooledTo = low
			candidate.cooled = found && float64(temperature-low) >= leastCooling
		}
		hot = append(hot, candidate)
	}
	return hot
}

func heatConfidence(pass *session.Pass, hot []hotDrop, cycles int) float64 {
	lowest, highest := hot[0].temperature, hot[0].temperature
	for _, d := range hot {
		lowest, highest = min(lowest, d.temperature), max(highest, d.temperature)
	}
	switch {
	case cycles >= 2 && float64(highest-lowest) <= sameTemperature:
		return 0.97
	case cycles >= 1:
		return 0.85
	case pass.Operation == plan.Read:
		return 0.7
	default:
		return 0
	}
}

func heatFinding(pass *session.Pass, h heat, hot []hotDrop, cycles int, confidence float64) session.Finding {
	first, last := hot[0], hot[len(hot)-1]
	slow, spans := 0.0, []session.Span{}
	for _, d := range hot {
		slow += d.after.to - d.at
		spans = append(spans, session.Span{FromSeconds: d.at, ToSeconds: d.after.to})
	}
	counted := pass.Samples[len(pass.Samples)-1].TSeconds
	share := slow / counted
	evidence := map[string]any{
		"sensor":                  h.sensor,
		"fast_bytes_per_second":   math.Round(float64(first.before.rate)),
		"slow_bytes_per_second":   math.Round(float64(first.after.rate)),
		"throttle_at_celsius":     first.temperature,
		"start_celsius":           h.values[0],
		"highest_celsius":         h.highest(),
		"first_drop_seconds":      first.at,
		"moved_before_drop_bytes": bytesUntil(pass, first.at),
		"drops":                   len(hot),
		"drops_with_recovery":     cycles,
		"time_slow_seconds":       slow,
		"time_slow_share":         share,
	}
	came := "It did not come back within the pass."
	if first.cooled {
		evidence["resume_at_celsius"] = first.cooledTo
		came = fmt.Sprintf("It came back at %s.", first.cooledTo)
	}
	notation := unit.Decimal
	return session.Finding{
		Kind: "heat-throttle", Severity: session.Caution, Confidence: confidence,
		Summary: fmt.Sprintf("Throughput fell from %s to %s after %.0f s, when the %s was at %s. %s Slow for %.0f %% of the pass.",
			notation.Rate(first.before.rate), notation.Rate(first.after.rate), first.at, h.sensor, first.temperature, came, share*100),
		Passes: []int{pass.Index}, FromSeconds: first.at, ToSeconds: last.after.to, Spans: spans,
		Evidence: evidence,
		Advice:   "Cool it better (a fan, a case that carries heat away) and repeat the pass: if heat is the cause, the drop comes later or not at all.",
	}
}

// bytesUntil is how much a pass had moved by a time.
func bytesUntil(pass *session.Pass, at float64) unit.Bytes {
	var bytes unit.Bytes
	for _, sample := range pass.Samples {
		if sample.TSeconds > at+1e-9 {
			break
		}
		bytes += sample.Bytes
	}
	return bytes
}
