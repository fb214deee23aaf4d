package session_test

import (
	"fmt"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Passes are alike if the same was asked of the storage, at the same fill level.
func ExampleSession_Alike() {
	small := load.New(load.Read, load.Random, 4*unit.KiB, 32)
	large := load.New(load.Write, load.Sequential, unit.MiB, 8)
	s := &session.Session{Passes: []session.Pass{
		{Load: small, BytesPerSecond: 370e6}, {Load: large, BytesPerSecond: 1e9},
		{Load: small, BytesPerSecond: 372e6, Repeat: 1}, {Load: large, FillShare: 0.5, BytesPerSecond: 8e8},
		{Load: small, BytesPerSecond: 12e6, CutShort: true},
	}}
	for _, group := range s.Alike(nil) {
		fmt.Println(len(group.Passes), group.Key)
	}
	fmt.Println("whatever the fill level:")
	for _, group := range s.Alike(func(k *session.Key) { k.Fill = 0 }) {
		fmt.Println(len(group.Passes), group.Key)
	}
	// Output:
	// 2 read random 4 KiB, depth 32
	// 1 write sequential 1 MiB, depth 8
	// 1 write sequential 1 MiB, depth 8, 50 % full
	// whatever the fill level:
	// 2 read random 4 KiB, depth 32
	// 2 write sequential 1 MiB, depth 8
}

// Evidence of a kind that this program does not know is kept as it stands.
func ExampleEvidence() {
	e := session.NewEvidence(struct {
		Hop     string  `json:"hop"`
		Seconds float64 `json:"at_seconds"`
	}{"port to limpet", 12.5})
	for _, fact := range e.Facts() {
		fmt.Println(fact.Name, fact.Value)
	}
	// Output:
	// hop port to limpet
	// at_seconds 12.5
}
