package opengauge_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// toyPlan is the head of the plan that each toy is tried with.
const toyPlan = `plan: toys
about: One of each toy.
steps:
`

// recipes are what it takes to add a kind of finding, a figure, a plan step and a dimension of
// load. Each is kept as a patch that adds a toy.
var recipes = []struct {
	name      string
	mostFiles int
	step      string // of the plan that is run
	// The toy has to be seen in each output.
	text, documents, page, docs string
}{
	{name: "finding", mostFiles: 2, step: "  - sweep: {operation: read, access: random, block: 64KiB, depth: 1}",
		text: "note  wide-tail  probability", documents: `"kind": "wide-tail"`, page: "has a wide tail",
		docs: "| `wide-tail` |"},
	{name: "figure", mostFiles: 3, step: "  - sweep: {operation: read, access: random, block: 64KiB, depth: 1}",
		text: "p99 over median", documents: "-tails.png", page: `id="tails-`, docs: "| `tails` |"},
	{name: "step", mostFiles: 4, step: "  - paced: {times: 2, pause: 10s, block: 64KiB}",
		text: "64 KiB      1  5.0 s", documents: `"step": "paced"`, page: ">paced<", docs: "| `paced` |"},
	{name: "dimension", mostFiles: 3,
		step: "  - sweep: {operation: [write, read], access: sequential, block: 1MiB, depth: 4, shift: 1536B}",
		text: "shifted by 1536 B", documents: `"shift_bytes": 1536`, page: ">shifted by 1536 B<", docs: "| `shift` |"},
}

// The recipes of CONTRIBUTING.md, all applied to one copy of the tree: it has to build, and each
// toy has to show up wherever the registries say, with no more files touched than promised.
func TestRecipes(t *testing.T) {
	if os.Getenv("OPENGAUGE_DOCUMENTS") == "" {
		t.Skip("make documents runs it: it builds the program once more")
	}
	if _, err := exec.LookPath("git"); err != nil {
		t.Skip("needs git, to apply patches: ", err)
	}
	var patches []string
	for _, recipe := range recipes {
		patch, err := filepath.Abs(filepath.Join("docs", "recipes", recipe.name+".patch"))
		if err != nil {
			t.Fatal(err)
		}
		if files := filesOf(t, patch); len(files) > recipe.mostFiles {
			t.Errorf("%s touches %d files, at most %d are promised: %q", recipe.name, len(files), recipe.mostFiles, files)
		}
		patches = append(patches, patch)
	}
	tree := patched(t, patches)
	tree.run(t, "go", "build", "-trimpath", "-o", tree.program, "./cmd/opengauge")
	tree.run(t, "go", "test", "-trimpath", "-count=1", "-vet=off", "-run", "TestTheReferenceIsCurrent", ".", "-update")
	for _, recipe := range recipes {
		t.Run(recipe.name, func(t *testing.T) {
			plan := filepath.Join(tree.folder, recipe.name+".yaml")
			if err := os.WriteFile(plan, []byte(toyPlan+recipe.step+"\n"), 0o600); err != nil {
				t.Fatal(err)
			}
			page, kit := recipe.name+".html", recipe.name+"-kit"
			text := tree.run(t, tree.program, "measure", "sim:sandpiper", "--plan", plan, "--seed", "3", "--name",
				recipe.name)
			tree.run(t, tree.program, "report", recipe.name, "--out", page)
			tree.run(t, tree.program, "report", recipe.name, "--kit", kit)
			documents := tree.run(t, tree.program, "logbook", "show", recipe.name, "--json") +
				tree.run(t, tree.program, "explain", recipe.name, "--json") + tree.read(t, kit+"/article.md")
			for where, seen := range map[string][2]string{
				"the terminal": {text, recipe.text}, "the documents": {documents, recipe.documents},
				"the page": {tree.read(t, page), recipe.page}, "the docs": {tree.read(t, referenceName), recipe.docs},
			} {
				if !strings.Contains(seen[0], seen[1]) {
					t.Errorf("%s does not show %q", where, seen[1])
				}
			}
		})
	}
	// The dimension is a flag of the new step, and moves blocks off their usual cells: sound storage stays sound.
	flagged := tree.run(t, tree.program, "measure", "sim:sandpiper", "--plan", filepath.Join(tree.folder, "step.yaml"),
		"--shift", "512B", "--seed", "3", "--name", "flagged")
	verified := tree.run(t, tree.program, "measure", t.TempDir(), "--size", "9MiB", "--hold", "50ms", "--verify", "--plan",
		filepath.Join(tree.folder, "dimension.yaml"), "--json")
	if !strings.Contains(flagged, "shifted by 512 B") || !strings.Contains(verified, `"faults": 0`) {
		t.Errorf("with --shift it says\n%s\nand verified\n%s", flagged, verified)
	}
	kept := filepath.Join(tree.folder, "kept.csv")
	tree.run(t, tree.program, "logbook", "export", "dimension", "--out", kept)
	if !strings.Contains(tree.read(t, "kept.csv"), "shift_bytes") {
		t.Errorf("the CSV has no column of the dimension:\n%s", tree.read(t, "kept.csv"))
	}
}

