package opengauge_test

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode"
)

// The language of a package, as CONTRIBUTING.md asks for it: the share of doc comments with a
// "what" clause, the share of functions named by a bare participle, and parallel assignments
// per 1,000 lines.
const (
	maxClauses     = 0.05
	maxParticiples = 0.03
	maxParallel    = 10.0
)

// ratchetName lists the packages that do not meet these yet, with their counts and a digest of
// their code: see TestLanguage.
const ratchetName = "docs/language.txt"

// language counts what the rules of language are about in a package.
type language struct {
	docs, clauses         int
	functions, participle int
	lines, parallel       int
	digest                string
	examples              []string
}

var (
	clause = regexp.MustCompile(`(?i)\bwhat\b|\b(that|those) of\b`)
	// endsInEd are words that end like a participle and are none.
	endsInEd = []string{"need", "feed", "seed", "speed", "embed", "exceed", "proceed", "succeed", "shed", "bed", "red",
		"bleed", "breed", "heed", "weed", "indeed", "hundred", "shred", "bid"}
	irregular = []string{"told", "kept", "held", "said", "given", "shown", "written", "drawn", "made", "found", "taken",
		"seen", "known", "done", "gone", "sent", "built", "bound", "begun", "broken", "chosen", "driven", "fallen", "felt",
		"frozen", "grown", "heard", "hidden", "laid", "lent", "lost", "meant", "met", "paid", "risen", "shaken", "sold",
		"spent", "spoken", "stood", "stolen", "struck", "sunk", "sworn", "taught", "thought", "thrown", "torn", "understood",
		"unharmed", "woken", "won", "worn", "wound", "woven", "brought", "bought", "caught", "left", "born", "borne"}
)

// isBareParticiple reports whether a function's name is one past participle and nothing else.
func isBareParticiple(name string) bool {
	if strings.IndexFunc(name[1:], unicode.IsUpper) >= 0 || strings.Contains(name, "_") {
		return false
	}
	lower := strings.ToLower(name)
	return slices.Contains(irregular, lower) || strings.HasSuffix(lower, "ed") && !slices.Contains(endsInEd, lower)
}

// isCondition reports whether a function returns a bool alone: a participle reads well as a
// condition.
func isCondition(function *ast.FuncDecl) bool {
	results := function.Type.Results
	if results.NumFields() != 1 {
		return false
	}
	kind, ok := results.List[0].Type.(*ast.Ident)
	return ok && kind.Name == "bool"
}

// measureLanguage measures the packages of the module by folder. Tests and generated files
// are not counted.
func measureLanguage(t *testing.T) map[string]*language {
	t.Helper()
	measured := map[string]*language{}
	digests := map[string][]string{}
	goFiles(t, func(name string) {
		folder := filepath.ToSlash(filepath.Dir(name))
		if strings.HasSuffix(name, "_test.go") || strings.HasPrefix(folder, "faces/") {
			return
		}
		source, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		if measured[folder] == nil {
			measured[folder] = &language{}
		}
		measured[folder].count(t, name, source)
		digests[folder] = append(digests[folder], digestOf(source))
	})
	for folder, lines := range digests {
		slices.Sort(lines)
		sum := sha256.Sum256([]byte(strings.Join(lines, "\n")))
		measured[folder].digest = hex.EncodeToString(sum[:6])
	}
	return measured
}

// digestOf returns a digest of a file's code without its imports, which change when other
// packages move.
func digestOf(source []byte) string {
	body := source
	if file, err := parser.ParseFile(token.NewFileSet(), "", source, parser.ImportsOnly); err == nil {
		if declarations := len(file.Decls); declarations > 0 {
			body = slices.Concat(source[:file.Name.End()], source[file.Decls[declarations-1].End()-1:])
		}
	}
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

func (l *language) count(t *testing.T, name string, source []byte) {
	t.Helper()
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, name, source, parser.ParseComments)
	if err != nil {
		t.Fatal(err)
	}
	l.lines += strings.Count(string(source), "\n")
	note := func(at ast.Node, format string, about ...any) {
		l.examples = append(l.examples, fmt.Sprintf("%s: "+format, append([]any{set.Position(at.Pos())}, about...)...))
	}
	doc := func(group *ast.CommentGroup) {
		if group == nil {
			return
		}
		l.docs++
		if found := clause.FindString(group.Text()); found != "" {
			l.clauses++
			note(group, "the comment has %q", found)
		}
	}
	doc(file.Doc)
	ast.Inspect(file, func(n ast.Node) bool {
		switch node := n.(type) {
		case *ast.FuncDecl:
			doc(node.Doc)
			l.functions++
			if isBareParticiple(node.Name.Name) && !isCondition(node) {
				l.participle++
				note(node, "%s is a bare participle", node.Name.Name)
			}
		case *ast.GenDecl:
			doc(node.Doc)
		case *ast.TypeSpec:
			doc(node.Doc)
		case *ast.ValueSpec:
			doc(node.Doc)
		case *ast.Field:
			doc(node.Doc)
		case *ast.AssignStmt:
			if len(node.Lhs) > 1 && len(node.Lhs) == len(node.Rhs) {
				l.parallel++
				note(node, "two assignments on one line")
			}
		}
		return true
	})
}

