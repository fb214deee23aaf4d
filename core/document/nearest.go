package document

import (
	"strings"
)

// partLetters is how long a text is at the least that counts as a part of a word.
const partLetters = 3

// Nearest is the known word that takes the fewest edits to reach from what was
// written: letters put in, left out, changed, or two neighbours swapped (the
// optimal string alignment distance; Damerau, Communications of the ACM 7, 1964).
// A word that is a part of the other is near whatever its length. It is false
// where even the nearest is more than half of the word away.
func Nearest(written string, known []string) (string, bool) {
	written = strings.ToLower(written)
	best, least := "", len([]rune(written))/2+1
	for _, word := range known {
		away := distance([]rune(written), []rune(word))
		if len(written) >= partLetters && (strings.Contains(word, written) || strings.Contains(written, word)) {
			away = 1
		}
		if away < least {
			best, least = word, away
		}
	}
	return best, best != ""
}

// distance is the optimal string alignment distance of two words.
func distance(a, b []rune) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			change := 1
			if a[i-1] == b[j-1] {
				change = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+change)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}
