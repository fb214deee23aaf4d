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
	// Indexes are the numbers of the passes, and Whole is all of them as one, with the index and the start of
	// the first.
	Indexes []int
	Whole   Pass
}

// follows reports whether a pass goes on with the work of the one before it.
func follows(before, after *Pass) bool {
	pause := after.StartedSeconds - after.SettleSeconds - before.StartedSeconds - before.ElapsedSeconds
	return !before.CutShort && before.Key() == after.Key() && before.FillShare == after.FillShare &&
		pause <= longestPause && len(before.Samples) > 0 && len(after.Samples) > 0
}

func runOn(passes []Pass) RunOn {
	first := &passes[0]
	run := RunOn{Whole: *first}
	w := &run.Whole
	w.Samples = nil
	w.Bytes = 0
	w.Operations = 0
	w.Errors = 0
	w.Throughput = nil
	w.Steady = nil
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
		w.Bytes = w.Bytes + p.Bytes
		w.Operations = w.Operations + p.Operations
		w.Errors = w.Errors + p.Errors
		w.ElapsedSeconds = since + p.ElapsedSeconds
		w.CutShort = w.CutShort || p.CutShort
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
