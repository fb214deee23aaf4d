package document

import (
	"strings"

	"github.com/agext/levenshtein"
)

// partLetters is how long a text is at the least that counts as a part of a word.
const partLetters = 3

// Nearest is the known word that takes the fewest edits to reach from what was
// written: letters put in, left out or changed.
// A word that is a part of the other is near whatever its length. It is false
// where even the nearest is more than half of the word away.
func Nearest(written string, known []string) (string, bool) {
	written = strings.ToLower(written)
	best, least := "", len([]rune(written))/2+1
	for _, word := range known {
		away := levenshtein.Distance(written, word, nil)
		if len(written) >= partLetters && (strings.Contains(word, written) || strings.Contains(written, word)) {
			away = 1
		}
		if away < least {
			best, least = word, away
		}
	}
	return best, best != ""
}
