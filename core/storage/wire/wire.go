// Package wire measures what the network between two machines carries, without any
// storage behind it. One machine serves nothing at all over the NBD protocol: what is read
// of it comes from memory that lies ready, and what is written to it is dropped as it
// arrives. The other takes that for a target, so that passes, samples and findings are
// those of any storage: reads are what comes in, writes are what goes out, and workers
// are streams, each a connection of its own.
//
// A server may be asked by many at once. A target is like any other: its queues belong to
// a goroutine each.
package wire

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

const (
	// Scheme begins the address of a wire's other end.
	Scheme = "wire://"
	// Port is where a wire's other end listens if nobody says otherwise.
	Port = "10808"
	// exportPrefix and version are the name of what is served: ends of different versions
	// do not find each other.
	exportPrefix = "opengauge-wire-"
	version      = "1"
	export       = exportPrefix + version
	// span is what is pretended to be there.
	span = 4 * unit.GiB
)

// IsAddress says whether a target is the other end of a wire.
func IsAddress(text string) bool { return strings.HasPrefix(text, Scheme) }

// ParseAddress reads wire://HOST[:PORT].
func ParseAddress(text string) (nbd.Address, error) {
	rest, ok := strings.CutPrefix(text, Scheme)
	rest = strings.TrimSuffix(rest, "/")
	if bare := strings.Trim(rest, "[]"); !strings.Contains(bare, ":") || net.ParseIP(bare) != nil {
		rest = net.JoinHostPort(bare, Port)
	}
	host, port, err := net.SplitHostPort(rest)
	if !ok || err != nil || host == "" || port == "" || strings.ContainsAny(rest, "/?# ") {
		return nbd.Address{}, fmt.Errorf("%q is not the other end of a wire; write wire://HOST or wire://HOST:PORT, "+
			"where opengauge standin wire runs", text)
	}
	return nbd.Address{Network: "tcp", Host: rest, Name: host, Export: export}, nil
}

// Far is what the other end says of itself.
type Far struct {
	// Program is its version, and Hops are the links from it to the network.
	Program string     `json:"program"`
	Hops    []link.Hop `json:"hops"`
}

// NewServer serves a wire. Describe says what a client is told of this end.
func NewServer(describe func(client net.Addr) Far) *nbd.Server {
	return &nbd.Server{Exports: []nbd.Served{{Name: export, Backing: nothing{payload.Compressible(0)},
		Describe: func(client net.Addr) string {
			text, err := json.Marshal(describe(client))
			if err != nil {
				return ""
			}
			return string(text)
		}}}}
}

// nothing holds no bytes: it gives what lies ready, and drops what it is given.
type nothing struct{ ready *payload.Source }

func (n nothing) ReadAt(into []byte, _ int64) (int, error) {
	n.ready.Fill(into)
	return len(into), nil
}

func (nothing) WriteAt(from []byte, _ int64) (int, error) { return len(from), nil }

func (nothing) Size() int64 { return int64(span) }

func (nothing) Sync() error { return nil }

// Wire is the other end as a target.
type Wire struct {
	*nbd.Volume
	address string
	far     Far

	mutex  sync.Mutex
	pinger target.Queue // the connection of round trips, or nil
	closed bool
}

// Options say how the other end is reached.
type Options struct {
	// Size is how much is pretended to be there; 0 is as usual.
	Size unit.Bytes
	TLS  *tls.Config
}

// Open connects to the other end. The context is that of all later connections too.
func Open(ctx context.Context, text string, options Options) (*Wire, error) {
	address, err := ParseAddress(text)
	if err != nil {
		return nil, err
	}
	volume, err := nbd.Connect(ctx, address, nbd.Options{Size: options.Size, Overwrite: export, TLS: options.TLS,
		Apart: true})
	if err != nil {
		return nil, notAWire(ctx, address, err)
	}
	w := &Wire{Volume: volume, address: text}
	if err := json.Unmarshal([]byte(volume.About()), &w.far); err != nil {
		return nil, fmt.Errorf("%s does not say of itself what the other end of a wire says: use the same version of "+
			"the program on both machines", address.Host)
	}
	w.far.Hops = believable(w.far.Hops)
	return w, nil
}

// notAWire says what serves at an address instead of a wire of this version.
func notAWire(ctx context.Context, address nbd.Address, cause error) error {
	names, err := nbd.Exports(ctx, address, nil)
	if err != nil || slices.Contains(names, export) {
		return fmt.Errorf("%w; start opengauge standin wire --listen 0.0.0.0:%s there", cause, Port)
	}
	for _, name := range names {
		if other, ok := strings.CutPrefix(name, exportPrefix); ok {
			return fmt.Errorf("the other end at %s is a wire of version %.20q, and this is version %s: use the same "+
				"version of the program on both machines", address.Host, other, version)
		}
	}
	return fmt.Errorf("what serves at %s is a volume and no wire: measure nbd://%s/EXPORT, or start opengauge standin "+
		"wire there", address.Host, address.Host)
}

