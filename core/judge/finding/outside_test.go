package finding_test

import (
	"fmt"
	"hash/fnv"
	"math"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/record/series"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/night"
	"opengauge/lab/outside"
)

// causes are the kinds that are scored on recordings from outside.
var causes = []string{
	"heat-throttle", "cache-exhausted", "credit-exhausted", "link-degraded", "background-load", "dropout",
}

// explained reads a recording from outside as a user would.
func explained(t testing.TB, r outside.Recording) *session.Session {
	t.Helper()
	about := writes
	if !r.Writes {
		about.Operation = "read"
	}
	s, err := series.Read("r.csv", strings.NewReader(r.Table), about)
	if err != nil {
		t.Fatalf("%s: %v", r.Class, err)
	}
	if r.Storage != "" {
		s.Conditions[explain.StorageCondition] = r.Storage
	}
	return s
}

// judgement is what was said of a recording.
type judgement struct {
	class  int
	truth  []string
	open   bool
	well   bool
	said   map[string]float64 // by cause
	named  []string
	unwell bool // a finding of any of the causes, or unsteady
}

func judge(t testing.TB, class int, seed uint64) judgement {
	r := outside.Draw(class, seed)
	s := explained(t, r)
	j := judgement{class: class, truth: r.Kinds, open: r.Open, well: r.Healthy, said: map[string]float64{}}
	verdict := explain.Pass(s, &s.Passes[0])
	for _, cause := range causes {
		j.said[cause] = verdict.Of(cause)
	}
	for _, silence := range verdict.Silences {
		j.said["dropout"] = max(j.said["dropout"], silence.Probability)
	}
	for _, f := range finding.Detect(s, unit.Decimal) {
		if slices.Contains(causes, f.Kind) && !slices.Contains(j.named, f.Kind) {
			j.named = append(j.named, f.Kind)
		}
		j.unwell = j.unwell || slices.Contains(causes, f.Kind) || f.Kind == "unsteady"
	}
	return j
}

// outsideSeed makes a number of a text: of the commit, for what is published.
func outsideSeed() uint64 {
	hash := fnv.New32a()
	hash.Write([]byte(os.Getenv("OPENGAUGE_SEED")))
	return uint64(hash.Sum32())
}

// drawn judges so many recordings of each class.
func drawn(t *testing.T, each int) []judgement {
	var (
		all     []judgement
		mutex   sync.Mutex
		running sync.WaitGroup
	)
	next := make(chan [2]int)
	seed := outsideSeed()
	for range runtime.GOMAXPROCS(0) {
		running.Go(func() {
			for one := range next {
				j := judge(t, one[0], seed+uint64(one[1]))
				mutex.Lock()
				all = append(all, j)
				mutex.Unlock()
			}
		})
	}
	for class := range outside.Names() {
		for number := range each {
			next <- [2]int{class, number}
		}
	}
	close(next)
	running.Wait()
	return all
}

// lowEnd is that of the 95 % interval of a share (Wilson, JASA 22, 1927).
func lowEnd(right, of int) float64 {
	if of == 0 {
		return 0
	}
	const z = 1.96
	n, p := float64(of), float64(right)/float64(of)
	return (p + z*z/(2*n) - z*math.Sqrt(p*(1-p)/n+z*z/(4*n*n))) / (1 + z*z/n)
}

// highEnd is its other end.
func highEnd(right, of int) float64 { return 1 - lowEnd(of-right, of) }

// byCause counts what was named rightly, wrongly and not. What nobody can tell is only
// counted where it was named.
func byCause(all []judgement) map[string]*score {
	scores := map[string]*score{}
	for _, cause := range causes {
		scores[cause] = &score{}
	}
	for _, j := range all {
		for _, cause := range causes {
			there, wanted := slices.Contains(j.named, cause), slices.Contains(j.truth, cause)
			switch {
			case j.open:
			case there && wanted:
				scores[cause].right++
			case there:
				scores[cause].wrong++
			case wanted:
				scores[cause].missed++
			}
		}
	}
	return scores
}

