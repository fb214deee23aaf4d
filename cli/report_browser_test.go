package cli_test

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"opengauge/core/record/session"
	"opengauge/core/unit"
	"opengauge/lab/recorded"
)

// demoReport returns the address of a report of some recorded sessions, made once.
func demoReport(t *testing.T) string {
	t.Helper()
	page, err := recordedPage()
	if err != nil {
		t.Fatal(err)
	}
	return "file://" + page
}

var recordedPage = sync.OnceValues(func() (string, error) {
	content, err := demoLogbook()
	if err != nil {
		return "", err
	}
	folder := filepath.Dir(program) // which is removed at the end
	logbook, page := filepath.Join(folder, "recorded.db"), filepath.Join(folder, "recorded.html")
	if err := os.WriteFile(logbook, content, 0o600); err != nil {
		return "", err
	}
	_, err = executeAll(logbook, []string{"report", "limpet-depth-map", "limpet-passive", "barnacle-automatic",
		"barnacle-fan-on", "dunlin-long", "dunlin-full", "--out", page, "--title", "For the recorders", "--author",
		"Tidewrack Field Lab", "--note", "Measured below deck."})
	return page, err
})

// demonstration is the folder that the demo wrote, and the text that it printed.
type demonstration struct{ folder, text string }

// runDemo runs the demo once for all tests, where an earlier one has left a logbook.
var runDemo = sync.OnceValues(func() (demonstration, error) {
	folder := filepath.Join(filepath.Dir(program), "demo")
	text, err := executeAll(filepath.Join(folder, "none.db"), []string{"measure", "sim:curlew", "--plan", "quick-read",
		"--name", "earlier", "--logbook", filepath.Join(folder, "demo-logbook.db")}, []string{"demo", "--out", folder})
	return demonstration{folder, text}, err
})

// demoPage returns the path of the page that the demo wrote.
func demoPage(t *testing.T) string {
	t.Helper()
	made, err := runDemo()
	if err != nil {
		t.Fatal(err)
	}
	return filepath.Join(made.folder, "report.html")
}

// openAll opens every fold and waits until what is behind them is drawn.
const openAll = `
const done = arguments[arguments.length - 1];
document.querySelectorAll("details").forEach(d => { d.open = true; });
(function look(left) {
  const missing = Array.from(document.querySelectorAll("[data-lazy]")).filter(e => !e.querySelector("svg, table"));
  if (missing.length === 0 || left === 0) { done(missing.map(e => e.id)); } else { setTimeout(look, 100, left - 1); }
})(200);`

// The demo's page answers on its first screen, is short, small and quick, asks for nothing,
// and says nothing on the console.
func TestThePageAnswersOnItsFirstScreen(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	page := demoPage(t)
	info, err := os.Stat(page)
	if err != nil || info.Size() > 700_000 {
		t.Errorf("the page: %d bytes, %v", info.Size(), err)
	}
	for _, width := range []int{1280, 768, 390} {
		b.devtools("Emulation.setDeviceMetricsOverride", map[string]any{"width": width, "height": 800,
			"deviceScaleFactor": 1, "mobile": width < 500})
		b.open("file://" + page)
		b.wait(`setTimeout(arguments[0], 500, null);`)
		if wide := decode[int](t, b.run(`return document.documentElement.scrollWidth;`)); wide > width {
			t.Errorf("the page is %d wide on a screen of %d", wide, width)
		}
		if clipped := b.run(outside); clipped != "[]" {
			t.Errorf("on a screen of %d these run out of the page: %s", width, clipped)
		}
		if width == 1280 {
			first := decode[map[string]float64](t, b.run(`
				const bottom = e => e.getBoundingClientRect().bottom;
				return {title: bottom(document.querySelector("h1")), answer: bottom(document.querySelector(".answer")),
					figure: bottom(document.querySelector("#answer figure")), tested: bottom(document.querySelector(".tested")),
					height: document.documentElement.scrollHeight};`))
			for _, part := range []string{"title", "answer", "figure", "tested"} {
				if !(first[part] > 0 && first[part] <= 800) {
					t.Errorf("the %s ends at %.0f, below the first screen", part, first[part])
				}
			}
			answer := b.run(`return document.querySelector("#answer").textContent;`)
			for _, want := range []string{"short-cable/barnacle/sandpiper: 300 GB in ", "host: no difference that matters"} {
				if !strings.Contains(answer, want) {
					t.Errorf("the first screen does not say %q", want)
				}
			}
			if !(first["height"] <= 9000) {
				t.Errorf("the page is %.0f tall", first["height"])
			}
		}
	}
	if missing := decode[[]string](t, b.wait(openAll)); len(missing) > 0 {
		t.Errorf("behind folds these are not drawn: %q", missing)
	}
	if hidden := decode[int](t, b.run(`return document.querySelectorAll("#data > details").length;`)); hidden < 30 {
		t.Errorf("%d sessions are behind folds", hidden)
	}
	checkSilent(t, b)
}