// Bounds of what another end may say of its links.
const (
	mostHops    = 8
	longestName = 60
	mostBytes   = 1e13 // a second
)

// believable leaves out of what the other end says of its links what cannot be.
func believable(hops []link.Hop) []link.Hop {
	kept := []link.Hop{}
	for _, hop := range hops[:min(len(hops), mostHops)] {
		state, capable := believed(hop.State), link.State{}
		if hop.Capable != nil {
			capable = believed(*hop.Capable)
		}
		if name := plainText(hop.Name); name != "" && state.Standard != "" {
			kept = append(kept, link.Trained("the other end's "+name, state, capable))
		}
	}
	return kept
}

func believed(s link.State) link.State {
	clean := link.State{Standard: plainText(s.Standard)}
	rates := []unit.BytesPerSecond{s.Usable.Low, s.Usable.High, s.Payload, s.Line}
	for i, rate := range rates {
		if !(rate > 0) || rate > mostBytes || math.IsNaN(float64(rate)) || i > 0 && rate < rates[i-1] {
			return clean
		}
	}
	clean.Lanes, clean.Ceiling = max(s.Lanes, 1), s.Ceiling
	return clean
}

// plainText is a text of another machine without what would move a terminal's cursor.
func plainText(text string) string {
	clean := strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r >= 0x80 {
			return -1
		}
		return r
	}, text)
	return clean[:min(len(clean), longestName)]
}

// Far is what the other end says of itself.
func (w *Wire) Far() Far { return w.far }

// Description of the wire.
func (w *Wire) Description() target.Description {
	d := w.Volume.Description()
	d.Kind, d.Address = target.Wire, w.address
	return d
}

// Reopen says whether the other end answers: it holds nothing that could be another's.
func (w *Wire) Reopen(target.Recognise) error { return w.Answers() }

var (
	_ target.Reopener = (*Wire)(nil)
	_ target.Answerer = (*Wire)(nil)
)

const (
	// pings are how many round trips make a reading, and pingPause is between them.
	pings     = 10
	pingPause = 20 * time.Millisecond
	pingBytes = 1
	// pingWithin is how long one may take where nobody says so.
	pingWithin = 10 * time.Second
)

// RoundTrip takes a few round trips on a connection of its own, and gives what the kernel
// sees them take, in seconds; the middle one by this program's clock where the kernel does
// not say: beside a load, that is mostly how long the program waited for a processor.
func (w *Wire) RoundTrip(ctx context.Context) (seconds float64, err error) {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	if w.closed {
		return 0, net.ErrClosed
	}
	if w.pinger == nil {
		if w.pinger, err = w.Open(target.Shape{Slots: 1, Block: pingBytes}); err != nil {
			return 0, err
		}
	}
	defer func() {
		if err != nil { // what comes late would be taken for the next answer
			err = errors.Join(err, w.hangUp())
		}
	}()
	var trips []float64
	for range pings {
		trip, err := w.ping(ctx)
		if err != nil {
			return 0, err
		}
		trips = append(trips, trip.Seconds())
		select {
		case <-ctx.Done():
			return 0, ctx.Err()
		case <-time.After(pingPause):
		}
	}
	if kernel, ok := w.pinger.(interface{ RoundTrip() (time.Duration, bool) }); ok {
		if trip, known := kernel.RoundTrip(); known {
			return trip.Seconds(), nil
		}
	}
	slices.Sort(trips)
	return trips[len(trips)/2], nil
}

// ping takes one round trip. The mutex is held.
func (w *Wire) ping(ctx context.Context) (time.Duration, error) {
	if err := w.pinger.Submit([]target.Operation{{Action: target.Read, Length: pingBytes}}); err != nil {
		return 0, err
	}
	within := pingWithin
	if deadline, ok := ctx.Deadline(); ok {
		within = time.Until(deadline)
	}
	var done [1]target.Completion
	filled, err := w.pinger.Wait(done[:], w.Now()+within)
	switch {
	case err != nil:
		return 0, err
	case filled == 0:
		return 0, errors.New("the other end does not answer")
	case done[0].Err != nil:
		return 0, done[0].Err
	}
	return done[0].Completed - done[0].Submitted, nil
}

// hangUp ends the connection of round trips. The mutex is held.
func (w *Wire) hangUp() error {
	if w.pinger == nil {
		return nil
	}
	err := w.pinger.Close()
	w.pinger = nil
	return err
}

// Close ends the connection of round trips.
func (w *Wire) Close() error {
	w.mutex.Lock()
	defer w.mutex.Unlock()
	w.closed = true
	return errors.Join(w.hangUp(), w.Volume.Close())
}
