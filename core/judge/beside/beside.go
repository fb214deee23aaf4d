// Package beside says what storage and another load take from each other: a game, an
// export, a server, whose own figure (frames, tasks, requests a second) was read while the
// storage was measured and while it was let be. It only reads sessions, and its functions
// may be called at once.
package beside

import (
	"math"

	"opengauge/core/bench/sensor"
	"opengauge/core/record/session"
	"opengauge/core/stat"
	"opengauge/core/unit"
)

// Pair is what one load of the storage and another load's figure are alone and together.
type Pair struct {
	// Session is the one in which they ran together, and Pass what was asked of the storage.
	Session, Pass string
	Figure        sensor.Figure
	// Storage is the throughput in bytes a second, and Other the figure in its own unit.
	Storage, Other Figures
	// Lower says that less of the other figure is better.
	Lower bool
}

// Figures are one and the same alone and together; NaN is not known.
type Figures struct{ Alone, Together float64 }

// Loses is the share that is lost together of what it is alone, where both are known. It is
// negative where nothing is lost.
func (f Figures) Loses(lowerIsBetter bool) (share float64, known bool) {
	if !(f.Alone > 0) || !(f.Together > 0) {
		return 0, false
	}
	if lowerIsBetter {
		return f.Together/f.Alone - 1, true
	}
	return 1 - f.Together/f.Alone, true
}

// Of gives the pairs in sessions that measured the same storage: those of which at least one
// has another load beside it. The storage alone is told by passes beside which the figure
// was not there, of any of the sessions; the other alone by rests.
func Of(sessions []*session.Session) []Pair {
	var pairs []Pair
	for _, s := range sessions {
		for _, figure := range s.Instruments {
			if figure.Quantity == sensor.Number {
				pairs = append(pairs, pairsOf(s, figure, sessions)...)
			}
		}
	}
	return pairs
}

func pairsOf(s *session.Session, figure sensor.Figure, sessions []*session.Session) []Pair {
	alone := figureAlone(s, figure)
	var pairs []Pair
	seen := map[session.Key]bool{}
	for i := range s.Passes {
		key := s.Passes[i].Key()
		if seen[key] || !s.Passes[i].Counts() {
			continue
		}
		seen[key] = true
		var rates, figures []float64
		for j := range s.Passes {
			p := &s.Passes[j]
			if value, there := meanOf(p, figure.Key); there && p.Counts() && p.Key() == key {
				rates, figures = append(rates, float64(p.BytesPerSecond)), append(figures, value)
			}
		}
		if len(rates) == 0 {
			continue
		}
		pairs = append(pairs, Pair{
			Session: s.DisplayName(), Pass: s.Passes[i].Label(), Figure: figure, Lower: figure.Better == sensor.Lower,
			Storage: Figures{storageAlone(key, figure.Key, sessions), stat.Median(rates)},
			Other:   Figures{alone, stat.Median(figures)},
		})
	}
	return pairs
}

// meanOf is the mean of a figure over a pass, and whether it was there for most of it.
func meanOf(p *session.Pass, key string) (float64, bool) {
	sum, count := 0.0, 0
	for _, sample := range p.Samples {
		if value, ok := sample.Readings[key]; ok {
			sum, count = sum+value, count+1
		}
	}
	if count == 0 || 2*count < len(p.Samples) {
		return math.NaN(), false
	}
	return sum / float64(count), true
}

// figureAlone is the middle of what a figure was in rests, but for their first second.
func figureAlone(s *session.Session, figure sensor.Figure) float64 {
	var values []float64
	for _, rest := range s.Rests {
		for _, sample := range rest.Samples {
			if value, ok := sample.Readings[figure.Key]; ok && sample.TSeconds >= 1 {
				values = append(values, value)
			}
		}
	}
	if len(values) == 0 {
		return math.NaN()
	}
	return stat.Median(values)
}

// storageAlone is the middle of the passes of a load beside which a figure was not there.
func storageAlone(key session.Key, figure string, sessions []*session.Session) float64 {
	var rates []float64
	for _, s := range sessions {
		for i := range s.Passes {
			p := &s.Passes[i]
			if _, there := meanOf(p, figure); !there && p.Counts() && p.Key() == key && !hasAny(p, figure) {
				rates = append(rates, float64(p.BytesPerSecond))
			}
		}
	}
	if len(rates) == 0 {
		return math.NaN()
	}
	return stat.Median(rates)
}

func hasAny(p *session.Pass, figure string) bool {
	for _, sample := range p.Samples {
		if _, ok := sample.Readings[figure]; ok {
			return true
		}
	}
	return false
}

// Rate is a throughput of a pair for people; empty where it is not known.
func Rate(bytesPerSecond float64, n unit.Notation) string {
	if math.IsNaN(bytesPerSecond) {
		return ""
	}
	return n.Number(unit.BytesPerSecond(bytesPerSecond))
}
