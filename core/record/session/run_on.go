package session

import "opengauge/core/unit"

// longestPause is how long the end of one pass and the start of the next may be apart, in
// seconds, for the storage to have run on.
const longestPause = 3.0

// RunsOn are passes that are alike and follow each other without a rest: to the storage
// they are one. Each is given with them all as one recording, two passes at the least.
func (s *Session) RunsOn() []RunOn {
	var runs []RunOn
	for i := 0; i < len(s.Passes); {
		first := i
		for i++; i < len(s.Passes) && follows(&s.Passes[i-1], &s.Passes[i]); i++ {
		}
		if i-first > 1 {
			runs = append(runs, runOn(s.Passes[first:i]))
		}
	}
	return runs
}

// RunOn is passes that ran on.
type RunOn struct {
	// Indexes are those of the passes, and Whole all of them as one: its index and its
	// start are those of the first.
	Indexes []int
	Whole   Pass
}

// follows says whether a pass goes on with what the one before it did.
func follows(before, after *Pass) bool {
	pause := after.StartedSeconds - after.SettleSeconds - before.StartedSeconds - before.ElapsedSeconds
	return !before.CutShort && before.Key() == after.Key() && before.FillShare == after.FillShare &&
		pause <= longestPause && len(before.Samples) > 0 && len(after.Samples) > 0
}

func runOn(passes []Pass) RunOn {
	first := &passes[0]
	run := RunOn{Whole: *first}
	w := &run.Whole
	w.Samples, w.Bytes, w.Operations, w.Errors, w.Throughput, w.Steady = nil, 0, 0, 0, nil, nil
	for i := range passes {
		p := &passes[i]
		since := p.StartedSeconds - first.StartedSeconds
		if i > 0 && p.SettleBytes > 0 {
			w.Samples = append(w.Samples, Sample{TSeconds: since, ElapsedSeconds: p.SettleSeconds, Bytes: p.SettleBytes,
				BytesPerSecond: rate(p.SettleBytes, p.SettleSeconds), TemperaturesCelsius: p.Samples[0].TemperaturesCelsius,
				Readings: p.Samples[0].Readings})
			w.Bytes += p.SettleBytes
		}
		for _, sample := range p.Samples {
			sample.TSeconds += since
			w.Samples = append(w.Samples, sample)
		}
		w.Bytes, w.Operations, w.Errors = w.Bytes+p.Bytes, w.Operations+p.Operations, w.Errors+p.Errors
		w.ElapsedSeconds, w.CutShort = since+p.ElapsedSeconds, w.CutShort || p.CutShort
		run.Indexes = append(run.Indexes, p.Index)
	}
	w.BytesPerSecond = rate(w.Bytes, w.ElapsedSeconds)
	return run
}

func rate(bytes unit.Bytes, seconds float64) unit.BytesPerSecond {
	if seconds <= 0 {
		return 0
	}
	return unit.BytesPerSecond(float64(bytes) / seconds)
}