func share(count, of int) float64 {
	if of == 0 {
		return 0
	}
	return float64(count) / float64(of)
}

func (l *language) clauseShare() float64     { return share(l.clauses, l.docs) }
func (l *language) participleShare() float64 { return share(l.participle, l.functions) }
func (l *language) parallelRate() float64    { return 1000 * share(l.parallel, l.lines) }

func (l *language) meetsTargets() bool {
	return l.clauseShare() <= maxClauses && l.participleShare() <= maxParticiples && l.parallelRate() <= maxParallel
}

func (l *language) String() string {
	return fmt.Sprintf("%d/%d %d/%d %d/%d", l.clauses, l.docs, l.participle, l.functions, l.parallel, l.lines)
}

// The language of packages only gets better. One that is not in the list meets the targets;
// one in the list is as it was, word for word, but for its imports: whoever changes it brings
// it to the targets and takes it from the list. -update drops those that meet them, and adds
// none.
func TestLanguage(t *testing.T) {
	measured := measureLanguage(t)
	listed := readRatchet(t)
	kept := map[string]string{}
	for _, folder := range slices.Sorted(maps.Keys(measured)) {
		l := measured[folder]
		entry := l.digest + " " + l.String()
		was, isListed := listed[folder]
		delete(listed, folder)
		switch {
		case l.meetsTargets():
			if isListed && !*update {
				t.Errorf("%s meets the targets of language; take it from %s", folder, ratchetName)
			}
		case isListed && was == entry:
			kept[folder] = entry
		default:
			t.Errorf("%s has changed, and does not meet the targets of language (CONTRIBUTING.md): clauses %.0f %% of %d "+
				"comments, participles %.0f %% of %d functions, parallel assignments %.0f per 1,000 lines\n%s", folder,
				100*l.clauseShare(), l.docs, 100*l.participleShare(), l.functions, l.parallelRate(),
				strings.Join(l.examples, "\n"))
		}
	}
	for folder := range listed {
		if !*update {
			t.Errorf("%s lists %s, and there is no such package", ratchetName, folder)
		}
	}
	if *update {
		writeRatchet(t, kept)
	}
}

const ratchetHead = `# Packages whose language is below the targets of CONTRIBUTING.md, and the digest of their code without imports:
# clauses/comments, participles/functions, parallel assignments/lines. Lines are only ever removed.
`

func readRatchet(t *testing.T) map[string]string {
	t.Helper()
	file, err := os.Open(ratchetName)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	listed := map[string]string{}
	for lines := bufio.NewScanner(file); lines.Scan(); {
		if folder, entry, ok := strings.Cut(lines.Text(), " "); ok && folder != "#" {
			listed[folder] = entry
		}
	}
	return listed
}

func writeRatchet(t *testing.T, kept map[string]string) {
	t.Helper()
	text := ratchetHead
	for _, folder := range slices.Sorted(maps.Keys(kept)) {
		text += folder + " " + kept[folder] + "\n"
	}
	if err := os.WriteFile(ratchetName, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

// The measure itself finds what it is about.
func TestLanguageIsMeasured(t *testing.T) {
	var l language
	l.count(t, "x.go", []byte(`// Package x is what of a thing is kept.
package x

// told gives it.
func told() { a, b := 1, 2; _, _ = a, b }

// Speed returns the speed.
func Speed() (seed int) { return }

func readLine() {}

func (t thing) closed() bool { return t.end }
`))
	if got := l.String(); got != "1/3 1/4 2/12" {
		t.Errorf("counted %s\n%s", got, strings.Join(l.examples, "\n"))
	}
	for name, want := range map[string]bool{
		"told": true, "middled": true, "unharmed": true, "Kept": true, "tidied": true, "need": false, "speed": false,
		"read": false, "isKept": false, "keptBy": false, "embed": false, "set": false, "newKept": false,
	} {
		if got := isBareParticiple(name); got != want {
			t.Errorf("%s: %v", name, got)
		}
	}
}