// mostlyHealthy is the precision of a cause in a mix of which six in ten are healthy.
func mostlyHealthy(all []judgement, cause string) float64 {
	healthy, others := 0.0, 0.0
	for _, j := range all {
		switch {
		case j.well:
			healthy++
		case !j.open:
			others++
		}
	}
	weight := 1.5 * others / max(healthy, 1)
	right, named := 0.0, 0.0
	for _, j := range all {
		if j.open || !slices.Contains(j.named, cause) {
			continue
		}
		if j.well {
			named += weight
			continue
		}
		named++
		if slices.Contains(j.truth, cause) {
			right++
		}
	}
	if named == 0 {
		return 1
	}
	return right / named
}

// reliability is how often what was said with a probability is so, by tenths of it.
type reliability struct {
	said  float64
	right int
	count int
}

func reliabilities(all []judgement) [10]reliability {
	var bins [10]reliability
	for _, j := range all {
		for _, cause := range causes {
			p := j.said[cause]
			if j.open && !strings.HasPrefix(outside.Names()[j.class], "none of these") || p < 0.02 {
				continue
			}
			bin := &bins[min(int(p*10), 9)]
			bin.said, bin.count = bin.said+p, bin.count+1
			if slices.Contains(j.truth, cause) {
				bin.right++
			}
		}
	}
	return bins
}

// Causes hold on recordings of other physics. OPENGAUGE_OUTSIDE says how many of each
// class are drawn.
func TestRecordingsFromOutside(t *testing.T) {
	each, err := strconv.Atoi(os.Getenv("OPENGAUGE_OUTSIDE"))
	if err != nil || each < 1 {
		each = night.Tries(t, 20)
	}
	all := drawn(t, each)
	names := outside.Names()
	t.Logf("%d recordings of %d classes", len(all), len(names))
	t.Logf("| kind | there | precision | low end | recall | low end | precision, where six in ten are healthy |")
	for _, cause := range causes {
		s := byCause(all)[cause]
		t.Logf("| %s | %d | %.3f | %.3f | %.3f | %.3f | %.3f |", cause, s.right+s.missed, s.precision(),
			lowEnd(s.right, s.right+s.wrong), s.recall(), lowEnd(s.right, s.right+s.missed), mostlyHealthy(all, cause))
		// A few recordings tell a share only so far: what their interval excludes is wrong.
		if highEnd(s.right, s.right+s.wrong) < 0.9 || highEnd(s.right, s.right+s.missed) < 0.6 {
			t.Errorf("%s: precision %.3f, recall %.3f", cause, s.precision(), s.recall())
		}
	}
	healthy, alarms, open, named := 0, 0, 0, 0
	for _, j := range all {
		switch {
		case j.well:
			healthy++
			if j.unwell {
				alarms++
			}
		case j.open:
			open++
			if len(j.named) > 0 {
				named++
			}
		}
	}
	t.Logf("| healthy, falsely found | %d | %.4f |", healthy, ratio(alarms, healthy))
	t.Logf("| nobody can tell, named | %d | %.4f |", open, ratio(named, open))
	if lowEnd(alarms, healthy) > 0.04 || lowEnd(named, open) > 0.12 {
		t.Errorf("%d of %d healthy ones have findings, %d of %d that nobody can tell are named", alarms, healthy, named,
			open)
	}
	t.Logf("| said | cases | on average | right |")
	for i, bin := range reliabilities(all) {
		if bin.count > 0 {
			t.Logf("| %.1f to %.1f | %d | %.3f | %.3f |", float64(i)/10, float64(i+1)/10, bin.count,
				bin.said/float64(bin.count), ratio(bin.right, bin.count))
		}
	}
	t.Logf("| class | recordings | all there named | something else named | unsteady or none |")
	for class, name := range names {
		t.Logf("%s", classLine(all, class, name))
	}
}

// classLine sums up a class.
func classLine(all []judgement, class int, name string) string {
	count, right, wrong := 0, 0, 0
	for _, j := range all {
		if j.class != class {
			continue
		}
		count++
		other := false
		for _, cause := range j.named {
			other = other || !slices.Contains(j.truth, cause)
		}
		missed := slices.ContainsFunc(j.truth, func(cause string) bool { return !slices.Contains(j.named, cause) })
		switch {
		case other:
			wrong++
		case len(j.truth) > 0 && !missed || j.well && !j.unwell:
			right++
		}
	}
	return fmt.Sprintf("| %s | %d | %d | %d | %d |", name, count, right, wrong, count-right-wrong)
}
