package page

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"html"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"opengauge/core/load"
	"opengauge/core/record/exchange"
	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
	"opengauge/present/article"
	"opengauge/present/figure"
)

func reportOf(sessions []*session.Session, findings ...session.Finding) article.Report {
	r := article.Report{Title: "Ebb <b>& flood", Program: "test", Written: time.Unix(0, 0).UTC(),
		Subject: figure.Subject{Sessions: sessions, Findings: map[string][]session.Finding{}}}
	for _, s := range sessions {
		r.Findings[s.ID] = findings
	}
	return r
}

func written(t *testing.T, s *session.Session, findings ...session.Finding) string {
	t.Helper()
	return pageOf(t, reportOf([]*session.Session{s}, findings...))
}

func pageOf(t *testing.T, r article.Report) string {
	t.Helper()
	var out bytes.Buffer
	if err := Write(&out, article.New(r)); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

func example() *session.Session {
	s := &session.Session{Format: session.Format, ID: "k3f9abcdef", Name: "deck", State: session.Complete,
		Conditions: map[string]string{"fan": "on"}, Started: time.Unix(1e9, 0).UTC(), Ended: time.Unix(1e9+30, 0).UTC()}
	pass := session.Pass{Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 1},
		Direct: true}
	for second := range 30 {
		pass.Samples = append(pass.Samples, session.Sample{
			TSeconds: float64(second + 1), ElapsedSeconds: 1, BytesPerSecond: 1e8,
			TemperaturesCelsius: map[string]unit.Celsius{"drive": 40},
		})
	}
	s.Passes = []session.Pass{pass}
	return s
}

var heat = session.Finding{
	Kind: "heat-throttle", Severity: session.Caution, Confidence: 0.97, Summary: "It fell.", Advice: "Cool it.",
	Passes: []int{0}, FromSeconds: 10, ToSeconds: 20,
}

func TestPageRefersToNothingOutside(t *testing.T) {
	page := strings.ReplaceAll(written(t, example(), heat), `xmlns="http://www.w3.org/2000/svg"`, "")
	page = regexp.MustCompile(`(?s)<script type="(text/plain|application/zstd)".*?</script>`).ReplaceAllString(page, "")
	page = strings.ReplaceAll(page, `createElementNS("http://www.w3.org/2000/svg"`, "")
	outside := regexp.MustCompile(`(?i)https?:|="//|<link[^>]+href="[^d]|<script[^>]+src|<img|@import|url\(`)
	if found := outside.FindString(page); found != "" {
		t.Errorf("the page refers outside: %q", found)
	}
	if !strings.Contains(html.UnescapeString(page), `default-src 'none'`) {
		t.Error("the page does not forbid loading anything")
	}
}

// The page's own script alone may run: its policy knows it by its hash, and any other is refused, wherever it
// comes from.
func TestOnlyTheOwnScriptRuns(t *testing.T) {
	page := html.UnescapeString(written(t, example(), heat))
	policy := regexp.MustCompile(`script-src ([^;]*);`).FindStringSubmatch(page)
	script := regexp.MustCompile(`(?s)<script>(.*?)</script>`).FindAllStringSubmatch(written(t, example(), heat), -1)
	if policy == nil || len(script) != 1 {
		t.Fatalf("the page has the policy %q and %d scripts that run", policy, len(script))
	}
	sum := sha256.Sum256([]byte(script[0][1]))
	own := "'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'"
	library, err := packedChartLibrary()
	if err != nil || policy[1] != own+" "+library.hash {
		t.Errorf("it lets %s run, and its scripts are %s and %s (%v)", policy[1], own, library.hash, err)
	}
	if found := regexp.MustCompile(`(?i)<[a-z][^>]*\son[a-z]+\s*=`).FindString(page); found != "" {
		t.Errorf("an element has a script of its own, which is refused: %s", found)
	}
}

// The answer comes first, with the figure that shows it, and all else after it.
func TestPageShowsWhatItShould(t *testing.T) {
	page := written(t, example(), heat)
	last := 0
	for _, want := range []string{
		"Ebb &lt;b&gt;&amp; flood", `<p class="answer">It fell.</p>`, `<figure id="trace-k3f9abcdef-0" data-series>`,
		`aria-label="Throughput over 30 seconds, between 100 and 100 MB/s; drive from 40 to 40 °C; heat-throttle ` +
			`from 10 to 20 seconds."`, "<strong>Tested:</strong>", `<h2 id="title-watch">`, "heat-throttle · probability 97 %",
		`<h2 id="title-method">`, `<section id="data"`, "<details><summary>deck:", "The samples as a table", ">4 KiB<",
		"condition fan", `id="opengauge-sessions"`,
	} {
		at := strings.Index(page[last:], want)
		if at < 0 {
			t.Fatalf("%q is not on the page, or before what belongs before it", want)
		}
		last += at
	}
}

func TestHostileNamesAreText(t *testing.T) {
	s := example()
	s.Name = `</script><script>alert(1)</script>`
	s.Conditions["note"] = `"><img src=x onerror=alert(1)>`
	s.Passes[0].Samples[0].TemperaturesCelsius = map[string]unit.Celsius{`</svg><script>alert(3)</script>`: 40}
	page := written(t, s, session.Finding{Kind: "x", Summary: "<script>alert(2)</script>"})
	for _, markup := range []string{"<script>alert", "<img", "</svg><script"} {
		if strings.Contains(page, markup) {
			t.Errorf("a name became markup: %s", markup)
		}
	}
	own := strings.Count(page, "<script type=") + 1
	if count := strings.Count(page, "</script>"); count != own {
		t.Errorf("%d scripts end on the page, want its own %d", count, own)
	}
}

