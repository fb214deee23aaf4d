//go:build unix

package logbook

import "golang.org/x/sys/unix"

// mayMakeFiles says whether files can be made in a folder (access(2)).
func mayMakeFiles(folder string) bool { return unix.Access(folder, unix.W_OK|unix.X_OK) == nil }
