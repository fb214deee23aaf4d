package finding

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// A volume that has less for one host after others were there has drifted; one that has as much has not.
func TestAVolumeThatDriftsWhileHostsMeasure(t *testing.T) {
	crew := func(rates ...float64) session.Contention {
		var c session.Contention
		for i, each := range rates {
			c.Members = append(c.Members, session.Member{Address: string(rune('a' + i)), Together: session.Pass{
				Load: load.New(load.Read, load.Random, 4*unit.KiB, 2), AskedSeconds: 4, ElapsedSeconds: 4,
				BytesPerSecond: unit.BytesPerSecond(each)}})
		}
		return c
	}
	for _, c := range []struct {
		after       float64
		share, sure float64
	}{
		{95e6, 0, 0}, {109e6, 0, 0}, {29e6, -0.71, 0.9}, {250e6, 1.5, 0.9}, {88e6, -0.12, 0.58},
	} {
		s := &session.Session{Together: &session.Together{}, MergedFrom: []string{"x"},
			Contentions: []session.Contention{crew(100e6), crew(40e6, 40e6), crew(c.after)}}
		var found []session.Finding
		for _, f := range Detect(s, unit.Decimal) {
			if f.Kind == "drifted" {
				found = append(found, f)
			}
		}
		if c.sure == 0 {
			if len(found) > 0 {
				t.Errorf("%v afterwards has drifted: %s", c.after, found[0].Summary)
			}
			continue
		}
		if len(found) != 1 || !strings.Contains(found[0].Summary, "a alone got 100 MB/s before") {
			t.Errorf("%v afterwards: found %+v", c.after, found)
			continue
		}
		var e DriftedEvidence
		err := found[0].Evidence.Into(&e)
		if err != nil || !(math.Abs(e.Share-c.share) <= 1e-9) || !(math.Abs(found[0].Confidence-c.sure) <= 1e-9) {
			t.Errorf("%v afterwards: share %v, %v sure; want %v, %v", c.after, e.Share, found[0].Confidence, c.share, c.sure)
		}
	}
}
