package stat

import (
	"cmp"
	"slices"
)

// Fairness of what several got at once: Jain's index, 1 where all get the same, 1 over their number where one
// gets all (Jain, Chiu and Hawe, DEC-TR-301, 1984). It is 0 where nobody got anything.
func Fairness[T ~float64](got []T) float64 {
	sum, squares := 0.0, 0.0
	for _, each := range got {
		sum, squares = sum+float64(each), squares+float64(each)*float64(each)
	}
	if squares == 0 {
		return 0
	}
	return sum * sum / (float64(len(got)) * squares)
}

// Middle sorts things by a figure, and gives the one in the middle: of an even number the lower of the two, so
// that it is one that there is. There has to be one.
func Middle[T any, F cmp.Ordered](things []T, by func(T) F) T {
	slices.SortStableFunc(things, func(a, b T) int { return cmp.Compare(by(a), by(b)) })
	return things[(len(things)-1)/2]
}
