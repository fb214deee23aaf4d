package logbook

// mayMakeFiles is not known before it is tried on this system.
func mayMakeFiles(string) bool { return true }