// outside gives what is cut off by the edges of the page, scrolled regions aside.
const outside = `
const wide = document.documentElement.clientWidth;
return Array.from(document.querySelectorAll("body *")).filter(function (e) {
  const r = e.getBoundingClientRect();
  if (r.width === 0 || e.closest(".scroll") || e.classList.contains("skip")) { return false; }
  return r.right > wide + 1 || r.left < -1;
}).map(e => e.tagName + " " + (e.id || e.textContent.slice(0, 30))).slice(0, 5);`

// checkSilent checks that the page asked for nothing and that nothing is wrong with it.
func checkSilent(t *testing.T, b browser) {
	t.Helper()
	for _, message := range b.messages("browser") {
		t.Errorf("the console says: %s", message)
	}
	requested := regexp.MustCompile(`"method":"Network.requestWillBeSent".*?"request":\{.*?"url":"([^"]{0,40})`)
	for _, message := range b.messages("performance") {
		for _, found := range requested.FindAllStringSubmatch(strings.ReplaceAll(message, `\"`, `"`), -1) {
			if !strings.HasPrefix(found[1], "data:") && !strings.HasPrefix(found[1], "file:") {
				t.Errorf("a request leaves: %s", found[1])
			}
		}
	}
}

// Words behind closed folds are in the page, where a browser's search finds and opens them.
func TestFoldsAreFoundBySearch(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	b.open(demoReport(t))
	if found := b.run(`return window.find("What the plan of dunlin-full") || ` +
		`document.querySelector("#data").textContent.includes("condition ambient");`); found != "true" {
		t.Errorf("words behind folds are not found: %s", found)
	}
	before := decode[int](t, b.run(`return document.querySelectorAll("[data-lazy] svg").length;`))
	if before != 0 {
		t.Errorf("%d figures behind folds are drawn before they are opened", before)
	}
	if order := b.run(`return Array.from(document.querySelectorAll("main > section")).map(s => s.id).join(" ");`); order !=
		`"answer chains comparison over-time moves ladders money watch method data"` {
		t.Errorf("the order is %s", order)
	}
}

func TestReportByKeyboard(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	b.open(demoReport(t))
	total := decode[int](t, b.run(`
		window.scrollTo(0, 0);
		document.activeElement.blur();
		window.seen = new Set();
		document.addEventListener("focusin", e => window.seen.add(e.target));
		window.reachable = Array.from(document.querySelectorAll("a[href], button, summary, [tabindex='0']"));
		window.reachable = window.reachable.filter(function (e) {
			const within = e.tagName === "SUMMARY" ? e.parentElement.parentElement : e;
			return within.closest("details:not([open])") === null;
		});
		return window.reachable.length;`))
	for range total + 2 {
		b.press("\ue004") // tab
	}
	missed := decode[[]string](t,
		b.run(`return window.reachable.filter(e => !window.seen.has(e)).map(e => e.outerHTML.slice(0, 80));`))
	if len(missed) > 0 || total < 20 {
		t.Errorf("of %d things the keyboard does not reach %q", total, missed)
	}
	// A figure is looked at closer, a line is left out, and time is enlarged, by keys.
	b.run(`document.querySelector("#over-time .tools button").focus();`)
	b.press(" ")
	b.wait(untilDrawn("#over-time"))
	b.run(`document.querySelector("#over-time .tools button").focus();`)
	b.press(" ")
	pressed := b.run(`return document.querySelector("#over-time .tools button").getAttribute("aria-pressed");`)
	if pressed != `"false"` {
		t.Errorf("the button of a line says %s after it was left out", pressed)
	}
	b.run(`Array.from(document.querySelectorAll("#over-time .tools button")).find(
		e => e.textContent === "Back to the drawing").click();`)
	if back := b.run(`return document.querySelectorAll("#over-time .drawn > svg").length > 0;`); back != "true" {
		t.Error("the drawing does not come back")
	}
}

