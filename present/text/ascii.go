package text

import "strings"

// signs are what stands for the signs of this program where only ASCII can be shown: a
// letter each, so that columns stay where they are.
var signs = strings.NewReplacer(
	"…", ".", "·", "-", "°", " ", "±", "~", "≈", "~", "×", "x", "µ", "u", "−", "-", "–", "-", "—", "-",
	"\u00a0", " ", "\u202f", " ", "\u2009", " ", "“", `"`, "”", `"`, "’", "'", "≤", "<", "≥", ">", "²", "2",
	"→", ">", "←", "<", "▸", ">", "◂", "<", "▾", "v", "▴", "^", "✓", "y", "✗", "x", "✚", "+", "•", "o", "∘", "c",
	"■", "#", "▪", "#", "□", "D", "●", "@", "○", "O", "▲", "^", "△", "A", "◆", "*", "◇", "d",
	"─", "-", "━", "=", "╌", "-", "┄", "-", "│", "|", "┃", "|", "┤", "|", "├", "|", "└", "+", "┌", "+", "┐", "+",
	"┘", "+", "┬", "+", "┴", "+", "┼", "+", "▔", "-",
	"█", "#", "▓", "%", "▒", "+", "░", ".", "▁", "_", "▂", "_", "▃", ".", "▄", ":", "▅", ":", "▆", "+", "▇", "#",
)

// ASCII writes a text in ASCII alone, as wide as before. What is no sign of this program,
// a letter with an accent say, is a question mark.
func ASCII(shown string) string {
	return strings.Map(func(r rune) rune {
		const firstBraille, lastBraille = 0x2800, 0x28ff
		switch {
		case r < 0x80:
			return r
		case r == firstBraille:
			return ' '
		case r > firstBraille && r <= lastBraille:
			return '*'
		}
		return '?'
	}, signs.Replace(shown))
}