func TestSimulatedSessionsAreMarked(t *testing.T) {
	s := example()
	if strings.Contains(written(t, s), `class="simulated"`) {
		t.Error("a real session is marked as simulated")
	}
	s.Simulated = true
	if page := written(t, s); !strings.Contains(page, `<strong class="simulated">Simulated parts`) {
		t.Error("a simulated session is not marked")
	}
}

// readBack gives what an import reads of a page.
func readBack(t *testing.T, page string) ([]*session.Session, error) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "page.html")
	if err := os.WriteFile(file, []byte(page), 0o600); err != nil {
		t.Fatal(err)
	}
	var sessions []*session.Session
	for s, err := range exchange.Read([]string{file}) {
		if err != nil {
			return sessions, err
		}
		sessions = append(sessions, s)
	}
	return sessions, nil
}

// Whoever reads a page can take its sessions in, unless they were damaged.
func TestPageCarriesItsSessions(t *testing.T) {
	page := written(t, example(), heat)
	begin := strings.Index(page, `id="opengauge-sessions"`)
	data := begin + strings.Index(page[begin:], ">") + 1
	for _, c := range []struct {
		name, page, want string
	}{
		{"as it is", page, ""},
		{"with lines broken", page[:data+40] + "\n  " + page[data+40:], ""},
		{"a letter changed", page[:data+40] + flipped(page[data+40]) + page[data+41:], "do not match their checksum"},
		{"no letter of the code", page[:data+40] + "!" + page[data+41:], "are damaged"},
		{"cut short", page[:data+60], "carries no sessions"},
		{"without a checksum", strings.Replace(page, "data-sha256", "data-nothing", 1), "have no checksum"},
		{"with nothing in it", "<!doctype html><title>x</title>", "carries no sessions"},
	} {
		sessions, err := readBack(t, c.page)
		switch {
		case c.want == "" && (err != nil || len(sessions) != 1 || sessions[0].ID != "k3f9abcdef" ||
			len(sessions[0].Passes[0].Samples) != 30):
			t.Errorf("%s: %d sessions, %v", c.name, len(sessions), err)
		case c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)):
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
}

func flipped(letter byte) string {
	if letter == 'A' {
		return "B"
	}
	return "A"
}

// A page of very many sessions stays small, and says what it left to the data.
func TestAHundredSessionsAreAPage(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 1))
	var sessions []*session.Session
	for i := range 100 {
		s := example()
		s.ID, s.Name = fmt.Sprintf("%s%02d", s.ID[:7], i), fmt.Sprintf("dunlin-%d", i)
		s.Passes[0].Samples = nil
		for second := range 600 {
			s.Passes[0].Samples = append(s.Passes[0].Samples, session.Sample{
				TSeconds: float64(second + 1), ElapsedSeconds: 1, BytesPerSecond: unit.BytesPerSecond(1e6 * (99 + chance.IntN(4))),
				TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(40 + chance.IntN(3))},
			})
		}
		sessions = append(sessions, s)
	}
	r := reportOf(sessions, heat)
	page := pageOf(t, r)
	if len(page) > 2_000_000 {
		t.Errorf("the page has %d bytes", len(page))
	}
	if !regexp.MustCompile(`of \d+ further sessions have no room here, and are left to the data`).MatchString(page) {
		t.Error("it does not say what it leaves to the data")
	}
	if read, err := readBack(t, page); err != nil || len(read) != 100 {
		t.Errorf("%d sessions are in it, %v", len(read), err)
	}
}

// Numbers are as long as they are known.
func TestKnownDigits(t *testing.T) {
	for _, c := range []struct {
		value float64
		want  float64
	}{{1021.9876, 1022}, {0.000123456, 0.0001235}, {0, 0}, {-45.678, -45.68}, {1e9 + 1, 1e9}} {
		if got := round(c.value, 4); got != c.want {
			t.Errorf("%v is written as %v, want %v", c.value, got, c.want)
		}
	}
}

// Where there is no room for all sessions the first ones are enclosed, whole, and the rest
// is counted.
func TestEncloseAsManyAsThereIsRoomFor(t *testing.T) {
	all := recorded.All(t)
	whole, err := exchange.Enclose(all, 1<<30)
	if err != nil || whole.Count != len(all) || whole.Left != 0 {
		t.Fatalf("%d of %d, %d left, %v", whole.Count, len(all), whole.Left, err)
	}
	for _, room := range []int{len(whole.Base64) * 3 / 4, len(whole.Base64) / 4, 1} {
		some, err := exchange.Enclose(all, room)
		if err != nil || some.Count < 1 || some.Count >= len(all) || some.Left != len(all)-some.Count {
			t.Errorf("with room for %d: %d, %d left, %v", room, some.Count, some.Left, err)
		}
		if len(some.Base64) > room && some.Count > 1 {
			t.Errorf("with room for %d it takes %d", room, len(some.Base64))
		}
	}
}
