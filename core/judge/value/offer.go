package value

import (
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/outcome"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Offer is a drive with what it takes to attach it, as one buys it: the host is
// there already.
type Offer struct {
	Label string `json:"label"`
	// Price is of all parts together, in the currency of the bench book, and
	// Unpriced are the parts whose price it does not say.
	Price float64 `json:"price"`
	// Monthly says that the price is of a month.
	Monthly  bool       `json:"monthly,omitempty"`
	Unpriced []string   `json:"unpriced,omitempty"`
	Capacity unit.Bytes `json:"capacity_bytes"`
	// PricePerTB is 0 where price or capacity is not known.
	PricePerTB float64 `json:"price_per_terabyte"`
	Worths     []Worth `json:"figures"`
	// Sessions that the figures come from.
	Sessions []string `json:"sessions"`
	// Extras is what of the price is for what has to be bought besides, and PricedOn and
	// PriceKinds when prices were that, and what kind of prices they are.
	Extras     float64  `json:"extras,omitempty"`
	PricedOn   []string `json:"priced_on,omitempty"`
	PriceKinds []string `json:"price_kinds,omitempty"`
	// Endurance is how much the maker lets be written, and Years for how long that lasts
	// at so much a day; 0 where it is not known, or nobody asked.
	Endurance unit.Bytes `json:"endurance_bytes,omitempty"`
	Years     float64    `json:"endurance_years,omitempty"`
	// Times are how long it takes for amounts, copies and starts.
	Times []Timed `json:"times"`
	// Failures says what failed in its sessions; no figure makes up for that.
	Failures string `json:"failures,omitempty"`
	// FromRatings says that nothing was measured: its figures are its maker's, as far as
	// the chain lets them through.
	FromRatings bool `json:"from_ratings,omitempty"`
}

// bought are the kinds of parts that an offer is made of.
var bought = []book.Role{book.Drive, book.Volume, book.Enclosure, book.Cable}

// offerLabel names what was bought, and where it was measured.
func offerLabel(s *session.Session) string {
	_, drive := s.Part(book.Drive)
	if _, volume := s.Part(book.Volume); !drive && !volume {
		return ""
	}
	var names []string
	factors := factor.Of(s)
	for _, kind := range bought {
		if name := factors[string(kind)]; name != "" {
			names = append(names, name)
		}
	}
	label := strings.Join(names, " + ")
	if host, ok := s.Part(book.Host); ok {
		label += " on " + host.Name
		if port := factor.PortOf(s, host.Name); port != "" {
			label += "." + port
		}
	}
	return label
}

func offerOf(label string, sessions []*session.Session, terms Terms) (Offer, error) {
	offer := Offer{Label: label, Worths: []Worth{}, Times: []Timed{}}
	factors := factor.Of(sessions[0])
	for _, kind := range terms.bought() {
		part, ok := sessions[0].Part(kind)
		if !ok {
			if name := factors[string(kind)]; name != "" { // named, but not in the book
				offer.Unpriced = append(offer.Unpriced, name)
			}
			continue
		}
		offer.pay(terms.current(part))
	}
	offer.sum(terms)
	for _, s := range sessions {
		offer.Sessions = append(offer.Sessions, s.DisplayName())
		chain, err := terms.chain(s)
		if err != nil {
			return offer, err
		}
		levels := levelsOf(s)
		for _, use := range Uses {
			if worth, ok := worthOf(s, use, levels); ok {
				worth.in(chain, s, terms.Through != "")
				offer.add(worth)
			}
		}
		offer.time(s, terms, chain)
		became := outcome.Of(s, s.Findings)
		if failures := became.Failures(); failures != "" {
			offer.Failures = strings.TrimPrefix(offer.Failures+"; "+s.DisplayName()+" "+failures, "; ")
		}
	}
	offer.price()
	return offer, nil
}

// price divides what it costs by what it does.
func (o *Offer) price() {
	for i := range o.Worths {
		if worth := &o.Worths[i]; len(o.Unpriced) == 0 && worth.Rate > 0 {
			worth.Price = o.Price / (float64(worth.Rate) / 1e6)
		}
	}
}

// chain is that in which a session is judged.
func (t Terms) chain(s *session.Session) (link.Chain, error) {
	if t.Through == "" {
		return s.Chain, nil
	}
	var names []string
	for _, kind := range bought {
		if part, ok := s.Part(kind); ok {
			names = append(names, part.Name)
		}
	}
	setup, err := t.Book.ResolveWith(t.Through, names...)
	return setup.Chain, err
}

// add keeps the better figure of a use; of steady writes and full-drive reads, the
// worse: they are what remains.
func (o *Offer) add(worth Worth) {
	for i := range o.Worths {
		held := &o.Worths[i]
		if held.Use != worth.Use {
			continue
		}
		lasting := worth.Use == SteadyWrites || worth.Use == FullReads
		if (worth.Rate < held.Rate) == lasting {
			*held = worth
		}
		return
	}
	o.Worths = append(o.Worths, worth)
	slices.SortFunc(o.Worths, func(a, b Worth) int { return slices.Index(Uses, a.Use) - slices.Index(Uses, b.Use) })
}

// For gives the figure of a use.
func (o Offer) For(use Use) (Worth, bool) {
	at := slices.IndexFunc(o.Worths, func(w Worth) bool { return w.Use == use })
	if at < 0 {
		return Worth{}, false
	}
	return o.Worths[at], true
}

// isVolume says whether a session is of a volume, which does not mind the order of
// access.
func isVolume(s *session.Session) bool {
	_, volume := s.Part(book.Volume)
	return volume
}