// untilDrawn waits until a figure that was touched is drawn anew.
func untilDrawn(section string) string {
	return `const done = arguments[0]; (function look(left) {
		const drawn = document.querySelector("` + section + ` canvas");
		if (drawn || left === 0) { done(null); } else { setTimeout(look, 50, left - 1); }
	})(100);`
}

// What is drawn anew has the points of the drawing: the lines of both fit each other, on
// whatever axes they have.
func TestTouchedFiguresHaveThePointsOfTheDrawing(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	d, page := demoDesk(t), filepath.Join(t.TempDir(), "page.html")
	d.must("report", "limpet-passive", "--out", page)
	b.open("file://" + page)
	drawn := decode[[]string](t, b.run(`return Array.from(document.querySelectorAll(
		"#answer .wide path[fill=none]")).map(p => p.getAttribute("stroke") + " " + p.getAttribute("d"));`))
	b.run(`document.querySelector("#answer .tools button").click();`)
	b.wait(untilDrawn("#answer"))
	type lane struct {
		Times  []float64
		Values [][]*float64
	}
	lanes := decode[[]lane](t, b.run(`return Array.from(document.querySelectorAll("#answer .drawn > div")).map(
		box => ({Times: box.chart.data[0], Values: box.chart.data.slice(1)}));`))
	if len(lanes) != 3 {
		t.Fatalf("%d charts, want throughput, temperatures and power", len(lanes))
	}
	matched := 0
	for _, lane := range lanes[:2] { // the sheet of the answer is too low for power
		for number, values := range lane.Values {
			var xs, ys []float64
			for i, value := range values {
				if value != nil {
					xs, ys = append(xs, lane.Times[i]), append(ys, *value)
				}
			}
			if !slicesFit(t, drawn, xs, ys) {
				t.Errorf("line %d of %d points is drawn nowhere with the same points", number, len(xs))
			} else {
				matched++
			}
		}
	}
	if matched != 3 {
		t.Errorf("%d lines have the points of the drawing, want 3", matched)
	}
}

var step = regexp.MustCompile(`([Ml])(-?[\d.]+) (-?[\d.]+)`)

// slicesFit reports whether one of the paths goes through points, but for the place and the
// length of its axes.
func slicesFit(t *testing.T, paths []string, xs, ys []float64) bool {
	t.Helper()
	for _, path := range paths {
		steps := step.FindAllStringSubmatch(path, -1)
		if len(steps) != len(xs) {
			continue
		}
		x, y := 0.0, 0.0
		var px, py []float64
		for _, s := range steps {
			dx, _ := strconv.ParseFloat(s[2], 64)
			dy, _ := strconv.ParseFloat(s[3], 64)
			if s[1] == "M" {
				x, y = dx, dy
			} else {
				x, y = x+dx, y+dy
			}
			px, py = append(px, x), append(py, y)
		}
		if fits(xs, px) && fits(ys, py) {
			return true
		}
	}
	return false
}

// fits reports whether one row of numbers is a straight line of the other, to half a pixel:
// the slope is that between the least and the greatest.
func fits(values, pixels []float64) bool {
	low, high := 0, 0
	for i := range values {
		if values[i] < values[low] {
			low = i
		}
		if values[i] > values[high] {
			high = i
		}
	}
	if values[high] == values[low] {
		return true
	}
	slope := (pixels[high] - pixels[low]) / (values[high] - values[low])
	for i := range values {
		if want := pixels[low] + (values[i]-values[low])*slope; !(math.Abs(pixels[i]-want) <= 0.5) {
			return false
		}
	}
	return true
}

