package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"sort"
	"strings"
)

// mutant is one break: what stands between two offsets of a file becomes something else.
type mutant struct {
	file         string
	line, column int
	from, to     int
	operator     string
	was, becomes string
}

func (m mutant) String() string {
	return fmt.Sprintf("%s %s: %s -> %s", m.place(), m.operator, brief(m.was), brief(m.becomes))
}

func (m mutant) place() string { return fmt.Sprintf("%s:%d:%d", m.file, m.line, m.column) }

// key names a mutant in the list of those that are equivalent.
func (m mutant) key() string { return m.place() + " " + m.operator }

func brief(text string) string {
	const longest = 60
	text = strings.Join(strings.Fields(text), " ")
	if len(text) > longest {
		return text[:longest] + "..."
	}
	if text == "" {
		return "nothing"
	}
	return text
}

func (m mutant) broken(whole []byte) []byte {
	made := append([]byte(nil), whole[:m.from]...)
	made = append(made, m.becomes...)
	return append(made, whole[m.to:]...)
}

// mutantsOf gives every break of the package in a folder, for this system.
func mutantsOf(folder string) ([]mutant, error) {
	files, err := filepath.Glob(filepath.Join(folder, "*.go"))
	if err != nil {
		return nil, err
	}
	var all []mutant
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") || strings.HasSuffix(file, "_windows.go") ||
			strings.HasSuffix(file, "_darwin.go") || strings.HasSuffix(file, "_other.go") {
			continue
		}
		source, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		found, err := mutantsIn(file, source)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	if len(all) == 0 {
		return nil, fmt.Errorf("there is nothing to break in %s", folder)
	}
	return all, nil
}

// breaker collects the breaks of one file.
type breaker struct {
	file    string
	source  []byte
	set     *token.FileSet
	mutants []mutant
}

// mutantsIn gives every break of one file, in its order.
func mutantsIn(file string, source []byte) ([]mutant, error) {
	set := token.NewFileSet()
	parsed, err := parser.ParseFile(set, file, source, 0)
	if err != nil {
		return nil, err
	}
	b := &breaker{file: filepath.Clean(file), source: source, set: set}
	ast.Inspect(parsed, b.node)
	sort.SliceStable(b.mutants, func(i, j int) bool { return b.mutants[i].from < b.mutants[j].from })
	return b.mutants, nil
}

// node adds the breaks of a node. The operators are fixed.
func (b *breaker) node(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.GenDecl:
		return n.Tok != token.IMPORT
	case *ast.IfStmt:
		b.replace("negate", n.Cond.Pos(), n.Cond.End(), "!("+b.text(n.Cond)+")")
	case *ast.BinaryExpr:
		if other, ok := swapped[n.Op]; ok {
			b.replace("swap", n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), other)
		}
		if other, ok := shifted[n.Op]; ok {
			b.replace("shift a bound", n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), other)
		}
	case *ast.ExprStmt:
		if _, call := n.X.(*ast.CallExpr); call {
			b.replace("drop a call", n.Pos(), n.End(), "")
		}
	case *ast.FuncDecl:
		b.early(n)
	case *ast.BasicLit:
		b.constant(n)
	}
	return true
}

var (
	swapped = map[token.Token]string{
		token.ADD: "-", token.SUB: "+", token.MUL: "/", token.QUO: "*", token.LAND: "||", token.LOR: "&&",
	}
	shifted = map[token.Token]string{
		token.LSS: "<=", token.LEQ: "<", token.GTR: ">=", token.GEQ: ">", token.EQL: "!=", token.NEQ: "==",
	}
)

// early lets a function return at once, with zero values.
func (b *breaker) early(n *ast.FuncDecl) {
	if n.Body == nil || len(n.Body.List) == 0 {
		return
	}
	var values []string
	if n.Type.Results != nil {
		for _, field := range n.Type.Results.List {
			for range max(len(field.Names), 1) {
				values = append(values, "*new("+b.text(field.Type)+")")
			}
		}
	}
	b.replace("return early", n.Body.Lbrace+1, n.Body.Lbrace+1, "\nif true { return "+strings.Join(values, ", ")+" }\n")
}

// constant changes a number.
func (b *breaker) constant(n *ast.BasicLit) {
	switch {
	case n.Kind == token.INT && n.Value == "0":
		b.replace("change a constant", n.Pos(), n.End(), "1")
	case n.Kind == token.INT:
		b.replace("change a constant", n.Pos(), n.End(), "("+n.Value+" + 1)")
	case n.Kind == token.FLOAT:
		b.replace("change a constant", n.Pos(), n.End(), "("+n.Value+" * 1.5)")
	}
}

func (b *breaker) text(n ast.Node) string {
	return string(b.source[b.set.Position(n.Pos()).Offset:b.set.Position(n.End()).Offset])
}

func (b *breaker) replace(operator string, from, to token.Pos, becomes string) {
	start, end := b.set.Position(from), b.set.Position(to)
	b.mutants = append(b.mutants, mutant{
		file: b.file, line: start.Line, column: start.Column, from: start.Offset, to: end.Offset, operator: operator,
		was: string(b.source[start.Offset:end.Offset]), becomes: becomes,
	})
}
