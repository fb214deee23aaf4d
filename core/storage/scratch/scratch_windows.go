package scratch

import (
	"io/fs"
)

// own is not told apart here: what the user cannot open is not theirs.
func own(fs.FileInfo) bool { return true }

// numberOf is not known here.
func numberOf(fs.FileInfo) uint64 { return 0 }
