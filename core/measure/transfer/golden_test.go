package transfer_test

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/storage/address"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// Copies between simulated drives repeat exactly, all that is recorded of them, and what
// is told while they run.
func TestSimulatedCopiesAreWhatTheyWere(t *testing.T) {
	bench, err := sim.DemoBench()
	if err != nil {
		t.Fatal(err)
	}
	var ends []transfer.Endpoint
	for i, name := range []string{"sandpiper", "curlew", "turnstone"} {
		part, err := bench.Open(name, sim.Options{Ambient: 23, Seed: uint64(i + 1)})
		if err != nil {
			t.Fatal(err)
		}
		end, err := transfer.SimulatedEnd("sim:"+name, address.Opened{Target: part, Chain: part.Chain()})
		if err != nil {
			t.Fatal(err)
		}
		ends = append(ends, end)
	}
	var sets []fileset.Set
	for name, size := range map[string]unit.Bytes{"large-file": 3 * unit.GB} {
		set, err := fileset.New(name, size, 1)
		if err != nil {
			t.Fatal(err)
		}
		sets = append(sets, set)
	}
	mixed, err := fileset.New("mixed-folder", 400*unit.MB, 1)
	if err != nil {
		t.Fatal(err)
	}
	small, err := fileset.New("small-files", 20*unit.MB, 1)
	if err != nil {
		t.Fatal(err)
	}
	sets = append(sets, mixed, small)
	var told []string
	s, err := transfer.Run(context.Background(), transfer.Request{
		ID: "golden", Name: "copies", Ends: ends, Pairs: [][2]int{{0, 1}, {1, 0}, {0, 2}}, Sets: sets, Repeat: 2, Parallel: 2,
		Alone: true, Sample: time.Second,
	}, &kept{}, func(step transfer.Step) {
		line := fmt.Sprintf("%d/%d %s", step.Number, step.Count, step.Label)
		if len(told) == 0 || told[len(told)-1] != line {
			told = append(told, line)
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	s.Ended, s.Started = s.Ended.Add(-time.Duration(s.Started.UnixNano())), time.Time{}
	text, err := json.MarshalIndent(struct {
		Told   []string
		Ends   []session.End
		Copies []session.Copy
		Events []session.Event
		State  session.State
		Plan   string
	}{told, s.Ends, s.Copies, s.Events, s.State, s.Plan.Name}, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	witness.CheckKept(t, filepath.Join("testdata", "simulated-copies.json"), string(text))
}
