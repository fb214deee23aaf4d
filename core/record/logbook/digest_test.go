package logbook

import (
	"reflect"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// digestedSession is a session with two kinds of passes, and an interval in one of them.
func digestedSession() *session.Session {
	s := example("k3f9abcdef", "ebb", time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC))
	s.Passes = append(s.Passes, examplePass(2))
	s.Passes[1].Throughput = &session.RateInterval{Low: 9e7, High: 1.1e8}
	s.Passes[2].Depth, s.Passes[2].CutShort = 4, true
	return s
}

func packer(tb testing.TB) *Logbook {
	tb.Helper()
	l := &Logbook{}
	if err := l.prepareCompression(); err != nil {
		tb.Fatal(err)
	}
	return l
}

func TestADigestHasTheFiguresOfPasses(t *testing.T) {
	t.Parallel()
	l, s := packer(t), digestedSession()
	digest, err := l.packDigest(s)
	if err != nil {
		t.Fatal(err)
	}
	got, err := (&digests{Logbook: l}).session(digest)
	if err != nil || got.Name != "ebb" || len(got.Passes) != 3 || len(got.Findings) != 0 {
		t.Fatalf("%+v, %v", got, err)
	}
	for i := range s.Passes {
		a, b := &got.Passes[i], &s.Passes[i]
		if a.Key() != b.Key() || a.BytesPerSecond != b.BytesPerSecond || a.CutShort != b.CutShort || a.Index != b.Index ||
			a.Latency.P99 != b.Latency.P99 || !reflect.DeepEqual(a.Throughput, b.Throughput) || a.Direct != b.Direct {
			t.Errorf("pass %d came back as %+v", i, a)
		}
	}
	_, passes, err := cut(digest)
	if err != nil {
		t.Fatal(err)
	}
	asked, _, err := cut(passes)
	if err != nil {
		t.Fatal(err)
	}
	if kinds, err := (&digests{Logbook: l}).readAsked(asked); err != nil || len(kinds) != 2 {
		t.Errorf("what was asked for is there %d times, want 2: %v", len(kinds), err)
	}
	for cut := range len(digest) {
		if s, err := (&digests{Logbook: l}).session(digest[:cut]); err == nil {
			t.Fatalf("%d of %d bytes of it are a session: %+v", cut, len(digest), s)
		}
	}
}

// Passes that differ in one thing alone that was asked for, or in how they ended, stay apart.
func TestADigestKeepsPassesApart(t *testing.T) {
	t.Parallel()
	l := packer(t)
	for name, change := range map[string]func(*session.Pass){
		"step": func(p *session.Pass) { p.Step += "x" }, "load": func(p *session.Pass) { p.Depth++ },
		"seconds": func(p *session.Pass) { p.AskedSeconds++ }, "bytes": func(p *session.Pass) { p.AskedBytes++ },
		"fill": func(p *session.Pass) { p.FillShare += 0.25 }, "queue": func(p *session.Pass) { p.Queue += "x" },
		"direct": func(p *session.Pass) { p.Direct = !p.Direct }, "end": func(p *session.Pass) { p.CutShort = !p.CutShort },
	} {
		s := digestedSession()
		s.Passes = s.Passes[:1]
		s.Passes = append(s.Passes, s.Passes[0])
		change(&s.Passes[1])
		digest, err := l.packDigest(s)
		if err != nil {
			t.Fatal(err)
		}
		got, err := (&digests{Logbook: l}).session(digest)
		if err != nil {
			t.Fatal(err)
		}
		for i := range s.Passes {
			want, have := askedFor(&s.Passes[i]), askedFor(&got.Passes[i])
			if !reflect.DeepEqual(have, want) {
				t.Errorf("%s: pass %d was asked for %+v and came back as %+v", name, i, want, have)
			}
		}
	}
}

func FuzzDigest(f *testing.F) {
	l := packer(f)
	digest, err := l.packDigest(digestedSession())
	if err != nil {
		f.Fatal(err)
	}
	f.Add(digest)
	f.Add([]byte{0, 0, 200})
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := (&digests{Logbook: l}).session(text)
		if err == nil && unit.Bytes(len(s.Passes)) > unit.Bytes(len(text)) {
			t.Errorf("%d passes of %d bytes", len(s.Passes), len(text))
		}
	})
}