// A day with ten sensors opens, and its lines are told apart.
func TestADayWithTenSensors(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	d, folder := newDesk(t), t.TempDir()
	s := recorded.Named(t, "limpet-passive")[0]
	s.ID, s.Name = "k3f9abcdeg", "day"
	pass := &s.Passes[0]
	pass.Samples, pass.ElapsedSeconds = nil, 86_400
	for second := range 86_400 {
		sample := session.Sample{TSeconds: float64(second + 1), ElapsedSeconds: 1, Bytes: 4e8,
			BytesPerSecond: unit.BytesPerSecond(4e8 + second%977*10_000), TemperaturesCelsius: map[string]unit.Celsius{}}
		for sensor := range 10 {
			warm := 40 + 2*float64(sensor) + 3*math.Sin(float64(second)/3000+float64(sensor))
			sample.TemperaturesCelsius[fmt.Sprintf("sensor-%d", sensor)] = unit.Celsius(math.Round(warm*10) / 10)
		}
		pass.Samples = append(pass.Samples, sample)
	}
	document, err := json.Marshal(s)
	if err != nil {
		t.Fatal(err)
	}
	file, page := filepath.Join(folder, "day.json"), filepath.Join(folder, "day.html")
	if err := os.WriteFile(file, document, 0o600); err != nil {
		t.Fatal(err)
	}
	d.must("logbook", "import", file)
	d.must("report", "day", "--out", page)
	b.open("file://" + page)
	b.run(`document.querySelector("#answer .tools button").click();`)
	b.wait(`const done = arguments[0]; (function look() {
		const drawn = document.querySelectorAll("#answer canvas").length === 2;
		if (drawn) { done(null); } else { setTimeout(look, 5); }
	})();`)
	ways := decode[[]string](t, b.run(`
		return Array.from(document.querySelectorAll("#answer .tools button svg path")).slice(1).map(
		p => p.getAttribute("stroke") + " " + p.getAttribute("stroke-dasharray"));`))
	told := map[string]bool{}
	for _, way := range ways {
		told[way] = true
	}
	if len(ways) != 10 || len(told) != 10 {
		t.Errorf("%d sensors in %d ways to draw them: %q", len(ways), len(told), ways)
	}
}

func TestReportIsAccessible(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	checker := accessibilityChecker(t)
	b.open("file://" + demoPage(t))
	b.wait(openAll)
	b.run(`document.querySelectorAll("#data details").forEach((d, i) => { d.open = i < 4; });`) // all alike
	b.run(`document.querySelector("#over-time .tools button").click();`)
	b.wait(untilDrawn("#over-time"))
	const check = `const done = arguments[0];
		window.axe.run(document, {resultTypes: ["violations"]}).then(r => done(r.violations));`
	for _, scheme := range []string{"light", "dark"} {
		b.devtools("Emulation.setEmulatedMedia",
			map[string]any{"features": []any{map[string]string{"name": "prefers-color-scheme", "value": scheme}}})
		b.run(checker + "; window.axe = axe;")
		found := decode[[]struct {
			ID, Impact, Help string
			Nodes            []struct{ HTML string }
		}](t, b.wait(check))
		for _, violation := range found {
			if violation.Impact == "serious" || violation.Impact == "critical" {
				t.Errorf("%s: %s (%s), as in %s", scheme, violation.Help, violation.ID, violation.Nodes[0].HTML)
			}
		}
	}
}

// The checker finds what is wrong, where something is.
func TestTheAccessibilityCheckerWorks(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	checker := accessibilityChecker(t)
	b.open("data:text/html,<html lang=en><title>x</title><body><main><img src=''><button></button></main>")
	b.run(checker + "; window.axe = axe;")
	found := b.wait(`const done = arguments[0]; window.axe.run(document).then(r => done(r.violations.map(v => v.id)));`)
	if !strings.Contains(found, "image-alt") || !strings.Contains(found, "button-name") {
		t.Errorf("it finds %s", found)
	}
}

// On paper every figure in the open is there, how it was tested is unfolded, and what was
// touched is the drawing again.
func TestReportOnPaper(t *testing.T) {
	t.Parallel()
	b := openBrowser(t)
	b.open("file://" + demoPage(t))
	b.run(`document.querySelector("#over-time .tools button").click();`)
	b.wait(untilDrawn("#over-time"))
	b.run(`window.addEventListener("beforeprint", function () { window.printed = {
		matters: Array.from(document.querySelectorAll("details.matters")).every(d => d.open),
		figures: Array.from(document.querySelectorAll("figure:not([data-lazy]) .drawn")).every(d => d.querySelector("svg")),
		canvases: document.querySelectorAll("canvas").length}; });`)
	printed := decode[struct{ Data string }](t,
		string(b.devtools("Page.printToPDF", map[string]any{"printBackground": true})))
	document, err := base64.StdEncoding.DecodeString(printed.Data)
	if err != nil || !strings.HasPrefix(string(document), "%PDF") || len(document) < 60_000 {
		t.Fatalf("it does not print: %d bytes, %v", len(document), err)
	}
	b.wait(`const done = arguments[0]; (function look() {
		if (window.printed) { done(null); } else { setTimeout(look, 5); }
	})();`)
	if got := b.run(`return window.printed;`); got != `{"canvases":0,"figures":true,"matters":true}` {
		t.Errorf("on paper: %s", got)
	}
}
