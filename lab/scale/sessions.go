//go:build linux

package main

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"strconv"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// The content of a session: passes of different loads, one of them with samples, all figures with
// a spread of their own.
const (
	passesEach  = 20
	samplesEach = 300
	spread      = 0.03
	// setUps is how many sets of parts a lab has had on its benches.
	setUps = 50_000
	// decks is how many sessions have the same of the condition that comparisons filter by.
	decks = 10_000
)

// generate yields sessions that differ as those of a lab do, from a number on.
func generate(from, count int) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		for number := from; number < from+count; number++ {
			if !yield(one(number), nil) {
				return
			}
		}
	}
}

var quick, _ = plan.Load("quick")

var ports = []string{"usb 3.2 gen 1", "usb 3.2 gen 2", "usb 3.2 gen 2x2", "usb4 40g", "pcie 3.0 x4", "pcie 4.0 x4"}

// one is the session of a number.
func one(number int) *session.Session {
	r := rand.New(rand.NewPCG(uint64(number), 0x7363616c65))
	setUp := number / 20 % setUps // a set-up is measured twenty times
	port, _ := link.Find(ports[setUp%len(ports)])
	inside, _ := link.Find("pcie 4.0 x4")
	started := time.Date(2016, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(number) * 5 * time.Minute)
	s := &session.Session{
		Format: session.Format, ID: fmt.Sprintf("b%09s", strconv.FormatInt(int64(number), 36)),
		Name: fmt.Sprintf("run %d of %s", number, word(r)), State: session.Complete, Started: started,
		Ended: started.Add(4 * time.Minute), Plan: quick,
		Target: session.Target{Address: "/media/" + word(r), Kind: "folder", FileSystem: "ext4", SpanBytes: unit.GiB,
			CapacityBytes: 1e12},
		Chain: link.NewChain(port.Hop("desk port"), inside.Hop("drive")),
		Parts: []book.Part{
			{Kind: book.Enclosure, Name: fmt.Sprintf("case-%d", setUp%97), Price: 40},
			{Kind: book.Drive, Name: fmt.Sprintf("drive-%d", setUp), Price: 80, Capacity: 1e12}},
		// What is compared comes in pairs: fan on and off, all else equal.
		Conditions:  map[string]string{"fan": []string{"on", "off"}[r.IntN(2)], "deck": strconv.Itoa(number / decks)},
		Environment: host.Environment{System: "linux", Host: fmt.Sprintf("desk-%d", setUp%20), ProgramVersion: "1.0"},
		Events:      []session.Event{}, Findings: []session.Finding{},
		Notes: []session.Remark{{Text: word(r) + " " + word(r) + " " + word(r), Written: started}},
	}
	for i := range passesEach {
		s.Passes = append(s.Passes, passOf(r, i))
	}
	s.Passes[r.IntN(passesEach)].Samples = samplesOf(r)
	return s
}

func word(r *rand.Rand) string { return strconv.FormatUint(r.Uint64(), 36) }

// noisy is a figure with the spread of measurements.
func noisy(r *rand.Rand, value float64) float64 { return value * (1 + spread*r.NormFloat64()) }

func passOf(r *rand.Rand, index int) session.Pass {
	operation := []load.Operation{load.Read, load.Write}[index%2]
	access := load.Sequential
	block := unit.Bytes(unit.MiB)
	if index/2%2 == 1 {
		access = load.Random
		block = 4 * unit.KiB
	}
	rate := noisy(r, 1e9/float64(1+index))
	low := unit.BytesPerSecond(rate * 0.99)
	high := unit.BytesPerSecond(rate * 1.01)
	latency := noisy(r, 1e-3)
	return session.Pass{
		Index: index, Step: "sweep", Load: load.New(operation, access, block, 1<<(index/4)), AskedSeconds: 5,
		Queue: "native", Direct: true, StartedSeconds: 6 * float64(index), ElapsedSeconds: noisy(r, 5),
		FlushSeconds: noisy(r, 0.01), Bytes: unit.Bytes(5 * rate), Operations: int64(5 * rate / float64(block)),
		BytesPerSecond: unit.BytesPerSecond(rate), Throughput: &session.RateInterval{Low: low, High: high},
		IOPS: rate / float64(block), CPUSeconds: noisy(r, 0.4), MeanDepth: noisy(r, 4),
		Latency: session.Latency{Mean: latency, P50: noisy(r, latency), P90: noisy(r, 1.2*latency),
			P99: noisy(r, 2*latency), P999: noisy(r, 4*latency), Max: noisy(r, 9*latency)},
		Samples: []session.Sample{},
	}
}

// samplesOf are as the engine cuts them: whole operations, latencies of a histogram, and an
// interval's length by the clock.
func samplesOf(r *rand.Rand) []session.Sample {
	samples := make([]session.Sample, samplesEach)
	for i := range samples {
		operations := int64(noisy(r, 1000))
		elapsed := float64(int64(noisy(r, 1e9))) / 1e9
		samples[i] = session.Sample{
			TSeconds: float64(i + 1), ElapsedSeconds: elapsed, Bytes: unit.Bytes(operations) * unit.MiB, Operations: operations,
			BytesPerSecond: unit.BytesPerSecond(float64(operations) * 1048576 / elapsed), IOPS: float64(operations) / elapsed,
			P50Seconds: float64(int64(noisy(r, 1e6))) / 1e9, P99Seconds: float64(int64(noisy(r, 2e6))) / 1e9,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(int(noisy(r, 45)))},
		}
	}
	return samples
}
