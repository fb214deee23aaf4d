package cli_test

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

// strictly reads a schema of docs/schemas, by which no key is allowed that it has not.
func strictly(t *testing.T, name string) *jsonschema.Schema {
	t.Helper()
	file, err := os.Open(filepath.Join("../docs/schemas", name+".schema.json"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	document, err := jsonschema.UnmarshalJSON(file)
	if err != nil {
		t.Fatal(err)
	}
	onlyNamed(document)
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource(name, document); err != nil {
		t.Fatal(err)
	}
	schema, err := compiler.Compile(name)
	if err != nil {
		t.Fatal(err)
	}
	return schema
}

// onlyNamed lets every object of a schema have the keys alone that it names.
func onlyNamed(node any) {
	switch value := node.(type) {
	case map[string]any:
		if _, ok := value["properties"]; ok {
			value["additionalProperties"] = false
		}
		for _, each := range value {
			onlyNamed(each)
		}
	case []any:
		for _, each := range value {
			onlyNamed(each)
		}
	}
}

// Everything that is printed with --json follows its schema, which has all of its keys, by
// a validator that is not the program's.
func TestDocumentsFollowTheirSchemas(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("logbook", "import", "../examples/sessions.json.gz")
	other := filepath.Join(t.TempDir(), "other.db")
	d.must("logbook", "quote", "dunlin", "read random 4 KiB, depth 1", "9000 IOPS", "--source", "a review", "--set", "x")
	d.must("logbook", "note", "limpet-depth-map", "seen", "--at", "1s", "--condition", "deck=wet")
	laid := t.TempDir()
	d.must("copy", "--lay-out", laid, "--set", "archive", "--size", "2MB")
	commands := map[string][][]string{
		"session": {
			{"measure", t.TempDir(), "--hold", "20ms", "--size", "4MiB", "--verify", "--json"},
			{"measure", t.TempDir(), "--hold", "50ms", "--size", "4MiB", "--rate", "200", "--json"},
			{"measure", "sim:sandpiper", "--plan", "long-write", "--json"},
			{"measure", "sim:lagoon-burst", "--plan", "quick", "--json"},
			{"measure", "sim:sandpiper", "--through", "deck-tablet,limpet", "--plan", contending(t), "--json"},
			{"copy", "sim:sandpiper", "sim:curlew", "--size", "2GB", "--json"},
			{"logbook", "show", "limpet-depth-map", "--json"},
			{"logbook", "show", "copies", "--json"},
			{"measure", "sim:sandpiper", "--plan", "cool-repeats", "--through", "barnacle", "--json"},
			{"stopwatch", "--set", "archive", "--size", "26GB", "--from", "tablet", "--to", "curlew", "--seconds", "47",
				"--json"},
		},
		"list":        {{"logbook", "list", "--json"}},
		"explanation": {{"explain", "limpet-passive", "--json"}, {"explain", "lagoon-burst", "--json"}},
		"comparison": {{"compare", "limpet-passive", "barnacle-fan-on", "--json"},
			{"compare", "dunlin-long", "limpet-passive", "--amount", "400GB", "--json"}},
		"effect": {{"compare", "--by", "host", "--json"}},
		"isolation": {{"isolate", "deck-long-cable", "cabin-long-cable", "deck-short-cable", "cabin-short-cable",
			"--json"}},
		"value": {{"value", "limpet-passive", "barnacle-fan-on", "--json"},
			{"value", "limpet-passive", "dunlin-long", "--amount", "400GB", "--daily", "50GB", "--json"},
			{"value", "--candidates", "curlew+limpet,dunlin+limpet", "--through", "deck-tablet", "--json"}},
		"streams":  {{"streams", "limpet-passive", "--json"}, {"streams", "dunlin-long", "--amount", "1TB", "--json"}},
		"rated":    {{"foresee", "dunlin", "--through", "deck-tablet,limpet", "--json"}},
		"quotes":   {{"logbook", "quote", "--json"}},
		"forecast": {{"foresee", "limpet-quick", "--through", "barnacle", "--json"}},
		"ranking":  {{"rank", "limpet-passive", "--json"}, {"rank", "limpet-passive", "--amount", "100GB", "--json"}},
		"import":   {{"logbook", "import", "../examples/sessions.json.gz", "--json", "--logbook", other}},
		"survey": {{"survey", "--json"}, {"survey", "--sysroot", captured("linux"), "--json"},
			{"survey", "--sysroot", captured("windows"), "--json"}, {"survey", "--sysroot", captured("macos"), "--json"}},
		"chain":      {{"link", "deck port: usb 3.2 gen 2 > limpet: pcie 3.0 x4", "--json"}},
		"standards":  {{"link", "--json"}},
		"plan-check": {{"plan", "check", "quick", "--json"}},
		"arrived":    {{"copy", "--check", laid, "--set", "archive", "--size", "2MB", "--json"}},
		"probe":      {{"probe", "case=csv:" + loggerFile(t) + "#case", "--readings", "1", "--json"}},
		"plan":       {{"plan", "show", "fill-ladder", "--json"}},
		"plans":      {{"plan", "list", "--json"}},
		"retention":  {{"logbook", "retention", "--json"}},
		"review-check": {{"review", "check", reviews + "cases.yaml", "--json"},
			{"review", "check", reviews + "job.yaml", "--json"}},
		"review-step": {{"review", "run", reviews + "cases.yaml", "--next", "--json"}},
		"review-answer": {{"review", "answer", reviews + "firmware.yaml", "--json"},
			{"review", "run", reviews + "firmware.yaml", "--unattended", "--json"},
			{"review", "answer", reviews + "firmware.yaml", "--json"}},
		"review-status": {{"review", "status", reviews + "firmware.yaml", "--json"},
			{"review", "status", reviews + "job.yaml", "--json"}},
		// Files: see the tests of reviews, and below.
		"review": {}, "review-pack": {}, "windows-capture": {},
	}
	files, err := filepath.Glob("../docs/schemas/*.schema.json")
	if err != nil || len(files) != len(commands) {
		t.Errorf("%d schemas for %d documents, %v", len(files), len(commands), err)
	}
	for name, each := range commands {
		schema := strictly(t, name)
		for _, arguments := range each {
			got := d.run(arguments...)
			if got.code != 0 {
				t.Errorf("%q: exit %d, %s", arguments, got.code, got.stderr)
				continue
			}
			printed := got.stdout
			document, err := jsonschema.UnmarshalJSON(strings.NewReader(printed))
			if err != nil {
				t.Fatalf("%q: %v", arguments, err)
			}
			if err := schema.Validate(document); err != nil {
				t.Errorf("%q does not follow its schema: %v", arguments, err)
			}
		}
		// The check itself: an empty object has not what is required.
		if err := schema.Validate(json.Number("7")); err == nil {
			t.Errorf("the schema of %s takes a number", name)
		}
	}
}

// captured is a capture of the made-up machine.
func captured(system string) string {
	return "../core/bench/survey/testdata/machine/" + system + ".tar.gz"
}

// Captures of Windows follow their schema: one that an encoder of its own wrote, and one that the
// program writes of it.
func TestCapturesFollowTheirSchema(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	again := filepath.Join(t.TempDir(), "again.tar.gz")
	d.must("survey", "--sysroot", captured("windows"), "--capture", again, "--anonymous")
	for _, name := range []string{captured("windows"), again} {
		out, err := exec.Command("tar", "-xzOf", name, "windows.json").Output()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		document, err := jsonschema.UnmarshalJSON(bytes.NewReader(out))
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if err := strictly(t, "windows-capture").Validate(document); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// loggerFile returns the file of a thermometer's logger.
func loggerFile(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "log.csv")
	if err := os.WriteFile(file, []byte("time,case\n0,31.5\n1,32\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}
