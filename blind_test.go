package opengauge_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os/exec"
	"strings"
	"testing"
)

// A test that asks whether a figure is too far off has to be written so that NaN is: every
// comparison with it is false. So it says what is near enough, and negates that.
func TestAssertionsSeeWhatIsNoNumber(t *testing.T) {
	out, err := exec.Command("git", "ls-files", "*_test.go").Output()
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, file := range strings.Fields(string(out)) {
		set := token.NewFileSet()
		parsed, err := parser.ParseFile(set, file, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		ast.Inspect(parsed, func(n ast.Node) bool {
			comparison, ok := n.(*ast.BinaryExpr)
			if !ok {
				return true
			}
			call, ok := comparison.X.(*ast.CallExpr)
			if !ok || name(call.Fun) != "math.Abs" {
				return true
			}
			if seen++; comparison.Op == token.GTR || comparison.Op == token.GEQ {
				t.Errorf("%s: NaN is not above anything; say !(math.Abs(...) <= ...)", set.Position(n.Pos()))
			}
			return true
		})
	}
	if seen < 30 {
		t.Errorf("only %d comparisons seen", seen)
	}
}

// name is that of a function of a package, "math.Abs".
func name(of ast.Expr) string {
	selector, ok := of.(*ast.SelectorExpr)
	if !ok {
		return ""
	}
	room, ok := selector.X.(*ast.Ident)
	if !ok {
		return ""
	}
	return room.Name + "." + selector.Sel.Name
}
