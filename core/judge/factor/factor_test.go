package factor

import (
	"slices"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
)

// copied is a session of copies between two drives in their cases.
func copied(from, to string) *session.Session {
	s := &session.Session{Simulated: true, Parts: []book.Part{{Kind: book.Drive, Name: from}}}
	s.Ends = []session.End{{Address: "a", Parts: s.Parts}, {Address: "b", Parts: []book.Part{
		{Kind: book.Enclosure, Name: to, Firmware: to + "-1"}, {Kind: book.Drive, Name: "dunlin"},
	}}}
	return s
}

func TestWhatIsAtADestinationIsACircumstance(t *testing.T) {
	a, b := Of(copied("curlew", "limpet")), Of(copied("curlew", "barnacle"))
	differ, unsaid := Differing(a, b)
	if !slices.Equal(differ, []string{"destination enclosure"}) || len(unsaid) != 0 {
		t.Errorf("they differ in %q, and %q is not said", differ, unsaid)
	}
	if a["drive"] != "curlew" || a["destination drive"] != "dunlin" {
		t.Errorf("%v", a)
	}
	if differ, _ := Differing(a, Of(copied("sandpiper", "limpet"))); !slices.Equal(differ, []string{"drive"}) {
		t.Errorf("another source: %q", differ)
	}
}

func TestWhatABenchCannotBe(t *testing.T) {
	s := &session.Session{Parts: []book.Part{{Kind: book.Enclosure, Name: "limpet", Cooling: "passive"}}}
	other := &session.Session{Parts: []book.Part{{Kind: book.Enclosure, Name: "barnacle", Cooling: "automatic"}}}
	bench := BenchOf([]*session.Session{s, other})
	for _, c := range []struct {
		enclosure, fan, want string
		can                  bool
	}{
		{"limpet", "passive", "passive", true}, {"limpet", "on", "on", false}, {"barnacle", "on", "on", true},
		{"barnacle", "passive", "off", true}, {"whelk", "on", "on", true}, {"limpet", "", "", true},
	} {
		f := Set{}
		f.Put(Enclosure, c.enclosure)
		f.Put(Fan, c.fan)
		got, can := bench.Possible(f)
		if can != c.can || got[Fan] != c.want || f[Fan] != c.fan {
			t.Errorf("%s with fan=%s: %v, %v", c.enclosure, c.fan, got, can)
		}
	}
}
