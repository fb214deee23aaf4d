package finding

import (
	"fmt"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// ratingTolerance is how far from a rating a figure may be to be as rated.
const ratingTolerance = 0.05

// rated is one of a maker's figures, and the fastest pass that it is about.
type rated struct {
	name   string
	rating float64
	figure func(*session.Pass) float64
	holds  func(*session.Pass) bool
	write  func(float64) string
}

// againstRating compares the fastest steady passes with what the drive's maker
// states. Ratings above what the chain carries are told together, as no fault of
// the drive.
func againstRating(s *session.Session) []session.Finding {
	drive, known := s.Part(book.Drive)
	if !known {
		return nil
	}
	var found []session.Finding
	var beyond []verdict
	for _, r := range ratingsOf(drive.Ratings) {
		passes, _ := passesWhere(s, func(p *session.Pass) bool {
			return !p.CutShort && p.RatePerSecond == 0 && p.CompressibleShare == 0 && r.holds(p) && len(drops(p)) == 0
		})
		if r.rating == 0 || len(passes) == 0 {
			continue
		}
		v := verdict{rated: r, best: greatest(passes, r.figure)}
		switch {
		case v.share() > 1+ratingTolerance:
			found = append(found, v.finding(drive, "above-rating", "Look whether a cache answered, whether the data was incompressible, and whether the book names the right drive."))
		case v.share() >= 1-ratingTolerance:
		case v.beyond(s):
			beyond = append(beyond, v)
		default:
			found = append(found, v.finding(drive, "below-rating", "Repeat with more depth and larger blocks, on an empty and cool drive, before it is held against the maker: ratings are of the best case."))
		}
	}
	if len(beyond) > 0 {
		found = append(found, beyondChain(s, drive, beyond))
	}
	return found
}

// verdict is a rating with the fastest pass that it is about.
type verdict struct {
	rated
	best *session.Pass
}

// share is what was measured as a share of the rating.
func (v verdict) share() float64 { return v.figure(v.best) / v.rating }

// beyond says whether the rating is above what the chain carries.
func (v verdict) beyond(s *session.Session) bool {
	usable, known := s.Chain.Usable()
	return known && float64(usable.High) < float64(v.best.BytesPerSecond)/v.share()
}

func (v verdict) finding(drive book.Part, kind, advice string) session.Finding {
	return session.Finding{
		Kind: kind, Severity: session.Caution, Confidence: 0.9, Passes: []int{v.best.Index}, ToSeconds: v.best.ElapsedSeconds,
		Evidence: map[string]any{"measured": v.write(v.figure(v.best)), "rating": v.write(v.rating), "of_rating_share": v.share(), "drive": drive.Name},
		Summary: fmt.Sprintf("%s: %s is rated at %s by its maker and gave %s, %.0f %% of that, by %s.", v.name, drive.Name, v.write(v.rating),
			v.write(v.figure(v.best)), v.share()*100, v.best.Label()),
		Advice: advice,
	}
}

// beyondChain tells of ratings that the chain does not let through.
func beyondChain(s *session.Session, drive book.Part, verdicts []verdict) session.Finding {
	hop, _ := s.Chain.Binding()
	f := session.Finding{
		Kind: "below-rating", Severity: session.Note, Confidence: 0.95, Passes: []int{},
		Evidence: map[string]any{"drive": drive.Name, "hop": hop.Name, "hop_usable_high_bytes_per_second": float64(hop.Usable.High)},
		Advice:   "Whatever the drive, this chain does not let more through. Judge the drive through a wider hop.",
	}
	var parts []string
	for _, v := range verdicts {
		f.Passes = append(f.Passes, v.best.Index)
		f.ToSeconds = max(f.ToSeconds, v.best.ElapsedSeconds)
		f.Evidence[v.name] = v.write(v.figure(v.best)) + " of " + v.write(v.rating)
		parts = append(parts, fmt.Sprintf("%s %s (gave %s)", v.name, v.write(v.rating), v.write(v.figure(v.best))))
	}
	count := plural(len(verdicts), "rating")
	f.Summary = fmt.Sprintf("%s of %s cannot be reached in this chain, as %s carries at most %s: %s.", count, drive.Name, hop.Name,
		unit.Decimal.Rate(hop.Usable.High), strings.Join(parts, ", "))
	return f
}

func ratingsOf(r book.Ratings) []rated {
	rate := func(p *session.Pass) float64 { return float64(p.BytesPerSecond) }
	iops := func(p *session.Pass) float64 { return p.IOPS }
	asRate := func(v float64) string { return unit.Decimal.Rate(unit.BytesPerSecond(v)) }
	asIOPS := func(v float64) string { return unit.Grouped(int64(v+0.5)) + " IOPS" }
	is := func(operation plan.Operation, access plan.Access) func(*session.Pass) bool {
		return func(p *session.Pass) bool {
			return p.Operation == operation && p.Access == access && (access == plan.Sequential || p.BlockBytes == 4*unit.KiB)
		}
	}
	return []rated{
		{"sequential read", float64(r.SequentialRead), rate, is(plan.Read, plan.Sequential), asRate},
		{"sequential write", float64(r.SequentialWrite), rate, is(plan.Write, plan.Sequential), asRate},
		{"random read", r.RandomReadIOPS, iops, is(plan.Read, plan.Random), asIOPS},
		{"random write", r.RandomWriteIOPS, iops, is(plan.Write, plan.Random), asIOPS},
	}
}
