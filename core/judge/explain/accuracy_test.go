package explain_test

import (
	"fmt"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"opengauge/core/judge/explain"
	"opengauge/core/judge/outside"
	"opengauge/core/load"
	"opengauge/core/record/series"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func read(t testing.TB, r outside.Recording) *session.Session {
	about := series.About{Operation: load.Read, Access: load.Sequential, Block: unit.MiB, Depth: 8}
	if r.Writes {
		about.Operation = load.Write
	}
	s, err := series.Read("r.csv", strings.NewReader(r.Table), about)
	if err != nil {
		t.Fatalf("%s: %v", r.Class, err)
	}
	if r.Storage != "" {
		s.Conditions["storage"] = r.Storage
	}
	return s
}

var kinds = []string{"heat-throttle", "cache-exhausted", "credit-exhausted", "link-degraded", "background-load", "dropout"}

func TestScratch(t *testing.T) {
	per, _ := strconv.Atoi(os.Getenv("PER"))
	if per == 0 {
		t.Skip("no PER")
	}
	only := os.Getenv("ONLY")
	type res struct{ line string }
	names := outside.Names()
	type key struct{ class, n int }
	out := make([][]string, len(names))
	var mu sync.Mutex
	var wg sync.WaitGroup
	next := make(chan key)
	type cell struct{ right, wrong, missed, unsaid, fine, named int }
	cells := make([]cell, len(names))
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for k := range next {
				r := outside.Draw(k.class, uint64(1000+k.n))
				s := read(t, r)
				v := explain.Pass(s, &s.Passes[0])
				said := map[string]float64{}
				for _, kind := range kinds {
					p := v.Of(kind)
					if kind == "dropout" {
						for _, x := range v.Silences {
							p = max(p, x.Probability)
						}
					}
					said[kind] = p
				}
				mu.Lock()
				c := &cells[k.class]
				text := ""
				for _, kind := range kinds {
					want := slices.Contains(r.Kinds, kind)
					switch {
					case said[kind] >= 0.8 && want:
						c.right++
					case said[kind] >= 0.8:
						c.wrong++
						text += fmt.Sprintf(" +%s %.2f", kind, said[kind])
					case want:
						c.missed++
						text += fmt.Sprintf(" -%s %.2f", kind, said[kind])
					}
				}
				if len(v.Shares) > 0 && v.Healthy() < 0.5 && r.Healthy {
					text += " unsteady"
					c.unsaid++
				}
				if text != "" {
					top := ""
					for i, sh := range v.Shares {
						if i < 3 {
							top += fmt.Sprintf(" | %s %.2f", sh.Explanation.Name, sh.Share)
						}
					}
					if os.Getenv("FACTS") != "" {
						for i, sh := range v.Shares {
							if i < 3 {
								top += "\n      " + sh.Explanation.Name
								for _, f := range sh.Facts {
									top += fmt.Sprintf("\n         %+.1f %s", f.Nats, f.Says)
								}
							}
						}
					}
					out[k.class] = append(out[k.class], fmt.Sprintf("   %d:%s %s", k.n, text, top))
				}
				mu.Unlock()
			}
		})
	}
	for class, name := range names {
		if only != "" && !strings.Contains(name, only) {
			continue
		}
		for n := range per {
			next <- key{class, n}
		}
	}
	close(next)
	wg.Wait()
	show := os.Getenv("SHOW")
	for i, name := range names {
		c := cells[i]
		if only != "" && !strings.Contains(name, only) {
			continue
		}
		fmt.Printf("%-45s right %3d missed %3d wrong %3d unsteady %3d\n", name, c.right, c.missed, c.wrong, c.unsaid)
		if show != "" {
			for j, l := range out[i] {
				if j < 6 {
					fmt.Println(l)
				}
			}
		}
	}
}
