// Package value says what the money buys: what each drive with its case and cable does
// for its price, in the chain where it was measured or in another one. It only reads
// sessions.
//
// Its functions may be called by several goroutines at once.
package value

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/judge/compare"
	"opengauge/core/judge/energy"
	"opengauge/core/judge/factor"
	"opengauge/core/judge/move"
	"opengauge/core/judge/outcome"
	"opengauge/core/judge/predict"
	"opengauge/core/load"
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

// Use is what an offer is judged for.
type Use string

// The uses.
const (
	Reads        Use = "reads"
	Writes       Use = "writes"
	SteadyWrites Use = "steady writes"
	FullReads    Use = "full-drive reads"
)

// Uses lists them.
var Uses = []Use{Reads, Writes, SteadyWrites, FullReads}

// Worth is what an offer does for one use.
type Worth struct {
	Use  Use                 `json:"use"`
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
	// Price is for each MB/s, or 0.
	Price float64 `json:"price_per_megabyte_per_second"`
	// BytesPerJoule is 0 where power was not recorded; in MB it is MB/s a watt.
	BytesPerJoule float64 `json:"bytes_per_joule,omitempty"`
	// HeldBy is the hop that holds it to that, where one does.
	HeldBy string `json:"held_by,omitempty"`
	// Rating is what the maker states, or 0.
	Rating unit.BytesPerSecond `json:"rating_bytes_per_second,omitempty"`
	// Expected is what another chain is expected to let through, where that was
	// asked, and Open says that the drive may do more than was seen of it.
	Expected *link.Range `json:"expected_bytes_per_second,omitempty"`
	Open     bool        `json:"open,omitempty"`
	// Session and Pass are where it comes from.
	Session string `json:"session"`
	Pass    string `json:"pass"`

	load load.Load
}

// JoulesPerGB is the energy to move 10^9 bytes, or 0.
func (w Worth) JoulesPerGB() float64 {
	if w.BytesPerJoule == 0 {
		return 0
	}
	return float64(unit.GB) / w.BytesPerJoule
}

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

// Value is what the money buys.
type Value struct {
	// Through is the chain that the figures are for, or empty for that in which
	// each was measured.
	Through string `json:"through,omitempty"`
	// Simulated says whether any of the sessions is.
	Simulated bool `json:"simulated"`
	// Currency is that of all prices, or empty where the book does not say.
	Currency string  `json:"currency,omitempty"`
	Offers   []Offer `json:"offers"`
	Steps    []Step  `json:"steps"`
}

// Terms are what value is asked.
type Terms struct {
	// Book has prices and chains; where it does not know a part, the session's own
	// copy counts.
	Book book.Book
	// Through are parts of another chain to judge in, or empty.
	Through string
	// WithHost counts the host's price too.
	WithHost bool
	// Daily is how much is written a day, or 0.
	Daily unit.Bytes
	// Amounts are those whose times are asked for.
	Amounts []unit.Bytes
}

const (
	// nearlyFull is the fill level from which on reads are those of a full drive.
	nearlyFull = 0.75
	// buysNothing is the share below which a gain is none.
	buysNothing = 0.03
	// hiddenShare is how much more a drive may do than was seen of it for that to
	// be told.
	hiddenShare = 0.1
)

// Of judges what sessions show by what their parts cost. Sessions of the same
// chain count together.
func Of(sessions []*session.Session, terms Terms, n unit.Notation) (Value, error) {
	value := Value{Through: terms.Through, Currency: terms.Book.Currency, Offers: []Offer{}, Steps: []Step{}}
	groups, order := map[string][]*session.Session{}, []string{}
	for _, s := range sessions {
		label := offerLabel(s)
		// Of copies between more than two ends no single one is what was bought.
		if label == "" || len(s.Passes) == 0 && len(s.Ends) != 2 {
			continue
		}
		value.Simulated = value.Simulated || s.Simulated
		if groups[label] == nil {
			order = append(order, label)
		}
		groups[label] = append(groups[label], s)
	}
	if len(order) == 0 {
		return value, errors.New("no session has passes on a drive or volume of the bench book; measure with " +
			"--through, and a bench book that has prices")
	}
	for _, label := range order {
		offer, err := offerOf(label, groups[label], terms)
		if err != nil {
			return value, err
		}
		value.Offers = append(value.Offers, offer)
	}
	value.climb(n)
	return value, nil
}

// climb puts the offers in order of their prices, with the steps between them.
func (v *Value) climb(n unit.Notation) {
	slices.SortStableFunc(v.Offers, func(a, b Offer) int {
		if a.Monthly != b.Monthly {
			return map[bool]int{false: -1, true: 1}[a.Monthly]
		}
		return cmp.Compare(a.Price, b.Price)
	})
	for i := 1; i < len(v.Offers); i++ {
		if from, to := v.Offers[i-1], v.Offers[i]; from.Monthly == to.Monthly && len(from.Unpriced) == 0 &&
			len(to.Unpriced) == 0 {
			v.Steps = append(v.Steps, stepOf(from, to, n))
		}
	}
}

