// Package space says how much a file system holds and how much of it is free. It may be
// asked by several goroutines at once.
package space

import "opengauge/core/unit"

// Space is what a file system holds and has free. A total of 0 is one that does not say.
type Space struct {
	Total, Free, Used unit.Bytes
	// FileSystem is its type: "ext4", "NTFS".
	FileSystem string
}

// Volume is a file system that is mounted.
type Volume struct{ Device, At, FileSystem string }
