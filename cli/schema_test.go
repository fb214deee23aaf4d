package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/invopop/jsonschema"

	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// schemaFolder is where the schemas are.
const schemaFolder = "../docs/schemas"

// choices are the texts that a type is one of.
var choices = map[reflect.Type][]any{
	reflect.TypeFor[session.State]():    {session.Complete, session.Interrupted, session.Failed},
	reflect.TypeFor[session.Severity](): {session.Note, session.Caution, session.Fault},
}

// free are types that write themselves, as objects whose keys depend on what they are.
var free = []reflect.Type{reflect.TypeFor[plan.Step](), reflect.TypeFor[session.Evidence]()}

// nullable are keys, by the types that have them, that are null where there is nothing, or
// whose items are.
var nullable = map[string][]string{
	"cli.standingRecord": {"next_slower", "next_faster"},
	"compare.Row":        {"contrasts"},
	"compare.Quantity":   {"values"},
	"move.Standing":      {"next_faster"},
}

func allowNull(t *testing.T, definition *jsonschema.Schema, key string) {
	t.Helper()
	property, ok := definition.Properties.Get(key)
	if !ok {
		t.Fatalf("there is no key %s", key)
	}
	orNull := func(s *jsonschema.Schema) *jsonschema.Schema {
		return &jsonschema.Schema{OneOf: []*jsonschema.Schema{s, {Type: "null"}}}
	}
	if property.Type == "array" {
		property.Items = orNull(property.Items)
		return
	}
	definition.Properties.Set(key, orNull(property))
}

// schemaOf is the schema of a document. Documents may get more keys, so it allows them.
func schemaOf(t *testing.T, d document) []byte {
	t.Helper()
	reflector := jsonschema.Reflector{Anonymous: true, AllowAdditionalProperties: true, Mapper: mapped, Namer: named}
	schema := reflector.ReflectFromType(reflect.TypeOf(d.Of))
	schema.Title, schema.Description = "opengauge "+d.Name, d.Says+" SI base units, with the unit in the name. Keys are "+
		"only ever added."
	for name, keys := range nullable {
		definition := schema.Definitions[name]
		for _, key := range keys {
			if definition != nil {
				allowNull(t, definition, key)
			}
		}
	}
	text, err := json.MarshalIndent(schema, "", " ")
	if err != nil {
		t.Fatal(err)
	}
	return append(text, '\n')
}

// named tells types of different packages apart.
func named(of reflect.Type) string {
	if of.Name() == "" {
		return ""
	}
	return of.String()
}

func mapped(of reflect.Type) *jsonschema.Schema {
	if slices.Contains(free, of) {
		return &jsonschema.Schema{Type: "object"}
	}
	if texts, ok := choices[of]; ok {
		return &jsonschema.Schema{Type: "string", Enum: texts}
	}
	return nil
}

// The schemas in docs are those of the code. make docs writes them anew.
func TestSchemasAreCurrent(t *testing.T) {
	t.Parallel()
	for _, d := range documents {
		file := filepath.Join(schemaFolder, d.Name+".schema.json")
		witness.CheckKept(t, file, string(schemaOf(t, d)))
	}
	entries, err := os.ReadDir(schemaFolder)
	if err != nil || len(entries) != len(documents) {
		t.Errorf("%d files in %s for %d documents, %v", len(entries), schemaFolder, len(documents), err)
	}
}

// Every format that the program writes is among its documents.
func TestEveryFormatIsADocument(t *testing.T) {
	t.Parallel()
	formats := regexp.MustCompile(`"(opengauge\.[a-z-]+/[0-9]+)"`)
	var known []string
	for _, d := range documents {
		known = append(known, d.Format)
	}
	// Several sessions in a file, which export writes, and a capture of macOS, which is no JSON.
	known = append(known, "opengauge.sessions/1", "opengauge.macos/1")
	seen := 0
	for _, pattern := range []string{"*.go", "../core/*/*.go", "../core/*/*/*.go"} {
		files, _ := filepath.Glob(pattern)
		for _, file := range files {
			source, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			for _, found := range formats.FindAllStringSubmatch(string(source), -1) {
				if seen++; !slices.Contains(known, found[1]) && !strings.HasSuffix(file, "_test.go") {
					t.Errorf("%s writes %s, which has no schema", file, found[1])
				}
			}
		}
	}
	if seen < len(documents) {
		t.Errorf("only %d formats seen", seen)
	}
}
