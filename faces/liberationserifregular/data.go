// Package liberationserifregular stands for a face that no figure is drawn with.
package liberationserifregular

import "codeberg.org/go-fonts/liberation/liberationsansregular"

// TTF is that of another face.
var TTF = liberationsansregular.TTF
