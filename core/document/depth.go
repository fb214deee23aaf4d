package document

import (
	"fmt"

	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"
)

// deepest is how many mappings and lists may stand within each other: what people write has
// five.
const deepest = 50

// shallow refuses a document whose values are nested too deeply, before they are parsed:
// parsing takes time and memory by the square of that.
func shallow(file string, source []byte) error {
	if !mayBeDeep(source) {
		return nil
	}
	flow, columns, line := 0, []int{}, 0
	for _, each := range lexer.Tokenize(string(source)) {
		switch each.Type {
		case token.SequenceStartType, token.MappingStartType:
			flow++
		case token.SequenceEndType, token.MappingEndType:
			flow--
		}
		if at := each.Position; at != nil && flow == 0 {
			for len(columns) > 0 && columns[len(columns)-1] >= at.Column && at.Line != line {
				columns = columns[:len(columns)-1]
			}
			if opens(each.Type) && (len(columns) == 0 || columns[len(columns)-1] < at.Column) {
				columns = append(columns, at.Column)
			}
			line = at.Line
		}
		if flow+len(columns) > deepest {
			return &Error{File: file, Line: each.Position.Line, Column: each.Position.Column,
				Message: fmt.Sprintf("values are nested more than %d deep", deepest)}
		}
	}
	return nil
}

// opens says whether a token may begin a mapping or a list within another.
func opens(kind token.Type) bool {
	return kind == token.SequenceEntryType || kind == token.MappingKeyType || kind == token.StringType
}

// mayBeDeep says whether there is enough in a document for that at all.
func mayBeDeep(source []byte) bool {
	marks := 0
	for _, each := range source {
		if each == '[' || each == '{' || each == '-' || each == ':' || each == '?' {
			marks++
		}
	}
	return marks > deepest
}
