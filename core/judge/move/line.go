package move

import (
	"sort"
)

// point is how many bytes were moved after so many seconds.
type point struct{ bytes, seconds float64 }

// line is points in order, the first of them at no bytes and no seconds; between them
// bytes move evenly.
type line []point

func (l line) end() point { return l[len(l)-1] }

// step is the typical length of what is between points, in seconds.
func (l line) step() float64 { return l.end().seconds / float64(max(len(l)-1, 1)) }

// secondsAt is when so many bytes were moved; the end's where they never were. Where
// nothing moved for a while after, it is the start of that while.
func (l line) secondsAt(bytes float64) float64 {
	i := sort.Search(len(l), func(i int) bool { return l[i].bytes >= bytes })
	switch {
	case i == 0:
		return l[0].seconds
	case i == len(l):
		return l.end().seconds
	}
	a, b := l[i-1], l[i]
	return a.seconds + (b.seconds-a.seconds)*(bytes-a.bytes)/(b.bytes-a.bytes)
}

// bytesAt is how many were moved at a second.
func (l line) bytesAt(seconds float64) float64 {
	i := sort.Search(len(l), func(i int) bool { return l[i].seconds >= seconds })
	switch {
	case i == 0:
		return l[0].bytes
	case i == len(l):
		return l.end().bytes
	}
	a, b := l[i-1], l[i]
	return a.bytes + (b.bytes-a.bytes)*(seconds-a.seconds)/(b.seconds-a.seconds)
}

// between is the part of the line from one second to another, begun anew at zero.
func (l line) between(from, to float64) line {
	start := l.bytesAt(from)
	part := line{{0, 0}}
	for _, p := range l {
		if p.seconds > from && p.seconds < to {
			part = append(part, point{p.bytes - start, p.seconds - from})
		}
	}
	return append(part, point{l.bytesAt(to) - start, to - from})
}

// stretches are what is between points.
func (l line) stretches() []Stretch {
	var made []Stretch
	for i := 1; i < len(l); i++ {
		if span := l[i].seconds - l[i-1].seconds; span > 0 {
			made = append(made, Stretch{span, (l[i].bytes - l[i-1].bytes) / span})
		}
	}
	return made
}

// rates are bytes a second between points.
func (l line) rates() []float64 {
	var rates []float64
	for _, each := range l.stretches() {
		rates = append(rates, each.Rate)
	}
	return rates
}
