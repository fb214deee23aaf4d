package document

import (
	"strings"

	"github.com/agext/levenshtein"
)

// partLetters is how long a text is at the least that counts as a part of a word.
const partLetters = 3

// partAway is how far a part is from its whole, in half edits: further than a slip of
// one letter, nearer than two.
const partAway = 3

// Nearest is the known word that takes the fewest edits to reach from what was
// written: letters put in, left out or changed.
// A word that is a part of the other is near whatever its length. It is false
// where even the nearest is more than half of the word away.
func Nearest(written string, known []string) (string, bool) {
	written = strings.ToLower(written)
	best, least := "", 2*(len([]rune(written))/2+1)
	for _, word := range known {
		away := 2 * levenshtein.Distance(written, word, nil)
		if isPart(written, word) || isPart(word, written) {
			away = min(away, partAway)
		}
		if away < least {
			best, least = word, away
		}
	}
	return best, best != ""
}

func isPart(part, whole string) bool {
	return len(part) >= partLetters && strings.Contains(whole, part)
}