// tree is a copy of the project with patches applied.
type tree struct{ folder, program string }

// patched copies the program's sources, and applies the patches.
func patched(t *testing.T, patches []string) tree {
	t.Helper()
	made := tree{folder: t.TempDir()}
	made.program = filepath.Join(made.folder, "opengauge-with-toy")
	for _, entry := range []string{"go.mod", "go.sum", "reference_test.go", "docs", "cli", "cmd", "core", "present",
		"faces", "examples"} {
		copyTree(t, entry, filepath.Join(made.folder, entry))
	}
	made.run(t, "git", append([]string{"apply", "--whitespace=nowarn"}, patches...)...)
	return made
}

func copyTree(t *testing.T, from, to string) {
	t.Helper()
	info, err := os.Stat(from)
	if err != nil {
		t.Fatal(err)
	}
	if info.IsDir() {
		err = os.CopyFS(to, os.DirFS(from))
	} else {
		var content []byte
		if content, err = os.ReadFile(from); err == nil {
			err = os.WriteFile(to, content, 0o600)
		}
	}
	if err != nil {
		t.Fatal(err)
	}
}

// run runs a command in the tree, and gives what it wrote to its standard output.
func (tr tree) run(t *testing.T, name string, arguments ...string) string {
	t.Helper()
	command := exec.Command(name, arguments...)
	command.Dir = tr.folder
	command.Env = append(os.Environ(), "OPENGAUGE_LOGBOOK="+filepath.Join(tr.folder, "logbook.db"), "NO_COLOR=1",
		"GIT_CEILING_DIRECTORIES="+filepath.Dir(tr.folder), "GIT_DIR=", "GIT_WORK_TREE=")
	var out, failures bytes.Buffer
	command.Stdout, command.Stderr = &out, &failures
	if err := command.Run(); err != nil {
		t.Fatalf("%s %q: %v\n%s%s", name, arguments, err, out.String(), failures.String())
	}
	return out.String()
}

func (tr tree) read(t *testing.T, name string) string {
	t.Helper()
	content, err := os.ReadFile(filepath.Join(tr.folder, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(content)
}

// filesOf are the files that a patch touches.
func filesOf(t *testing.T, patch string) []string {
	t.Helper()
	text, err := os.ReadFile(patch)
	if err != nil {
		t.Fatal(err)
	}
	var files []string
	for _, match := range regexp.MustCompile(`(?m)^diff --git a/(\S+)`).FindAllSubmatch(text, -1) {
		files = append(files, string(match[1]))
	}
	if len(files) == 0 {
		t.Fatal("a patch of nothing: ", patch)
	}
	return files
}
