package outside_test

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/lab/outside"
)

// Every class comes about, is the same for the same seed, and names kinds that there
// are.
func TestWhatIsDrawn(t *testing.T) {
	for class, name := range outside.Names() {
		one, again, other := outside.Draw(class, 7), outside.Draw(class, 7), outside.Draw(class, 8)
		if one.Table != again.Table || one.Table == other.Table {
			t.Errorf("%s: the seed does not decide", name)
		}
		if rows := strings.Count(one.Table, "\n"); rows < 60 {
			t.Errorf("%s: %d rows", name, rows)
		}
		if one.Healthy && (one.Open || len(one.Kinds) > 0) || !one.Healthy && !one.Open && len(one.Kinds) == 0 {
			t.Errorf("%s: healthy %v, open %v, kinds %v", name, one.Healthy, one.Open, one.Kinds)
		}
		for _, kind := range one.Kinds {
			known := false
			for _, each := range finding.Kinds {
				known = known || each.Name == kind
			}
			if !known {
				t.Errorf("%s: there is no kind %q", name, kind)
			}
		}
	}
}

// The worlds are what they were before anything was fitted: the digest is that of the
// first commit that had them.
func TestItStaysAsItWas(t *testing.T) {
	const was = "d74810d8076c7d148d46ef4cbb5242a2f7f815219a8e5858605962b45228e2c6"
	hash := sha256.New()
	for class := range outside.Names() {
		for seed := range uint64(2) {
			r := outside.Draw(class, seed)
			hash.Write([]byte(r.Class + r.Storage + r.Table))
		}
	}
	if got := hex.EncodeToString(hash.Sum(nil)); got != was {
		t.Errorf("the digest is %s, and was %s", got, was)
	}
}
