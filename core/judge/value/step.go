package value

import (
	"cmp"
	"fmt"
	"strings"

	"opengauge/core/unit"
)

// Step is from a cheaper offer to the next dearer one.
type Step struct {
	From  string  `json:"from"`
	To    string  `json:"to"`
	Price float64 `json:"more_price"`
	// Monthly says that it is a month's.
	Monthly bool `json:"monthly,omitempty"`
	// Gains are by use, as far as both offers have it.
	Gains []Gain `json:"gains"`
	// Capacity is how much more it holds.
	Capacity unit.Bytes `json:"more_capacity_bytes,omitempty"`
	// BreakEven is at which price of the dearer one both cost as much for what they do at
	// BreakEvenFor; 0 where they have nothing in common.
	BreakEven    float64 `json:"break_even_price,omitempty"`
	BreakEvenFor string  `json:"break_even_for,omitempty"`
	// Verdict says it in a sentence.
	Verdict string `json:"verdict"`
}

// Gain is what a step buys for one use.
type Gain struct {
	Use     Use                 `json:"use"`
	Rate    unit.BytesPerSecond `json:"more_bytes_per_second"`
	Share   float64             `json:"more_share"`
	Nothing bool                `json:"nothing"`
	HeldBy  string              `json:"held_by,omitempty"`
}

func stepOf(from, to Offer, n unit.Notation) Step {
	step := Step{From: from.Label, To: to.Label, Price: to.Price - from.Price, Monthly: to.Monthly, Gains: []Gain{}}
	var buys, nothing, unknown []string
	if more := to.Capacity - from.Capacity; from.Capacity > 0 && more > from.Capacity/50 {
		step.Capacity = more
		buys = append(buys, more.Decimal()+" more")
	}
	held := ""
	for _, use := range Uses {
		a, knownA := from.For(use)
		b, knownB := to.For(use)
		if !knownA || !knownB || a.Rate == 0 || a.Pass != b.Pass && use != FullReads {
			continue // a burst is not held against a long pass
		}
		if a.Open || b.Open {
			unknown = append(unknown, fmt.Sprintf("%s (%s against %s)", use, b.Text(n), a.Text(n)))
			continue
		}
		gain := Gain{Use: use, Rate: b.Rate - a.Rate, Share: float64(b.Rate/a.Rate) - 1}
		gain.Nothing = gain.Share < buysNothing
		if gain.Nothing {
			gain.HeldBy, held = b.HeldBy, cmp.Or(b.HeldBy, held)
			text := string(use)
			if gain.Share <= -buysNothing {
				text += fmt.Sprintf(" (%s slower)", unit.Percent(-gain.Share))
			}
			nothing = append(nothing, text)
		} else {
			buys = append(buys, fmt.Sprintf("%s %s %s", n.Rate(gain.Rate), "more for", use)+fmt.Sprintf(" (%s)",
				unit.Signed(gain.Share)))
		}
		step.Gains = append(step.Gains, gain)
	}
	sooner, alike := timeGains(from, to)
	buys, nothing = append(buys, sooner...), append(nothing, alike...)
	step.breakEven(from, to)
	step.Verdict = stepVerdict(step, buys, nothing, held)
	if step.BreakEven > 0 {
		step.Verdict += fmt.Sprintf(" At %.0f it would cost as much for %s as the cheaper one.", step.BreakEven,
			step.BreakEvenFor)
	}
	if len(unknown) > 0 {
		step.Verdict += " What the narrower chain hid is not known of " + strings.Join(unknown, ", ") + "."
	}
	return step
}

func stepVerdict(step Step, buys, nothing []string, held string) string {
	month := ""
	if step.Monthly {
		month = " a month"
	}
	text := fmt.Sprintf("From %s to %s, %.0f more%s buys ", step.From, step.To, step.Price, month)
	switch {
	case len(step.Gains) == 0 && len(buys)+len(nothing) == 0:
		return fmt.Sprintf("%s costs %.0f more%s than %s; they have no figure in common.", step.To, step.Price, month,
			step.From)
	case len(buys) == 0:
		text += "nothing for " + strings.Join(nothing, ", ")
	case len(nothing) == 0:
		text += strings.Join(buys, ", ")
	default:
		text += strings.Join(buys, ", ") + ", and nothing for " + strings.Join(nothing, ", ")
	}
	if held != "" {
		text += ": " + held + " carries no more"
	}
	return text + "."
}
