// Package text makes what came from devices, servers and other people's files fit to be
// shown: it acts on nothing.
//
// Its functions may be called by several goroutines at once.
package text

import (
	"strings"
	"unicode"
)

// Clean replaces what would act on a terminal or change the order of the letters on a page:
// control characters, but for ends of lines and tabs, and marks of direction (Unicode
// Standard Annex #9).
func Clean(text string) string {
	return strings.Map(func(r rune) rune {
		if r != '\n' && r != '\t' && unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			return '·'
		}
		return r
	}, text)
}
