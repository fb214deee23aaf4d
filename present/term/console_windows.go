package term

import (
	"golang.org/x/sys/windows"
)

// steers asks a console to obey escape sequences, and reports whether it does: old ones do not.
func steers(terminal uintptr) bool {
	console := windows.Handle(terminal)
	var mode uint32
	if windows.GetConsoleMode(console, &mode) != nil {
		return false
	}
	return windows.SetConsoleMode(console, mode|windows.ENABLE_PROCESSED_OUTPUT|
		windows.ENABLE_VIRTUAL_TERMINAL_PROCESSING) == nil
}
