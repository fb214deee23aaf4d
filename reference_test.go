package opengauge_test

import (
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"opengauge/cli"
	"opengauge/core/bench/link"
	"opengauge/core/judge/explain"
	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/load/fileset"
	"opengauge/core/plan"
	"opengauge/core/unit"
	"opengauge/present/figure"
)

var update = flag.Bool("update", false, "write docs/reference.md anew")

const referenceName = "docs/reference.md"

// The reference says what the registries hold: it is made from them, by make docs.
func TestTheReferenceIsCurrent(t *testing.T) {
	made := reference(t)
	if *update {
		if err := os.WriteFile(referenceName, []byte(made), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	held, err := os.ReadFile(referenceName)
	if err != nil || string(held) != made {
		t.Errorf("%s is not what the code says; run make docs (%v)", referenceName, err)
	}
}

// Each kind of finding is described in docs/findings.md, in a heading or by its name.
func TestEveryFindingIsDescribed(t *testing.T) {
	text, err := os.ReadFile("docs/findings.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range finding.Kinds {
		described := regexp.MustCompile("`" + kind.Name + "`|(?m)^## .*\\b" + kind.Name + "\\b")
		if !described.Match(text) {
			t.Errorf("docs/findings.md does not say how %s is decided", kind.Name)
		}
		if kind.Says == "" || kind.Settles == "" || kind.Evidence == nil || kind.Severity == "" {
			t.Errorf("the kind %s does not say all of itself: %+v", kind.Name, kind)
		}
	}
}

func reference(t *testing.T) string {
	t.Helper()
	var out strings.Builder
	out.WriteString("# Reference\n\nMade from the code by `make docs`; a test says when it is out of date.\n")
	findingsReference(&out)
	out.WriteString("\n## Plan steps\n\n| step | what it does | example |\n|---|---|---|\n")
	for _, kind := range plan.StepKinds {
		fmt.Fprintf(&out, "| `%s` | %s | `%s` |\n", kind.Name, kind.About, kind.Example)
	}
	out.WriteString("\n## What a load asks for\n\nBesides `operation`, `access`, `block` and `depth`. Each is a key " +
		"of a `sweep`, and a flag of `measure` unless it belongs to mixed operations.\n\n" +
		"| key | in documents | what it asks |\n|---|---|---|\n")
	for _, d := range load.Askable() {
		fmt.Fprintf(&out, "| `%s` | `%s` | %s |\n", d.Key, d.Column, d.About)
	}
	out.WriteString("\n## Figures\n\nFor `report --figure`.\n\n| figure | section |\n|---|---|\n")
	for _, form := range figure.Forms {
		fmt.Fprintf(&out, "| `%s` | %s |\n", form.Name, form.Title)
	}
	out.WriteString("\n## File sets\n\n| set | what it is |\n|---|---|\n")
	for _, kind := range fileset.Recipes {
		fmt.Fprintf(&out, "| `%s` | %s |\n", kind.Name, kind.About)
	}
	standardsReference(&out)
	out.WriteString("\n## Commands and flags\n")
	commandReference(&out, cli.Tree())
	explanationsReference(&out)
	thresholdsReference(t, &out, "core/judge/finding")
	thresholdsReference(t, &out, "core/judge/explain")
	return out.String()
}

func findingsReference(out *strings.Builder) {
	out.WriteString("\n## Kinds of findings\n\n| kind | severity | says | what would settle it | seen on | " +
		"ends a stream | evidence |\n|---|---|---|---|---|---|---|\n")
	for _, kind := range finding.Kinds {
		ends := ""
		if kind.EndsStream {
			ends = "yes"
		}
		fmt.Fprintf(out, "| `%s` | %s | %s | %s | %s | %s | %s |\n", kind.Name, kind.Severity, kind.Says, kind.Settles,
			kind.Marks, ends, strings.Join(keysOf(reflect.TypeOf(kind.Evidence)), ", "))
	}
}

// keysOf are the JSON names of a struct, those of embedded ones too.
func keysOf(of reflect.Type) []string {
	var keys []string
	for i := range of.NumField() {
		field := of.Field(i)
		if field.Anonymous {
			keys = append(keys, keysOf(field.Type)...)
			continue
		}
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		keys = append(keys, "`"+name+"`")
	}
	return keys
}

func standardsReference(out *strings.Builder) {
	out.WriteString("\n## Link standards\n\nCeilings in MB/s. Sources stand at the constants, in `core/bench/link`.\n\n" +
		"| standard | lanes | line | payload | usable |\n|---|---:|---:|---:|---:|\n")
	for _, standard := range link.Standards() {
		c := standard.Ceiling()
		fmt.Fprintf(out, "| %s | %d | %s | %s | %s |\n", standard.Name, standard.Lanes, unit.Decimal.Number(c.Line),
			unit.Decimal.Number(c.Payload), unit.Decimal.Between(c.Usable.Low, c.Usable.High))
	}
}

func commandReference(out *strings.Builder, cmd *cobra.Command) {
	if cmd.Hidden || cmd.Name() == "help" || cmd.Name() == "completion" {
		return
	}
	fmt.Fprintf(out, "\n### `%s`\n\n%s.\n", cmd.UseLine(), cmd.Short)
	var rows []string
	cmd.NonInheritedFlags().VisitAll(func(f *pflag.Flag) {
		if f.Name != "help" {
			rows = append(rows, fmt.Sprintf("| `--%s` | %s |\n", f.Name, strings.ReplaceAll(f.Usage, "|", "\\|")))
		}
	})
	if len(rows) > 0 {
		out.WriteString("\n| flag | what it does |\n|---|---|\n" + strings.Join(rows, ""))
	}
	for _, child := range cmd.Commands() {
		commandReference(out, child)
	}
}

// explanationsReference lists what competes, with how often each occurs, and the tests
// that are proposed.
func explanationsReference(out *strings.Builder) {
	out.WriteString("\n## Explanations\n\n" +
		"How often each occurs, in parts of any whole, among recordings that change.\n\n" +
		"| explanation | says | kinds | drive, reads | drive, writes | volume, reads | volume, writes |\n" +
		"|---|---|---|---:|---:|---:|---:|\n")
	for _, x := range explain.Explanations {
		fmt.Fprintf(out, "| %s | %s | %s | %g | %g | %g | %g |\n", x.Name, x.Says, strings.Join(x.Kinds, ", "),
			x.Weight(false, 0), x.Weight(true, 0), x.Weight(false, 1), x.Weight(true, 1))
	}
	out.WriteString("\n## Tests that are proposed\n\nHow likely the answer is yes for each cause; of what is not " +
		"listed a test tells nothing.\n\n| test | yes, if |\n|---|---|\n")
	for _, each := range explain.Tests {
		var parts []string
		for _, kind := range slices.Sorted(maps.Keys(each.Yes)) {
			parts = append(parts, fmt.Sprintf("%s %g", kind, each.Yes[kind]))
		}
		fmt.Fprintf(out, "| %s | %s |\n", each.Says, strings.Join(parts, ", "))
	}
}

// thresholdsReference lists the constants by which findings are decided, with what
// stands over them in the code.
func thresholdsReference(t *testing.T, out *strings.Builder, folder string) {
	t.Helper()
	fmt.Fprintf(out, "\n## Thresholds in %s\n\n| file | constant | value | what it is |\n|---|---|---|---|\n", folder)
	err := filepath.WalkDir(folder, func(name string, entry fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ParseComments)
		if err != nil {
			return err
		}
		for _, declaration := range parsed.Decls {
			if d, ok := declaration.(*ast.GenDecl); ok && d.Tok == token.CONST {
				constants(out, filepath.Base(name), d)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// constants writes those of a declaration that are numbers. One comment may be for
// several of them, as in the code.
func constants(out *strings.Builder, file string, d *ast.GenDecl) {
	about := d.Doc.Text()
	for _, each := range d.Specs {
		spec, ok := each.(*ast.ValueSpec)
		if !ok {
			continue
		}
		if spec.Doc != nil {
			about = spec.Doc.Text()
		}
		for i, name := range spec.Names {
			if i >= len(spec.Values) {
				continue
			}
			value := text(spec.Values[i])
			if value == "" || strings.HasPrefix(value, `"`) {
				continue
			}
			fmt.Fprintf(out, "| %s | `%s` | %s | %s |\n", file, name.Name, value, strings.Join(strings.Fields(about), " "))
		}
	}
}

// text writes a constant expression as it stands.
func text(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.BasicLit:
		return e.Value
	case *ast.UnaryExpr:
		return e.Op.String() + text(e.X)
	case *ast.BinaryExpr:
		return text(e.X) + " " + e.Op.String() + " " + text(e.Y)
	case *ast.SelectorExpr:
		return e.Sel.Name
	}
	return ""
}
