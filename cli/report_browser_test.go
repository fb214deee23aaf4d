package cli_test

import (
	"encoding/base64"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// demoReport writes the report of the recorded demo sessions and gives its address.
func demoReport(t *testing.T) string {
	t.Helper()
	d, page := newDesk(t), filepath.Join(t.TempDir(), "report.html")
	d.must("logbook", "import", "../examples/sessions.json.gz")
	d.must("report", "limpet-depth-map", "limpet-passive", "barnacle-automatic", "barnacle-fan-on", "dunlin-long",
		"dunlin-full",
		"--out", page, "--title", "For the recorders", "--author", "Tidewrack Field Lab", "--note",
		"Measured below deck.")
	return "file://" + page
}

// drawAll scrolls over the page, so that every figure is drawn.
const drawAll = `
const done = arguments[arguments.length - 1];
let at = 0;
(function step() {
  window.scrollTo(0, at);
  at += 500;
  if (at < document.body.scrollHeight) { setTimeout(step, 20); } else { setTimeout(done, 200); }
})();`

func TestReportInABrowser(t *testing.T) {
	t.Parallel() // no times are measured
	b := openBrowser(t)
	b.open(demoReport(t))
	b.wait(drawAll)
	for _, message := range b.messages("browser") {
		t.Errorf("the console says: %s", message)
	}
	requested := regexp.MustCompile(`"method":"Network.requestWillBeSent".*?"request":\{.*?"url":"([^"]{0,40})`)
	pages := 0
	for _, message := range b.messages("performance") {
		for _, found := range requested.FindAllStringSubmatch(strings.ReplaceAll(message, `\"`, `"`), -1) {
			if strings.HasPrefix(found[1], "file:") {
				pages++
			} else if !strings.HasPrefix(found[1], "data:") {
				t.Errorf("a request leaves: %s", found[1])
			}
		}
	}
	if pages != 1 {
		t.Errorf("%d files were loaded, want the page alone", pages)
	}
	drawn := decode[[]int](t,
		b.run(`const all = document.querySelectorAll(".chart"); return [all.length, Array.from(all).filter(c => c.querySelector("svg path")).length];`))
	if drawn[0] < 10 || drawn[0] != drawn[1] {
		t.Errorf("%d of %d figures are drawn", drawn[1], drawn[0])
	}
	order := decode[[]string](t,
		b.run(`return Array.from(document.querySelectorAll("main > section")).map(s => s.id);`))
	const want = "tested verdict comparison moves sweeps maps traces rivals ladders money method findings"
	if got := strings.Join(order, " "); got != want {
		t.Errorf("the order is %s", got)
	}
}

func TestReportByKeyboard(t *testing.T) {
	t.Parallel() // no times are measured
	b := openBrowser(t)
	b.open(demoReport(t))
	b.wait(drawAll)
	total := decode[int](t, b.run(`
		window.scrollTo(0, 0);
		document.activeElement.blur();
		window.seen = new Set();
		document.addEventListener("focusin", e => window.seen.add(e.target));
		window.reachable = Array.from(document.querySelectorAll("a[href], button, summary, [tabindex='0']")).filter(e => e.closest("details:not([open])") === null || e.tagName === "SUMMARY");
		return window.reachable.length;`))
	for range total + 2 {
		b.press("\ue004") // tab
	}
	if missed := decode[[]string](t,
		b.run(`return window.reachable.filter(e => !window.seen.has(e)).map(e => e.outerHTML.slice(0, 80));`)); len(missed) > 0 || total < 60 {
		t.Errorf("of %d things the keyboard does not reach %q", total, missed)
	}
	// A line is switched off and on again, and the time axis zoomed, by keys.
	b.run(`window.tools = document.querySelector("#traces .tools"); window.tools.querySelector("button").focus();`)
	lines := `return window.tools.nextElementSibling.querySelectorAll("svg path[stroke]").length;`
	before := decode[int](t, b.run(lines))
	b.press(" ")
	b.wait(`setTimeout(arguments[0], 600, null);`)
	if after := decode[int](t, b.run(lines)); after >= before {
		t.Errorf("%d lines before, %d after one was switched off", before, after)
	}
	if pressed := b.run(`return window.tools.querySelector("button").getAttribute("aria-pressed");`); pressed != `"false"` {
		t.Errorf("the button says %s", pressed)
	}
}

func TestReportIsAccessible(t *testing.T) {
	t.Parallel() // no times are measured
	checker := accessibilityChecker(t)
	b := openBrowser(t)
	b.open(demoReport(t))
	const check = `const done = arguments[0]; window.axe.run(document, {resultTypes: ["violations"]}).then(r => done(r.violations));`
	for _, scheme := range []string{"light", "dark"} {
		b.devtools("Emulation.setEmulatedMedia",
			map[string]any{"features": []any{map[string]string{"name": "prefers-color-scheme", "value": scheme}}})
		b.wait(drawAll)
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
	t.Parallel() // no times are measured
	checker := accessibilityChecker(t)
	b := openBrowser(t)
	b.open("data:text/html,<html lang=en><title>x</title><body><main><img src=''><button></button></main>")
	b.run(checker + "; window.axe = axe;")
	if found := b.wait(`const done = arguments[0]; window.axe.run(document).then(r => done(r.violations.map(v => v.id)));`); !strings.Contains(found, "image-alt") || !strings.Contains(found, "button-name") {
		t.Errorf("it finds %s", found)
	}
}

// On a phone nothing is wider than the screen, and on paper all figures are there.
func TestReportOnAPhoneAndOnPaper(t *testing.T) {
	t.Parallel() // no times are measured
	b := openBrowser(t)
	b.devtools("Emulation.setDeviceMetricsOverride", map[string]any{"width": 390, "height": 800,
		"deviceScaleFactor": 1, "mobile": true})
	b.open(demoReport(t))
	b.wait(drawAll)
	if width := decode[int](t, b.run(`return document.documentElement.scrollWidth;`)); width > 390 {
		t.Errorf("the page is %d wide on a screen of 390", width)
	}
	printed := decode[struct{ Data string }](t,
		string(b.devtools("Page.printToPDF", map[string]any{"printBackground": true})))
	document, err := base64.StdEncoding.DecodeString(printed.Data)
	if err != nil || !strings.HasPrefix(string(document), "%PDF") {
		t.Fatalf("it does not print: %v", err)
	}
	if missing := b.run(`return Array.from(document.querySelectorAll(".chart")).filter(c => !c.querySelector("svg path")).length;`); missing != "0" {
		t.Errorf("%s figures are missing on paper", missing)
	}
	if len(document) < 100_000 {
		t.Errorf("the printed document has %d bytes only", len(document))
	}
}
