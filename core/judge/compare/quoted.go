package compare

import (
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/load"
	"opengauge/core/record/session"
)

// Quoted is a figure that somebody else published, beside what a session measured of the
// same part. It takes no part in any comparison.
type Quoted struct {
	book.Quote
	Session string `json:"session"`
	// Measured is of the nearest load of the session, in the unit of the quote, and Label
	// which load that is; 0 and empty where it has none of the kind.
	Measured float64 `json:"measured,omitempty"`
	Label    string  `json:"measured_load,omitempty"`
	// Share is what was measured over what is quoted.
	Share float64 `json:"measured_share,omitempty"`
	// Warning says how the two loads differ; empty where they are the same.
	Warning string `json:"warning,omitempty"`
}

// QuotedOf sets published figures beside what sessions measured of the same parts.
func QuotedOf(sessions []*session.Session, quotes []book.Quote) []Quoted {
	made := []Quoted{}
	for _, q := range quotes {
		for _, s := range sessions {
			if isOf(s, q.Part) {
				made = append(made, besideQuote(s, q))
			}
		}
	}
	return made
}

// isOf says whether a session is of a part, by the name that the bench book gives it or by
// its model.
func isOf(s *session.Session, part string) bool {
	return slices.ContainsFunc(s.Parts, func(p book.Part) bool { return strings.EqualFold(p.Name, part) }) ||
		strings.EqualFold(s.Environment.DeviceModel, part)
}

func besideQuote(s *session.Session, q book.Quote) Quoted {
	made := Quoted{Quote: q, Session: s.DisplayName()}
	asked := q.Load.Identity()
	loads := LoadsOf(s)
	best, apart := session.Key{}, -1
	for _, key := range loads.Order {
		if key.IsCopy() || key.Load.Operation != asked.Operation || key.Load.Access != asked.Access {
			continue
		}
		if far := len(differing(asked, key)); apart < 0 || far < apart {
			best, apart = key, far
		}
	}
	if apart < 0 {
		made.Warning = fmt.Sprintf("the session has no %s %s", asked.Operation, asked.Access)
		return made
	}
	figure := loads.Figures[best]
	made.Label = best.String()
	quoted := float64(q.Rate)
	made.Measured = float64(figure.Rate)
	switch {
	case q.IOPS > 0:
		quoted, made.Measured = q.IOPS, figure.IOPS
	case q.Latency > 0:
		quoted, made.Measured = q.Latency, latencyOf(s, figure.Passes)
	}
	made.Share = made.Measured / quoted
	if texts := differing(asked, best); len(texts) > 0 {
		made.Warning = "another load: " + strings.Join(texts, ", ")
	}
	return made
}

// latencyOf is the mean latency of the first of some passes.
func latencyOf(s *session.Session, passes []int) float64 {
	return s.PassAt(passes[0]).Latency.Mean
}

// differing says in what a measured load is not the quoted one.
func differing(quoted load.Load, key session.Key) []string {
	var texts []string
	measured := key.Load
	if measured.Block != quoted.Block {
		texts = append(texts, fmt.Sprintf("measured at %s, quoted at %s", measured.Block, quoted.Block))
	}
	if measured.Outstanding() != quoted.Outstanding() {
		texts = append(texts, fmt.Sprintf("depth %d, quoted at %d", measured.Outstanding(), quoted.Outstanding()))
	}
	if measured.Sustained != quoted.Sustained {
		texts = append(texts, map[bool]string{true: "measured for minutes", false: "measured as a burst"}[measured.Sustained])
	}
	if key.Fill > 0 {
		texts = append(texts, fmt.Sprintf("%.0f %% full", key.Fill*100))
	}
	measured.Block, measured.Depth, measured.Workers, measured.Sustained = quoted.Block, quoted.Depth, quoted.Workers,
		quoted.Sustained
	if measured != quoted {
		texts = append(texts, "measured with "+measured.Besides())
	}
	return texts
}
