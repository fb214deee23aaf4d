// Package document reads the YAML files that people write for Open Gauge
// (plans, bench books, simulated parts), keeping the place of every value, so
// that an error names the file, line and column and says what was expected.
//
// What was parsed is only read, and may be read by several goroutines at once.
package document

import (
	"errors"
	"fmt"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// maxSize is far above any file written by hand; it keeps a wrong file name
// from reading a disk image into memory.
const maxSize = 1 << 20

// Node is one value of a document: a mapping, a list or a scalar.
type Node struct {
	file string
	node ast.Node
}

// Error is a fault in a document, with its place. Line and column count from 1.
type Error struct {
	File    string
	Line    int
	Column  int
	Message string
}

// Error writes "file:line:column: message".
func (e *Error) Error() string {
	return fmt.Sprintf("%s:%d:%d: %s", e.File, e.Line, e.Column, e.Message)
}

// Parse reads one YAML document. The file name is for messages only.
func Parse(file string, source []byte) (Node, error) {
	if len(source) > maxSize {
		return Node{}, fmt.Errorf("%s: %d bytes is too large for a document written by hand (at most %d)", file,
			len(source), maxSize)
	}
	if err := shallow(file, source); err != nil {
		return Node{}, err
	}
	parsed, err := parser.ParseBytes(source, 0)
	if err != nil {
		return Node{}, placed(file, err)
	}
	if len(parsed.Docs) > 1 {
		return Node{}, &Error{File: file, Line: 1, Column: 1, Message: "expected one YAML document, found several"}
	}
	if len(parsed.Docs) == 0 || parsed.Docs[0].Body == nil {
		return Node{}, &Error{File: file, Line: 1, Column: 1, Message: "the document is empty"}
	}
	return Node{file: file, node: parsed.Docs[0].Body}, nil
}

// placed turns the YAML library's error into an [Error].
func placed(file string, err error) error {
	var fault yaml.Error
	if !errors.As(err, &fault) || fault.GetToken() == nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	at := fault.GetToken().Position
	return &Error{File: file, Line: at.Line, Column: at.Column, Message: fault.GetMessage()}
}

// Errorf makes an [Error] at the node's place.
func (n Node) Errorf(format string, arguments ...any) error {
	fault := &Error{File: n.file, Line: 1, Column: 1, Message: fmt.Sprintf(format, arguments...)}
	if token := n.node.GetToken(); token != nil && token.Position != nil {
		fault.Line, fault.Column = token.Position.Line, token.Position.Column
	}
	return fault
}

// Entry is one key of a mapping with its value.
type Entry struct {
	Key     string
	KeyNode Node
	Value   Node
}

// Entries reads a mapping in the order in which it is written. Keys are unique.
func (n Node) Entries() ([]Entry, error) {
	var values []*ast.MappingValueNode
	switch node := n.node.(type) {
	case *ast.MappingNode:
		values = node.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{node}
	default:
		return nil, n.Errorf("expected a mapping")
	}
	entries := make([]Entry, 0, len(values))
	seen := make(map[string]bool, len(values))
	for _, value := range values {
		keyNode := Node{file: n.file, node: value.Key}
		key, err := keyNode.Text()
		if err != nil {
			return nil, err
		}
		if seen[key] {
			return nil, keyNode.Errorf("key %q stands here twice", key)
		}
		seen[key] = true
		entries = append(entries, Entry{Key: key, KeyNode: keyNode, Value: Node{file: n.file, node: value.Value}})
	}
	return entries, nil
}

// List reads a list; a single value stands for a list of one.
func (n Node) List() []Node {
	sequence, ok := n.node.(*ast.SequenceNode)
	if !ok {
		return []Node{n}
	}
	nodes := make([]Node, len(sequence.Values))
	for i, value := range sequence.Values {
		nodes[i] = Node{file: n.file, node: value}
	}
	return nodes
}

// IsList says whether the node is written as a list.
func (n Node) IsList() bool {
	_, ok := n.node.(*ast.SequenceNode)
	return ok
}

// Text reads a scalar as it is written, without its quotes.
func (n Node) Text() (string, error) {
	switch node := n.node.(type) {
	case *ast.StringNode:
		return node.Value, nil
	case *ast.LiteralNode:
		return node.Value.Value, nil
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode:
		return node.GetToken().Value, nil
	case *ast.MappingValueNode, *ast.MappingNode, *ast.SequenceNode:
		return "", n.Errorf("expected a single value")
	case *ast.NullNode:
		return "", n.Errorf("expected a value, found nothing")
	default:
		return "", n.Errorf("expected a plain value")
	}
}

// Value parses a scalar. The error of a text that the parser refuses gets the
// node's place.
func Value[T any](node Node, parse func(string) (T, error)) (T, error) {
	var none T
	text, err := node.Text()
	if err != nil {
		return none, err
	}
	value, err := parse(text)
	if err != nil {
		return none, node.Errorf("%s", err)
	}
	return value, nil
}
