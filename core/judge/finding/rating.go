package finding

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// ratingTolerance is how far from a rating a figure may be to be as rated.
const ratingTolerance = 0.05

var aboveRating = Kind{
	Name:     "above-rating",
	Says:     "faster than the maker states",
	Severity: session.Caution,
	Settles:  "look whether a cache answered, and whether the book names the right drive",
	Evidence: RatingEvidence{},
}

var belowRating = Kind{
	Name:     "below-rating",
	Says:     "slower than the maker states",
	Severity: session.Caution,
	Marks:    ChainStrip,
	Settles:  "repeat with more depth and larger blocks, on an empty and cool drive, through a wider chain",
	Evidence: RatingEvidence{},
}

// RatingEvidence compares a figure with the maker's. Of ratings that the chain does
// not let through, each stands beside it by its name.
type RatingEvidence struct {
	Measured string              `json:"measured,omitempty"`
	Rating   string              `json:"rating,omitempty"`
	OfRating float64             `json:"of_rating_share,omitempty"`
	Drive    string              `json:"drive"`
	Hop      string              `json:"hop,omitempty"`
	HopHigh  unit.BytesPerSecond `json:"hop_usable_high_bytes_per_second,omitempty"`
}

// rated is one of a maker's figures with its subject.
type rated struct {
	name   string
	rating float64
	figure func(*session.Pass) float64
	holds  func(*session.Pass) bool
	write  func(float64) string
}

// findAgainstRating compares the fastest steady passes with the ratings of the drive's maker. Ratings above
// the chain's ceiling are told together, as no fault of the drive.
func findAgainstRating(s *session.Session, n unit.Notation) []session.Finding {
	drive, ok := s.Part(book.Drive)
	if !ok {
		return nil
	}
	var found []session.Finding
	var beyond []achieved
	for _, r := range ratingsOf(drive.Ratings, n) {
		passes, _ := passesWhere(s, func(p *session.Pass) bool {
			return !p.CutShort && !p.Scheduled() && p.CompressibleShare == 0 && r.holds(p) && !drops(p)
		})
		if r.rating == 0 || len(passes) == 0 {
			continue
		}
		v := achieved{rated: r, best: greatest(passes, r.figure)}
		switch {
		case v.share() > 1+ratingTolerance:
			found = append(found, v.finding(drive, aboveRating,
				"Look whether a cache answered, whether the data was incompressible, and whether the book names "+
					"the right drive."))
		case v.share() >= 1-ratingTolerance:
		case v.beyond(s):
			beyond = append(beyond, v)
		default:
			found = append(found, v.finding(drive, belowRating, "Repeat with more depth and larger blocks, on an "+
				"empty and cool drive, "+
				"before it is held against the maker: ratings are of the best case."))
		}
	}
	if len(beyond) > 0 {
		found = append(found, beyondChain(s, drive, beyond, n))
	}
	return found
}

// achieved is a rating with the fastest pass that it is about.
type achieved struct {
	rated
	best *session.Pass
}

// share is the measured figure as a share of the rating.
func (v achieved) share() float64 { return v.figure(v.best) / v.rating }

// beyond reports whether the rating is above the chain's ceiling, or the pass ran as fast as that may be:
// more depth would then change nothing.
func (v achieved) beyond(s *session.Session) bool {
	usable, ok := s.Chain.Usable()
	return ok && (v.above(usable.High) || usable.ReachedBy(v.best.BytesPerSecond))
}

// reached is the hop that may be the limit of a pass, or else the narrowest one.
func reached(chain link.Chain, by unit.BytesPerSecond, narrowest link.Hop) link.Hop {
	if at := slices.IndexFunc(chain.Hops, func(h link.Hop) bool { return h.Usable.ReachedBy(by) }); at >= 0 {
		return chain.Hops[at]
	}
	return narrowest
}

// above reports whether the rating is more than a rate.
func (v achieved) above(high unit.BytesPerSecond) bool {
	return float64(high) < float64(v.best.BytesPerSecond)/v.share()
}

func (v achieved) finding(drive book.Part, kind Kind, advice string) session.Finding {
	measured := v.write(v.figure(v.best))
	rating := v.write(v.rating)
	f := kind.new(0.9, []int{v.best.Index}, RatingEvidence{Measured: measured, Rating: rating, OfRating: v.share(),
		Drive: drive.Name})
	f.ToSeconds = v.best.ElapsedSeconds
	f.Advice = advice
	f.Summary = fmt.Sprintf("%s: %s is rated at %s by its maker and gave %s, %.0f %% of that, by %s.",
		v.name, drive.Name, rating, measured, v.share()*100, v.best.Label())
	return f
}

// beyondChain tells of ratings that the chain does not let through.
func beyondChain(s *session.Session, drive book.Part, beyond []achieved, n unit.Notation) session.Finding {
	hop, _ := s.Chain.Binding()
	can, advice := "reached", "Whatever the drive, this chain does not let more through. Judge the drive through a "+
		"wider hop."
	if i := slices.IndexFunc(beyond, func(v achieved) bool { return !v.above(hop.Usable.High) }); i >= 0 {
		can, advice = "told", "The passes ran as fast as this chain may let them, so that more depth tells nothing. "+
			"Judge the drive through a wider hop."
		hop = reached(s.Chain, beyond[i].best.BytesPerSecond, hop)
	}
	f := belowRating.new(0.95, []int{}, RatingEvidence{Drive: drive.Name, Hop: hop.Name, HopHigh: hop.Usable.High})
	f.Severity = session.Note
	f.Advice = advice
	named := map[string]any{}
	var parts []string
	for _, v := range beyond {
		measured := v.write(v.figure(v.best))
		rating := v.write(v.rating)
		f.Passes = append(f.Passes, v.best.Index)
		f.ToSeconds = max(f.ToSeconds, v.best.ElapsedSeconds)
		named[v.name] = measured + " of " + rating
		parts = append(parts, fmt.Sprintf("%s %s (gave %s)", v.name, rating, measured))
	}
	f.Evidence = f.Evidence.With(named)
	f.Summary = fmt.Sprintf("%s of %s cannot be %s in this chain, as %s carries at most %s: %s.",
		unit.Count(len(beyond), "rating"), drive.Name, can, hop.Name, n.Rate(hop.Usable.High), strings.Join(parts, ", "))
	return f
}

func ratingsOf(r book.Ratings, n unit.Notation) []rated {
	iops := func(p *session.Pass) float64 { return p.IOPS }
	asRate := func(v float64) string { return n.Rate(rate(v)) }
	asIOPS := func(v float64) string { return unit.Grouped(int64(v+0.5)) + " IOPS" }
	is := func(operation load.Operation, access load.Access) func(*session.Pass) bool {
		return func(p *session.Pass) bool {
			return p.Operation == operation && p.Access == access &&
				(access == load.Sequential || p.Block == 4*unit.KiB)
		}
	}
	return []rated{
		{"sequential read", float64(r.SequentialRead), throughputOf, is(load.Read, load.Sequential), asRate},
		{"sequential write", float64(r.SequentialWrite), throughputOf, is(load.Write, load.Sequential), asRate},
		{"random read", r.RandomReadIOPS, iops, is(load.Read, load.Random), asIOPS},
		{"random write", r.RandomWriteIOPS, iops, is(load.Write, load.Random), asIOPS},
	}
}
