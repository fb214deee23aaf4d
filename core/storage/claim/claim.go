// Package claim locks files against other programs, for as long as they are open: a program
// that dies lets go of them. It is for any goroutine.
package claim

import "errors"

// ErrHeld says that another program holds the file.
var ErrHeld = errors.New("another program holds it")
