package cli

import "io"

// Execute runs a command line within this process and returns its exit code. It works on
// the given logbook unless the line names another. No signal reaches it.
func Execute(logbook string, arguments []string, stdout, stderr io.Writer) int {
	return execute(&environment{logbookPath: logbook}, nil, arguments, stdout, stderr)
}
