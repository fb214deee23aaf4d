package value

import (
	"cmp"
	"fmt"
	"slices"

	"opengauge/core/bench/link"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/move"
	"opengauge/core/judge/predict"
	"opengauge/core/record/session"
)

// Timed is how long something takes with an offer: an amount, a copy, a start.
type Timed struct {
	// For says what: "write sequential 1 MiB, depth 8, sustained: 400 GB".
	For string `json:"for"`
	move.Time
	Session string `json:"session"`
}

// time adds how long a session's amounts, copies and starts take.
func (o *Offer) time(s *session.Session, terms Terms, chain link.Chain) {
	add := func(t Timed) {
		at := slices.IndexFunc(o.Times, func(held Timed) bool { return held.For == t.For })
		switch {
		case at < 0:
			o.Times = append(o.Times, t)
		case t.Known() && (!o.Times[at].Known() || t.Seconds < o.Times[at].Seconds):
			o.Times[at] = t
		}
	}
	if len(terms.Amounts) > 0 {
		for _, c := range move.Told(move.Of(s)) {
			for _, amount := range terms.Amounts {
				t := c.For(amount)
				if terms.Through != "" {
					t = predict.Time(s, c, chain, amount)
				}
				add(Timed{fmt.Sprintf("%s: %s", c.Key, amount.Decimal()), t, s.DisplayName()})
			}
		}
	}
	if terms.Through != "" {
		return // how long copies and starts take in another chain, nobody knows
	}
	loads := compare.LoadsOf(s)
	for _, key := range loads.Order {
		if figure := loads.Figures[key]; compare.MetricOf(key) == compare.Time && (!key.IsCopy() || oneWay(s, key)) {
			t := move.Time{Amount: cmp.Or(key.Amount, key.Copy.Bytes), Seconds: figure.Value}
			if low, high, known := figure.Interval(); known {
				t.Low, t.High = low, high
			}
			what := key.String()
			if key.IsCopy() {
				what += ", to " + s.Ends[1].Address
			}
			add(Timed{what, t, s.DisplayName()})
		}
	}
}

// oneWay says whether copies are whole, and between two ends.
func oneWay(s *session.Session, key session.Key) bool { return key.IsWholeCopy() && len(s.Ends) == 2 }

// timeGains says what takes less time with the dearer offer, and what does not.
func timeGains(from, to Offer) (sooner, alike []string) {
	for _, a := range from.Times {
		at := slices.IndexFunc(to.Times, func(t Timed) bool { return t.For == a.For })
		if at < 0 || !a.Known() || !to.Times[at].Known() {
			continue
		}
		b := to.Times[at]
		switch share := 1 - b.Seconds/a.Seconds; {
		case share >= buysNothing:
			sooner = append(sooner, fmt.Sprintf("%s in %s instead of %s", a.For, b.Words(), a.Words()))
		case share > -buysNothing:
			alike = append(alike, a.For)
		default:
			alike = append(alike, fmt.Sprintf("%s (%s instead of %s)", a.For, b.Words(), a.Words()))
		}
	}
	return sooner, alike
}
