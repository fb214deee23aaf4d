package sensor

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
)

// onlyNumber is the selector of a line that has a single number.
const onlyNumber = ""

// writtenNumber is a number that stands for itself, with the unit behind it. A number in a name, like the 1 of
// CH1, has a letter before it.
var writtenNumber = regexp.MustCompile(`(^|[^\pL\d.,_])([-+]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][-+]?\d+)?)[ \t]*(` +
	`(?:[µμ°%]|\pL)*(?:\(A\))?)`)

// digits finds each number, those in names too.
var digits = regexp.MustCompile(`\d+(?:[.,]\d+)*(?:[eE][-+]?\d+)?`)

// numberIn returns a number of a line for which nobody gave a pattern, with its unit, or "". It refuses
// whatever could be read in two ways: several numbers where none is selected, commas in numbers, and lines
// that are no text.
func numberIn(line, selector string) (number float64, unit string, err error) {
	if !isText(line) {
		return 0, "", errors.New("it is no text: the baud rate may be wrong")
	}
	all := digits.FindAllString(line, -1)
	for _, each := range all {
		if strings.Contains(each, ",") || strings.Count(each, ".") > 1 {
			return 0, "", fmt.Errorf("%q could be one number or two: give a pattern with line=", each)
		}
	}
	found := writtenNumber.FindAllStringSubmatch(line, -1)
	at := 1
	if selector == onlyNumber {
		if len(all) != 1 || len(found) != 1 {
			return 0, "", fmt.Errorf("it has %d numbers: say which behind #, like #2, or give a pattern with line=", len(all))
		}
	} else {
		at, _ = ordinal(selector) // as the probe was read
	}
	if at > len(found) {
		return 0, "", fmt.Errorf("it has %d numbers, and not %d", len(found), at)
	}
	number, err = strconv.ParseFloat(found[at-1][2], 64)
	return number, found[at-1][3], err
}

// isText reports whether a line is one that an instrument writes for people: noise on a line is none.
func isText(line string) bool {
	if strings.ToValidUTF8(line, "") != line {
		return false
	}
	for _, r := range line {
		plain := unicode.IsLetter(r) && (r < 0x80 || r == 'µ' || r == 'μ') || unicode.IsDigit(r)
		if !plain && !strings.ContainsRune(" \t.,;:=+-_/()[]°%#?*", r) {
			return false
		}
	}
	return true
}
