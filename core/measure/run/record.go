package run

import (
	"time"

	"opengauge/core/measure/engine"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// askedBytes is the amount of a pass that it alone ends.
func askedBytes(p plan.Pass) unit.Bytes {
	if !p.Open() {
		return 0
	}
	return p.End.Bytes
}

// passRecord turns the engine's result into the session's form.
func passRecord(p plan.Pass, d target.Description, result engine.Result, began time.Duration) session.Pass {
	elapsed := result.Elapsed.Seconds()
	record := session.Pass{
		Index: p.Index, Step: p.Step, Load: p.Load, AskedSeconds: p.Hold.Seconds(),
		AskedBytes: askedBytes(p), FillShare: p.Fill, Repeat: p.Repeat, Steady: result.Steady,
		Queue: result.Queue, Direct: d.Direct, CutShort: result.CutShort,
		StartedSeconds: (result.Started - began).Seconds(),
		SettleSeconds:  p.Settle().Seconds(),
		ElapsedSeconds: elapsed, FlushSeconds: result.Flush.Seconds(),
		Bytes: result.Bytes, Operations: result.Operations, Errors: result.Errors,
		Short: result.Short, Retried: result.Retried, Attempts: result.Attempts,
		BytesPerSecond: unit.BytesPerSecond(perSecond(float64(result.Bytes), elapsed)),
		IOPS:           perSecond(float64(result.Operations), elapsed),
		CPUSeconds:     result.Usage.Processor.Seconds(),
		Latency: session.Latency{
			Mean: result.Latency.MeanSeconds, P50: result.Latency.P50Seconds, P90: result.Latency.P90Seconds,
			P99: result.Latency.P99Seconds, P999: result.Latency.P999Seconds, Max: result.Latency.MaxSeconds,
		},
		Samples: make([]session.Sample, len(result.Samples)),
	}
	if p.Writes() && p.Settle() > 0 {
		record.SettleBytes = max(result.Moved.Written+result.Moved.Read-result.Bytes, 0)
	}
	record.Depth = result.Depth
	record.Workers = result.Workers // as they ran
	device := result.Usage.Device
	if moved := device.Moved(); result.Usage.Known {
		record.DeviceBytes = &moved
		record.DeviceReadBytes = &device.Read
		depth := perSecond(device.Waited.Seconds(), elapsed)
		record.DeviceDepth = &depth
	}
	record.MeanDepth = result.MeanDepth
	record.CutOffOperations = result.CutOff
	if p.Scheduled() {
		record.Lateness = &session.Lateness{P50: result.Lateness.P50Seconds, P99: result.Lateness.P99Seconds}
		record.SpinSeconds = result.Spun.Seconds()
	}
	for _, failure := range result.Failures {
		record.Failures = append(record.Failures, failureRecord(failure))
	}
	if result.Known {
		record.Throughput = &session.RateInterval{
			Low: unit.BytesPerSecond(result.Throughput.Low), High: unit.BytesPerSecond(result.Throughput.High),
		}
	}
	if result.FirstError != nil {
		record.FirstError = result.FirstError.Error()
	}
	for i, sample := range result.Samples {
		record.Samples[i] = sampleRecord(sample)
	}
	return record
}

func failureRecord(f engine.Failure) session.Failure {
	return session.Failure{
		Action: f.Action.String(), Error: target.Explain(f.Err).Error(), Count: f.Count,
		FirstOffset: f.FirstOffset, FromOffset: f.FromOffset, ToOffset: f.ToOffset,
	}
}

func sampleRecord(s engine.Sample) session.Sample {
	elapsed := s.Elapsed.Seconds()
	record := session.Sample{
		TSeconds: s.At.Seconds(), ElapsedSeconds: elapsed,
		Bytes: s.Bytes, Operations: s.Operations, Errors: s.Errors,
		BytesPerSecond: unit.BytesPerSecond(perSecond(float64(s.Bytes), elapsed)),
		IOPS:           perSecond(float64(s.Operations), elapsed),
		P50Seconds:     s.P50Seconds, P99Seconds: s.P99Seconds,
		TemperaturesCelsius: map[string]unit.Celsius{},
	}
	for name, temperature := range s.Temperatures {
		record.TemperaturesCelsius[name] = temperature
	}
	if len(s.Readings) > 0 {
		record.Readings = s.Readings
	}
	return record
}

func perSecond(count, seconds float64) float64 {
	if seconds <= 0 {
		return 0
	}
	return count / seconds
}
