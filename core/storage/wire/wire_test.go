package wire

import (
	"context"
	"encoding/json"
	"math"
	"net"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// served starts another end that describes itself so.
func served(t *testing.T, server *nbd.Server) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Skip("nothing can be listened to here: ", err)
	}
	go func() { _ = server.Serve(listener) }()
	t.Cleanup(func() { _ = listener.Close(); server.Close() })
	return Scheme + listener.Addr().String()
}

func TestBothEnds(t *testing.T) {
	standard := link.Ethernet(1e9, link.Frame{})
	address := served(t, NewServer(func(net.Addr) Far { return Far{"7.1", []link.Hop{standard.Hop("quay")}} }))
	w, err := Open(context.Background(), address, Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer w.Close()
	d := w.Description()
	if d.Kind != target.Wire || d.Address != address || !d.Writable || !d.Parallel {
		t.Errorf("it is %+v", d)
	}
	hops := w.Far().Hops
	if w.Far().Program != "7.1" || len(hops) != 1 || hops[0].Name != "the other end's quay" ||
		hops[0].Usable != standard.Ceiling().Usable {
		t.Errorf("the other end says %+v", w.Far())
	}
	queue, err := w.Open(target.Shape{Slots: 2, Block: unit.MiB})
	if err != nil {
		t.Fatal(err)
	}
	defer queue.Close()
	done := make([]target.Completion, 2)
	if err := queue.Submit([]target.Operation{{Action: target.Read, Slot: 0, Length: 1 << 20},
		{Action: target.Write, Slot: 1, Length: 1 << 20}}); err != nil {
		t.Fatal(err)
	}
	for filled, until := 0, w.Now()+10*time.Second; filled < 2; {
		got, err := queue.Wait(done[filled:], until)
		if err != nil || got == 0 {
			t.Fatalf("%d of 2 are over, %v", filled, err)
		}
		filled += got
	}
	if done[0].Err != nil || done[1].Err != nil {
		t.Errorf("%v, %v", done[0].Err, done[1].Err)
	}
	zeros := 0
	for _, b := range queue.Buffer(0) {
		if b == 0 {
			zeros++
		}
	}
	if zeros > len(queue.Buffer(0))/100 {
		t.Errorf("%d of %d bytes that came in are zero: a link that compresses would look faster", zeros, 1<<20)
	}
	seconds, err := w.RoundTrip(context.Background())
	if err != nil || !(seconds > 0) || !(seconds < 1) {
		t.Errorf("a round trip takes %v s, %v", seconds, err)
	}
	if err := w.Close(); err != nil {
		t.Error(err)
	}
	if _, err := w.RoundTrip(context.Background()); err == nil {
		t.Error("a wire that was closed is pinged")
	}
}

// What another end says of its links is believed as far as it can be.
func TestOtherEndsThatLie(t *testing.T) {
	good := link.Ethernet(1e9, link.Frame{}).Hop("quay")
	bad := func(change func(*link.Hop)) link.Hop { h := good; change(&h); return h }
	hops := []link.Hop{
		bad(func(h *link.Hop) { h.Name = "a\x1b[2Jb" + strings.Repeat("x", 200) }),
		bad(func(h *link.Hop) { h.Line = 1e30 }),
		bad(func(h *link.Hop) { h.Usable.Low = -5 }),
		bad(func(h *link.Hop) { h.Usable.High, h.Payload = h.Payload, h.Usable.Low }),
		bad(func(h *link.Hop) { h.Name = "\x00\n" }),
		bad(func(h *link.Hop) { h.Standard = "" }),
	}
	got := believable(hops)
	if len(got) != 4 {
		t.Fatalf("%d of %d are kept: %+v", len(got), len(hops), got)
	}
	if name := got[0].Name; strings.ContainsAny(name, "\x1b\x00") || len(name) > 80 || !got[0].Known() {
		t.Errorf("its name is %q", name)
	}
	for _, h := range got[1:] {
		if h.Known() {
			t.Errorf("a ceiling that cannot be is believed: %+v", h)
		}
	}
	many := make([]link.Hop, 500)
	for i := range many {
		many[i] = good
	}
	if kept := believable(many); len(kept) != mostHops {
		t.Errorf("of 500 hops %d are kept", len(kept))
	}
	if s := believed(link.State{Standard: "x", Ceiling: link.Ceiling{Line: unit.BytesPerSecond(math.NaN())}}); s.Known() {
		t.Errorf("no number is a rate: %+v", s)
	}
}

func TestWhatIsNoWire(t *testing.T) {
	about := func(text string) *nbd.Server {
		return &nbd.Server{Exports: []nbd.Served{{Name: export, Backing: nbd.NewMemory(1 << 20),
			Describe: func(net.Addr) string { return text }}}}
	}
	named := func(name string) *nbd.Server {
		return &nbd.Server{Exports: []nbd.Served{{Name: name, Backing: nbd.NewMemory(1 << 20)}}}
	}
	long, _ := json.Marshal(Far{Program: strings.Repeat("x", 10_000)})
	for name, c := range map[string]struct {
		server *nbd.Server
		want   string
	}{
		"another version": {named("opengauge-wire-22"), `a wire of version "22", and this is version 1`},
		"a volume":        {named("songs"), "is a volume and no wire"},
		"says nothing":    {about(""), "use the same version"},
		"says nonsense":   {about("{"), "use the same version"},
		"says too much":   {about(string(long)), "use the same version"},
	} {
		if _, err := Open(context.Background(), served(t, c.server), Options{}); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q in it", name, err, c.want)
		}
	}
}

func TestAddresses(t *testing.T) {
	for text, want := range map[string]string{
		"wire://host": "host:10808", "wire://host:9": "host:9", "wire://[fe80::1]": "[fe80::1]:10808",
		"wire://[::1]:7/": "[::1]:7", "wire://": "", "wire://a/b": "", "wire://a:b:c": "", "nbd://x": "", "wire://a?b": "",
	} {
		got, err := ParseAddress(text)
		if want == "" && err == nil || want != "" && (err != nil || got.Host != want) {
			t.Errorf("%s is %+v, %v; want %s", text, got, err, want)
		}
	}
}
