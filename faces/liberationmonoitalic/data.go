// Package liberationmonoitalic stands for a face that no figure is drawn with.
package liberationmonoitalic

import "codeberg.org/go-fonts/liberation/liberationsansregular"

// TTF is that of another face.
var TTF = liberationsansregular.TTF