// Priced says whether the price of any offer is known.
func (v Value) Priced() bool {
	return slices.ContainsFunc(v.Offers, func(o Offer) bool { return len(o.Unpriced) == 0 })
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

// worthOf gives what a session shows of a use.
func worthOf(s *session.Session, use Use, levels map[session.Key][]move.Phase) (Worth, bool) {
	var best Worth
	found := false
	loads := compare.LoadsOf(s)
	for _, key := range loads.Order {
		asked := key.Load
		if key.IsCopy() || asked.Scheduled() || asked.CompressibleShare > 0 || asked.Access != load.Sequential &&
			!isVolume(s) {
			continue
		}
		figure := loads.Figures[key]
		pass := s.PassAt(figure.Passes[0])
		worth := Worth{Use: use, Rate: figure.Rate, Session: s.DisplayName(),
			Pass: key.String(), load: asked, BytesPerJoule: bytesPerJoule(s, pass)}
		if phases := levels[key]; len(phases) > 0 { // its mean is that of no state
			worth.Rate = phases[0].Rate
		}
		better := !found || worth.Rate > best.Rate
		switch use {
		case Reads:
			better = better && asked.Operation == load.Read && key.Fill < nearlyFull
		case Writes:
			better = better && asked.Operation == load.Write && key.Fill < nearlyFull
		case FullReads:
			better = asked.Operation == load.Read && key.Fill >= nearlyFull && (!found || worth.Rate < best.Rate)
		case SteadyWrites:
			worth.Rate = steadyRate(pass)
			if phases := levels[key]; len(phases) > 0 {
				worth.Rate = phases[len(phases)-1].Rate
			}
			better = asked.Operation == load.Write && worth.Rate > 0 && (!found || worth.Rate < best.Rate)
		}
		if better {
			best, found = worth, true
		}
	}
	if use == Reads || use == Writes {
		best.Rating = s.SequentialRating(map[Use]load.Operation{Reads: load.Read, Writes: load.Write}[use])
	}
	return best, found
}

// levelsOf are the levels of those loads that go down for good.
func levelsOf(s *session.Session) map[session.Key][]move.Phase {
	levels := map[session.Key][]move.Phase{}
	for _, c := range move.Of(s) {
		if c.Stepped() {
			levels[c.Key] = c.Phases
		}
	}
	return levels
}

// steadyRate is what a long write came down to: its steady state where that was
// judged, or else the mean of its second half; 0 of a pass that is too short.
func steadyRate(pass *session.Pass) unit.BytesPerSecond {
	if pass.Steady != nil && pass.Steady.Steady {
		return unit.BytesPerSecond(pass.Steady.Mean)
	}
	if key := pass.Key(); !key.Load.Sustained {
		return 0 // by what was asked, however long it took
	}
	bytes, seconds := 0.0, 0.0
	for _, sample := range pass.Samples {
		if sample.TSeconds > pass.ElapsedSeconds/2 {
			bytes, seconds = bytes+float64(sample.Bytes), seconds+sample.ElapsedSeconds
		}
	}
	if seconds == 0 {
		return 0
	}
	return unit.BytesPerSecond(bytes / seconds)
}

// bytesPerJoule is what a pass moved for the energy it took, or 0 where that is not known.
func bytesPerJoule(s *session.Session, pass *session.Pass) float64 {
	draw, known := energy.OfStorage(s, pass)
	if !known {
		return 0
	}
	bytes, _ := draw.BytesPerJoule()
	return bytes
}

// in is what a figure becomes in a chain: the one that it was measured in, or
// another one.
func (w *Worth) in(chain link.Chain, s *session.Session, other bool) {
	if other {
		e := predict.Expect(s, w.load, w.Rate, chain)
		w.Expected = &e.Range
		w.Open = e.Open && e.Binds != predict.ByHop && e.Range.High > e.Range.Low*(1+hiddenShare)
		w.Rate = e.Likely(w.Rate)
		if w.Open {
			return // more may come through than was seen, so nothing is known to hold it
		}
	}
	if hop, ok := chain.Binding(); ok && hop.Usable.ReachedBy(w.Rate) {
		w.HeldBy = hop.Name
	}
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

// Text is a figure with its unit, or the range of one of which nobody has seen all.
func (w Worth) Text(n unit.Notation) string {
	if w.Open && w.Expected != nil && w.Expected.High > w.Expected.Low {
		return n.Between(w.Expected.Low, w.Expected.High) + " " + n.Unit()
	}
	return n.Rate(w.Rate)
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
