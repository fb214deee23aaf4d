package logbook

import (
	"database/sql"
	"encoding/binary"
	"errors"
	"iter"
	"math"
	"reflect"
	"slices"
	"sync"
	"time"

	fastjson "github.com/go-json-experiment/json"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/record/codec"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// A digest is what comparisons over very many sessions read of one, with neither findings nor
// plans. What was asked for is the same in very many sessions, and is told from that of others by
// its bytes, so that it is read once; figures are numbers and no text. In this order:
//
//	the length of what follows as a uvarint, and what may set the session apart, and its
//	copies: JSON
//	the length of what follows as a uvarint, and the different passes that were asked for: a
//	JSON list, zstd
//	the number of passes as a uvarint
//	for each pass its place in the list as a uvarint, and its figures as 64-bit floating point
//	numbers, little-endian (IEEE 754)

// figuresOf are the figures of a pass that a digest has, in its order.
func figuresOf(p *session.Pass) []float64 {
	low, high := math.NaN(), math.NaN()
	if p.Throughput != nil {
		low, high = float64(p.Throughput.Low), float64(p.Throughput.High)
	}
	return []float64{float64(p.Index), float64(p.Repeat), p.ElapsedSeconds, float64(p.Bytes), float64(p.Operations),
		float64(p.Errors), float64(p.BytesPerSecond), low, high, p.IOPS, p.Latency.P50, p.Latency.P99}
}

// digestedFigures is how many they are.
const digestedFigures = 12

// addFigures puts the figures of a digest into a pass.
func addFigures(p *session.Pass, from []byte) {
	var f [digestedFigures]float64
	for i := range f {
		f[i] = math.Float64frombits(binary.LittleEndian.Uint64(from[8*i:]))
	}
	p.Index, p.Repeat, p.ElapsedSeconds = int(f[0]), int(f[1]), f[2]
	p.Bytes, p.Operations, p.Errors = unit.Bytes(f[3]), int64(f[4]), int64(f[5])
	p.BytesPerSecond, p.IOPS, p.Latency.P50, p.Latency.P99 = unit.BytesPerSecond(f[6]), f[9], f[10], f[11]
	if !math.IsNaN(f[7]) {
		p.Throughput = &session.RateInterval{Low: unit.BytesPerSecond(f[7]), High: unit.BytesPerSecond(f[8])}
	}
}

// askedFor is a pass without its figures.
func askedFor(p *session.Pass) session.Pass {
	return session.Pass{Step: p.Step, Load: p.Load, AskedSeconds: p.AskedSeconds, AskedBytes: p.AskedBytes,
		FillShare: p.FillShare, Queue: p.Queue, Direct: p.Direct, CutShort: p.CutShort}
}

func (l *Logbook) packDigest(s *session.Session) ([]byte, error) {
	passes := s.Passes
	header, err := fastjson.Marshal(headerOf(s), fastjson.OmitZeroStructFields(true))
	if err != nil {
		return nil, err
	}
	var kinds []session.Pass
	places := make([]int, len(passes))
	for i := range passes {
		asked := askedFor(&passes[i])
		places[i] = slices.IndexFunc(kinds, func(k session.Pass) bool { return sameAsked(&k, &asked) })
		if places[i] < 0 {
			places[i], kinds = len(kinds), append(kinds, asked)
		}
	}
	plain, err := fastjson.Marshal(kinds, fastjson.OmitZeroStructFields(true))
	if err != nil {
		return nil, err
	}
	asked := l.encoder.EncodeAll(plain, nil)
	made := append(binary.AppendUvarint(nil, uint64(len(header))), header...)
	made = append(binary.AppendUvarint(made, uint64(len(asked))), asked...)
	made = binary.AppendUvarint(made, uint64(len(passes)))
	for i := range passes {
		made = binary.AppendUvarint(made, uint64(places[i]))
		for _, figure := range figuresOf(&passes[i]) {
			made = binary.LittleEndian.AppendUint64(made, math.Float64bits(figure))
		}
	}
	return made, nil
}

func sameAsked(a, b *session.Pass) bool {
	return a.Step == b.Step && a.Load == b.Load && a.AskedSeconds == b.AskedSeconds && a.AskedBytes == b.AskedBytes &&
		a.FillShare == b.FillShare && a.Queue == b.Queue && a.Direct == b.Direct && a.CutShort == b.CutShort
}

// digests reads digests. Loads that several sessions share are read once for all of them.
type digests struct {
	*Logbook
	known sync.Map // of passes asked for, by their bytes
}

var errDigest = errors.New("the digest of its passes is damaged")

// cut splits off a part that begins with its length.
func cut(from []byte) (part, left []byte, err error) {
	length, used := binary.Uvarint(from)
	if used <= 0 || uint64(len(from)-used) < length {
		return nil, nil, errDigest
	}
	return from[used : used+int(length)], from[used+int(length):], nil
}

func (d *digests) passes(digest []byte) ([]session.Pass, error) {
	asked, left, err := cut(digest)
	if err != nil {
		return nil, err
	}
	kinds, err := d.readAsked(asked)
	if err != nil {
		return nil, err
	}
	count, used := binary.Uvarint(left)
	if used <= 0 || count > uint64(len(left)/(1+8*digestedFigures)) {
		return nil, errDigest
	}
	left = left[used:]
	passes := make([]session.Pass, count)
	for i := range passes {
		place, used := binary.Uvarint(left)
		if used <= 0 || place >= uint64(len(kinds)) || len(left) < used+8*digestedFigures {
			return nil, errDigest
		}
		passes[i] = kinds[place]
		addFigures(&passes[i], left[used:])
		left = left[used+8*digestedFigures:]
	}
	return passes, nil
}

func (d *digests) readAsked(packed []byte) ([]session.Pass, error) {
	if known, ok := d.known.Load(string(packed)); ok {
		return known.([]session.Pass), nil
	}
	var kinds []session.Pass
	if err := d.decoder.Decode(packed, &kinds); err != nil {
		return nil, errDigest
	}
	d.known.Store(string(packed), kinds)
	return kinds, nil
}

// digestHeader is the part of a session's header that comparisons over very many sessions read: factors and
// copies.
type digestHeader struct {
	ID          string            `json:"id"`
	Name        string            `json:"name"`
	Started     time.Time         `json:"started"`
	Ended       time.Time         `json:"ended"`
	State       session.State     `json:"state"`
	Simulated   bool              `json:"simulated"`
	Target      session.Target    `json:"target"`
	Chain       link.Chain        `json:"chain"`
	Parts       []book.Part       `json:"parts"`
	Conditions  map[string]string `json:"conditions"`
	Environment host.Environment  `json:"environment"`
	Ends        []session.End     `json:"ends"`
	Copies      []session.Copy    `json:"copies"`
}

func headerOf(s *session.Session) digestHeader {
	return digestHeader{s.ID, s.Name, s.Started, s.Ended, s.State, s.Simulated, s.Target, s.Chain, s.Parts, s.Conditions,
		s.Environment, s.Ends, s.Copies}
}

func (d *digests) session(digest []byte) (*session.Session, error) {
	header, passes, err := cut(digest)
	if err != nil {
		return nil, err
	}
	var h digestHeader
	if err := codec.Unmarshal(header, &h); err != nil {
		return nil, err
	}
	s := &session.Session{Format: session.Format, ID: h.ID, Name: h.Name, Started: h.Started, Ended: h.Ended,
		State: h.State, Simulated: h.Simulated, Target: h.Target, Chain: h.Chain, Parts: h.Parts,
		Conditions: h.Conditions, Environment: h.Environment, Ends: h.Ends, Copies: h.Copies}
	s.Passes, err = d.passes(passes)
	return s, err
}

// Digests returns sessions by their ids, in this order, with as much of each as comparisons over very many
// sessions read: factors, copies, and the load and figures of each pass.
func (l *Logbook) Digests(ids []string) iter.Seq2[*session.Session, error] {
	d := &digests{Logbook: l}
	return l.each(ids, `SELECT session, '', '', digest FROM pass_lists WHERE session IN (`+l.database.listQuery(1)+`)`,
		func(c columns) (*session.Session, error) {
			s, err := d.session(c.packed)
			if err != nil {
				return nil, err
			}
			return s, checkRow(s, c.id)
		})
}

// check holds the digest of a session that has ended against the session.
func (d *digests) check(s *session.Session) error {
	var kept []byte
	err := d.database.QueryRow(`SELECT digest FROM pass_lists WHERE session = $1`, s.ID).Scan(&kept)
	if errors.Is(err, sql.ErrNoRows) { // it has not ended
		return nil
	}
	if err != nil {
		return err
	}
	read, err := d.session(kept)
	if err != nil {
		return err
	}
	anew, err := d.packDigest(s)
	if err != nil {
		return err
	}
	want, err := d.session(anew)
	if err != nil {
		return err
	}
	if !reflect.DeepEqual(read, want) {
		return errors.New("what comparisons over many sessions read of it is not what it has")
	}
	return nil
}
