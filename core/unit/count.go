package unit

import "fmt"

// Count writes how many there are of something: "1 visit", "3 visits". Irregular plurals
// are given with the one.
func Count(count int, one string, many ...string) string {
	if count == 1 {
		return "1 " + one
	}
	plural := one + "s"
	if len(many) > 0 {
		plural = many[0]
	}
	return Grouped(int64(count)) + " " + plural
}

// Given writes a share that somebody chose, with the digits that it was given with: "5 %".
func Given(share float64) string { return fmt.Sprintf("%.6g %%", share*100) }
