package run

import (
	"context"
	"strings"
	"testing"
	"time"

	"opengauge/core/plan"
	"opengauge/core/record/session"
)

// looker is a follower that is sure after so many samples.
type looker struct {
	begun   []session.Pass
	samples int
	after   int
}

func (l *looker) Begin(s *session.Session, p session.Pass) {
	if s == nil {
		panic("no session")
	}
	l.begun, l.samples = append(l.begun, p), 0
}
func (l *looker) Sample(session.Sample) { l.samples++ }
func (l *looker) Says() (string, float64) {
	if l.samples < l.after {
		return "", 0
	}
	return "slowing: it is", 0.9
}

func followed(t *testing.T, l *looker, steps string) (*session.Session, []string) {
	t.Helper()
	p, err := plan.Parse("p", []byte("plan: p\nsteps:\n"+steps))
	if err != nil {
		t.Fatal(err)
	}
	request := simulated(t, "long-write", 3)
	request.Plan, request.Follow = p, l
	var said []string
	s, err := Run(context.Background(), request, &notebook{}, func(p Progress) {
		if p.Says != "" && (len(said) == 0 || said[len(said)-1] != p.Says) {
			said = append(said, p.Says)
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	return s, said
}

// A sustained load ends once its cause is as settled as was asked for, and not for less.
func TestSustainEndsWhenExplained(t *testing.T) {
	const load = "  - sustain: {operation: read, access: sequential, block: 1MiB, depth: 8, for: 90s"
	for asked, want := range map[string]time.Duration{
		"":                        90 * time.Second,
		", until-explained: 95%":  90 * time.Second,
		", until-explained: 90%":  40 * time.Second,
		", until-explained: 0.51": 40 * time.Second,
	} {
		l := &looker{after: 40}
		s, said := followed(t, l, load+asked+"}\n")
		lasted := time.Duration(s.Passes[0].ElapsedSeconds * float64(time.Second))
		if lasted < want || lasted > want+2*time.Second {
			t.Errorf("%q: it lasted %s, want %s", asked, lasted, want)
		}
		if len(l.begun) != 1 || l.begun[0].Step != "sustain" || l.begun[0].Depth != 8 || !l.begun[0].Direct {
			t.Errorf("it was told of %+v", l.begun)
		}
		if strings.Join(said, "|") != "slowing: it is" && want > time.Minute {
			t.Errorf("%q: progress said %q", asked, said)
		}
	}
}

// Each pass is a new one.
func TestEachPassIsFollowed(t *testing.T) {
	l := &looker{after: 1000}
	followed(t, l, "  - sweep: {operation: [read, write], access: sequential, block: 1MiB, depth: 8, hold: 3s}\n")
	if len(l.begun) != 2 || l.begun[0].Operation != "read" || l.begun[1].Operation != "write" || l.samples < 3 {
		t.Errorf("%d passes, %d samples of the last", len(l.begun), l.samples)
	}
}
