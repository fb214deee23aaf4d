package explain

import "math"

// Test is something that a reviewer can do next, with how likely its answer is yes for
// each kind of cause. Of what has no name it tells nothing.
type Test struct {
	Says string
	// Yes is how likely the answer is yes for each kind.
	Yes map[string]float64
	// possible says whether it makes sense for a recording; nil is always.
	possible func(e *evidence) bool
}

// Tests are what reviewers do. The likelihoods are judgements; which one is proposed
// follows from what it would tell, given the shares.
var Tests = []Test{
	{Says: "repeat with a fan on: if it is heat, the fall comes later or not at all",
		Yes: map[string]float64{HeatThrottle: 0.9, CacheExhausted: 0.08, CreditExhausted: 0.05, LinkDegraded: 0.1,
			BackgroundLoad: 0.25},
		possible: func(e *evidence) bool { return e.context.Volume < 1 }},
	{Says: "let it rest and repeat: a write area or an allowance falls at the same byte count, or earlier",
		Yes: map[string]float64{HeatThrottle: 0.3, CacheExhausted: 0.92, CreditExhausted: 0.85, LinkDegraded: 0.05,
			BackgroundLoad: 0.1}},
	{Says: "repeat it reading: a write area is not spent by reads, all else falls as well",
		Yes: map[string]float64{HeatThrottle: 0.85, CacheExhausted: 0.03, CreditExhausted: 0.9, LinkDegraded: 0.95,
			BackgroundLoad: 0.5},
		possible: func(e *evidence) bool { return e.context.Writes }},
	{Says: "repeat at half the rate (--rate): a write area falls at the same byte count, an allowance and heat later",
		Yes: map[string]float64{HeatThrottle: 0.08, CacheExhausted: 0.9, CreditExhausted: 0.05, LinkDegraded: 0.15,
			BackgroundLoad: 0.15},
		possible: func(e *evidence) bool { return e.context.Writes }},
	{Says: "close what else uses the storage and repeat: if somebody else did, it does not fall",
		Yes: map[string]float64{HeatThrottle: 0.08, CacheExhausted: 0.04, CreditExhausted: 0.05, LinkDegraded: 0.1,
			BackgroundLoad: 0.85}},
	{Says: "change the cable and the port and repeat: if the link fell, it holds",
		Yes: map[string]float64{HeatThrottle: 0.05, CacheExhausted: 0.03, CreditExhausted: 0.03, LinkDegraded: 0.85,
			BackgroundLoad: 0.2},
		possible: func(e *evidence) bool { return e.context.Volume < 1 }},
	{Says: "repeat with the drive's temperature recorded (--probe): heat falls at one temperature each time",
		Yes: map[string]float64{HeatThrottle: 0.93, CacheExhausted: 0.12, CreditExhausted: 0.05, LinkDegraded: 0.1,
			BackgroundLoad: 0.1},
		possible: func(e *evidence) bool { return e.context.Volume < 1 && e.telling() == nil }},
	{Says: "repeat it, for longer: what comes again tells the cause",
		Yes: map[string]float64{HeatThrottle: 0.8, CacheExhausted: 0.6, CreditExhausted: 0.6, LinkDegraded: 0.1,
			BackgroundLoad: 0.35}},
}

// noCause stands for what has no name, or is none.
const noCause = ""

// Next is the one test that would tell most: for which the uncertainty about the cause
// that is expected to be left is least (Lindley, Annals of Mathematical Statistics 27,
// 1956). gain is in bits.
func (v *Verdict) Next() (says string, gain float64) {
	if v.evidence == nil {
		return "", 0
	}
	causes := map[string]float64{}
	for _, s := range v.Shares {
		cause := noCause
		if len(s.Explanation.Kinds) > 0 {
			cause = s.Explanation.Kinds[0]
		}
		causes[cause] += s.Share
	}
	before := entropy(causes)
	for _, t := range Tests {
		if t.possible != nil && !t.possible(v.evidence) {
			continue
		}
		left, usual := 0.0, t.usual(causes)
		for _, answer := range []bool{true, false} {
			posterior, sum := map[string]float64{}, 0.0
			for cause, share := range causes {
				posterior[cause] = share * t.chance(cause, answer, usual)
				sum += posterior[cause]
			}
			if sum <= 0 {
				continue
			}
			for cause := range posterior {
				posterior[cause] /= sum
			}
			left += sum * entropy(posterior)
		}
		if before-left > gain {
			says, gain = t.Says, before-left
		}
	}
	return says, gain
}

// usual is how likely yes is over the causes that have a name.
func (t *Test) usual(causes map[string]float64) float64 {
	sum, all := 0.0, 0.0
	for cause, share := range causes {
		if yes, known := t.Yes[cause]; known {
			sum, all = sum+yes*share, all+share
		}
	}
	if all == 0 {
		return 0.5
	}
	return sum / all
}

func (t *Test) chance(cause string, answer bool, usual float64) float64 {
	yes, known := t.Yes[cause]
	if !known {
		yes = usual
	}
	if answer {
		return yes
	}
	return 1 - yes
}

// entropy of shares, in bits.
func entropy(shares map[string]float64) float64 {
	sum := 0.0
	for _, p := range shares {
		if p > 0 {
			sum -= p * math.Log2(p)
		}
	}
	return sum
}
