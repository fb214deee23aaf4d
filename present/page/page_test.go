package page

import (
	"bytes"
	"regexp"
	"strings"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/present/article"
	"opengauge/present/figure"
)

func written(t *testing.T, s *session.Session, findings ...session.Finding) string {
	t.Helper()
	var out bytes.Buffer
	err := Write(&out, article.New(article.Report{
		Title: "Ebb <b>& flood", Subject: figure.Subject{Sessions: []*session.Session{s},
			Findings: map[string][]session.Finding{s.ID: findings}}, Program: "test", Written: time.Unix(0, 0).UTC(),
	}))
	if err != nil {
		t.Fatal(err)
	}
	return out.String()
}

func example() *session.Session {
	s := &session.Session{ID: "k3f9abcdef", Name: "deck", State: session.Complete,
		Conditions: map[string]string{"fan": "on"}}
	pass := session.Pass{Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 1},
		Direct: true}
	for second := range 30 {
		pass.Samples = append(pass.Samples, session.Sample{
			TSeconds: float64(second + 1), BytesPerSecond: 1e8,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": 40},
		})
	}
	s.Passes = []session.Pass{pass}
	return s
}

// withoutVendored takes the chart library out of a page: its licence and its
// namespaces hold addresses that nothing is loaded from.
func withoutVendored(t *testing.T, page string) string {
	t.Helper()
	vendored, err := files.ReadFile("vendor/echarts.min.js")
	if err != nil {
		t.Fatal(err)
	}
	rest := strings.Replace(page, string(vendored), "", 1)
	if len(rest) == len(page) {
		t.Fatal("the chart library is not in the page as it is")
	}
	return rest
}

func TestPageRefersToNothingOutside(t *testing.T) {
	page := withoutVendored(t, written(t, example()))
	if found := regexp.MustCompile(`(?i)(https?:)?//[a-z0-9]|<link[^>]+href="[^d]|<script[^>]+src|<img|@import|url\(`).FindString(page); found != "" {
		t.Errorf("the page refers outside: %q", found)
	}
	if !strings.Contains(page, `default-src 'none'`) {
		t.Error("the page does not forbid loading anything")
	}
}

func TestPageShowsWhatItShould(t *testing.T) {
	page := written(t, example(), session.Finding{
		Kind: "heat-throttle", Severity: session.Caution, Confidence: 0.97, Summary: "It fell.", Advice: "Cool it.",
		Passes: []int{0}, FromSeconds: 10, ToSeconds: 20,
	})
	for _, want := range []string{
		"Ebb &lt;b&gt;&amp; flood", `id="trace-k3f9abcdef-0"`,
		`aria-label="Throughput over 30 seconds, between 100 and 100 MB/s; drive from 40 to 40 °C; heat-throttle from 10 to 20 seconds."`,
		"heat-throttle · probability 97 %", "condition fan", ">4 KiB<", "The samples as a table",
	} {
		if !strings.Contains(page, want) {
			t.Errorf("%q is not on the page", want)
		}
	}
}

func TestHostileNamesAreText(t *testing.T) {
	s := example()
	s.Name = `</script><script>alert(1)</script>`
	s.Conditions["note"] = `"><img src=x onerror=alert(1)>`
	page := withoutVendored(t, written(t, s, session.Finding{Kind: "x", Summary: "<script>alert(2)</script>"}))
	if strings.Contains(page, "<script>alert") || strings.Contains(page, "<img") {
		t.Error("a name became markup")
	}
	if count := strings.Count(page, "</script>"); count != 3 {
		t.Errorf("%d scripts end on the page, want its own 3", count)
	}
}

func TestSimulatedSessionsAreMarked(t *testing.T) {
	s := example()
	if strings.Contains(written(t, s), "(simulated)") {
		t.Error("a real session is marked as simulated")
	}
	s.Simulated = true
	if page := written(t, s); !strings.Contains(page, `<span class="simulated">simulated</span>`) ||
		!strings.Contains(page, "no real drive was measured") {
		t.Error("a simulated session is not marked")
	}
}
