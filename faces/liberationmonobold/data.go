// Package liberationmonobold stands for a face that no figure is drawn with.
package liberationmonobold

import "codeberg.org/go-fonts/liberation/liberationsansbold"

// TTF is that of another face.
var TTF = liberationsansbold.TTF
